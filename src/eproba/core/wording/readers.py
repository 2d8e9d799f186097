"""What readings of the same thing differ by, in words, with what to do about it."""

import math

from eproba.core.judging.readers import ENOUGH, Readers
from eproba.core.words import figure, lower_first

FEW_PAIRS = 6


def readers_told(found: Readers) -> str:
    """How noisy the reading is, and how much of what units differ by is its own."""
    name = found.asked.measure.name
    who = f"{found.first or 'one reader'} twice" if found.one_reader else f"{_named(found)}"
    told = f"{name}, read by {who} on {found.pairs} units: one reading is off by {_amount(found, found.noise.sd)}"
    told += " from the next." if found.share is None else f"; that is {_percent(found.share)} of what units differ by."
    if found.leans:
        higher, lower = (found.second, found.first) if found.noise.lean > 0 else (found.first, found.second)
        by = _amount(found, abs(found.noise.lean))
        told += f" {higher or 'The second'} reads {by} higher than {lower or 'the first'} throughout: "
        told += "let one of them read whole blocks."
    return told


def advice(found: Readers) -> str:
    """What would help: more readings, more units, or a better tool."""
    measure = lower_first(found.asked.measure.name)
    few = f" ({found.pairs} pairs are few: a first hint.)" if found.pairs < FEW_PAIRS else ""
    if found.share is None:
        return f"Too few units to say how much that matters.{few}"
    if found.share < ENOUGH:
        return f"The units themselves differ: more units help, reading {measure} more often gains next to nothing.{few}"
    if found.readings is None:
        return f"Reading more often would not mend it: a better tool for {measure}, or the same with more care.{few}"
    return (
        f"{found.readings} readings of each unit bring it below {_percent(ENOUGH)}; a better tool does too, more units "
        f"help less.{few}"
    )


def _named(found: Readers) -> str:
    return f"{found.first or 'the first reader'} and {found.second or 'the second'}"


def _amount(found: Readers, amount: float) -> str:
    if found.in_percent:
        return f"{figure(100 * math.expm1(amount))} %"
    return f"{figure(amount)} {found.asked.measure.unit}".rstrip()


def _percent(share: float) -> str:
    return f"{100 * share:.0f} %"
