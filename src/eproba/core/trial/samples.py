"""Samples for a laboratory: which units make one, and what becomes of its result."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date

from eproba.core.errors import EprobaError
from eproba.core.trial.model import Asked, Trial, Unit
from eproba.core.words import listed

HOW_MIXED = ("single", "mixed by equal volumes", "mixed by equal masses")
DEEPEST = 200.0  # cm


class SampleError(EprobaError):
    """A sample that can't be; the message says what would fit."""


@dataclass(frozen=True)
class Sample:
    """Soil or plants for a laboratory: its code, the `units` in it, how they were mixed, how deep (cm), when taken and
    sent, by whom it is read, its result as typed (empty: not there yet)."""

    id: int
    round_id: int
    measure_key: str
    code: str
    units: tuple[str, ...]
    mixed: str
    depth_cm: float | None
    taken_on: date
    sent_on: date | None
    laboratory: str
    result: str


def for_laboratory(trial: Trial) -> list[Asked]:
    """What a trial has read by a laboratory, or measures of its own that may be."""
    return [asked for asked in trial.asked if asked.measure.group in ("laboratory", "your own")]


def next_code(known: Collection[str]) -> str:
    """A short code that no sample of the trial bears: L1, L2 …"""
    n = 1
    while f"L{n}" in known:
        n += 1
    return f"L{n}"


def check_sample(units: Sequence[Unit], taken: Collection[str], lots_hidden: bool) -> None:
    """Whether these units can make one sample; `taken`: codes of units that are in another one of the same round.

    Raises
    ------
    SampleError
        No unit, one that is in another sample, or units of several treatments (where the lots are hidden: several at
        all, since whether they may be mixed would tell).
    """
    if not units:
        raise SampleError("Say which units are in it.")
    if twice := [unit.code for unit in units if unit.code in taken]:
        raise SampleError(f"{listed(twice)}: in another sample of this round already.")
    if len(units) > 1 and lots_hidden:
        raise SampleError("While this device does not know who got what, each unit is a sample of its own.")
    if len({unit.letter for unit in units}) > 1:
        codes = listed([unit.code for unit in units])
        raise SampleError(f"{codes} got different treatments: mixed into one sample they can’t be told apart.")


def readings_of_result(sample: Sample) -> dict[str, str]:
    """Why each unit of a sample but its first has no reading of its own, by code: a mixed sample is one number, and
    counts once."""
    first, *others = sample.units
    return dict.fromkeys(others, f"in sample {sample.code}, counted at {first}")
