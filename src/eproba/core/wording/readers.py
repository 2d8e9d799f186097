"""What readings of the same thing differ by, in words, with what to do about it."""

import math

from eproba.core.judging.readers import ENOUGH, Readers
from eproba.core.words import figure, lower_first

FEW_PAIRS = 6


def readers_told(readers: Readers) -> str:
    """How noisy the reading is, and how much of what units differ by is its own."""
    name = readers.asked.measure.name
    who = f"{readers.first or 'one reader'} twice" if readers.one_reader else f"{_named(readers)}"
    words = (
        f"{name}, read by {who} on {readers.pairs} units: one reading is off by {_amount(readers, readers.noise.sd)}"
    )
    words += (
        " from the next." if readers.share is None else f"; that is {_percent(readers.share)} of what units differ by."
    )
    if readers.leans:
        higher, lower = (readers.second, readers.first) if readers.noise.lean > 0 else (readers.first, readers.second)
        by = _amount(readers, abs(readers.noise.lean))
        words += f" {higher or 'The second'} reads {by} higher than {lower or 'the first'} throughout: "
        words += "let one of them read whole blocks."
    return words


def advice(readers: Readers) -> str:
    """What would help: more readings, more units, or a better tool."""
    measure = lower_first(readers.asked.measure.name)
    few = f" ({readers.pairs} pairs are few: a first hint.)" if readers.pairs < FEW_PAIRS else ""
    if readers.share is None:
        return f"Too few units to say how much that matters.{few}"
    if readers.share < ENOUGH:
        return f"The units themselves differ: more units help, reading {measure} more often gains next to nothing.{few}"
    if readers.readings is None:
        return f"Reading more often would not mend it: a better tool for {measure}, or the same with more care.{few}"
    return (
        f"{readers.readings} readings of each unit bring it below {_percent(ENOUGH)}; a better tool does too, "
        f"more units help less.{few}"
    )


def _named(readers: Readers) -> str:
    return f"{readers.first or 'the first reader'} and {readers.second or 'the second'}"


def _amount(readers: Readers, amount: float) -> str:
    if readers.in_percent:
        return f"{figure(100 * math.expm1(amount))} %"
    return f"{figure(amount)} {readers.asked.measure.unit}".rstrip()


def _percent(share: float) -> str:
    return f"{100 * share:.0f} %"
