"""What can happen to a unit between rounds: its seedlings' days, and what is read once, on the day it happens."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Literal

from eproba.core.errors import EprobaError
from eproba.core.trial.doses import EARLIEST
from eproba.core.trial.model import Asked, Reading, Round, Trial, Unit
from eproba.core.words import listed, plural

UnitEventWhat = Literal["sown", "up", "thinned", "replaced", "fed", "other"]
WHAT: dict[UnitEventWhat, str] = {
    "sown": "sown or set", "up": "seedlings up", "thinned": "thinned", "replaced": "a failure replaced",
    "fed": "fed, tied or weeded", "other": "something else",
}  # fmt: skip
COUNTED: tuple[UnitEventWhat, ...] = ("sown", "up", "thinned", "replaced")


class HappeningError(EprobaError):
    """Something that can't have happened so; the message says what would fit."""


@dataclass(frozen=True)
class UnitEvent:
    """What happened to a unit on a day; `count` of how many seeds or plants (None: not counted)."""

    id: int
    unit_id: int
    on: date
    what: UnitEventWhat
    count: int | None
    note: str
    by: str


def what_typed(text: str) -> UnitEventWhat:
    """What happened, as a form names it. Raises HappeningError."""
    for what in WHAT:
        if what == text:
            return what
    raise HappeningError(f"Say what happened: {listed(list(WHAT.values()), 'or')}.")


def check_event(
    trial: Trial, units: Sequence[Unit], what: UnitEventWhat, on: date, count: int | None, today: date
) -> None:
    """Whether it can have happened, by the trial's own rules.

    Raises
    ------
    HappeningError
        A day to come or long before, a unit that was lost by then, too few or too many, or later than the rule allows.
    """
    if not units:
        raise HappeningError("Say to which units it happened.")
    if on > today:
        raise HappeningError("That day is still to come: note it when it has happened.")
    if on < trial.start_on - EARLIEST:
        raise HappeningError("That is long before the trial: check the day.")
    gone = [unit.code for unit in units if unit.lost_on is not None and unit.lost_on <= on]
    if gone:
        raise HappeningError(f"{listed(gone)}: down as lost by then. Choose an earlier day, or other units.")
    _check_rule(trial, what, on, count)


def _check_rule(trial: Trial, what: str, on: date, count: int | None) -> None:
    rules, day = trial.rules, trial.day_of(on)
    if what == "replaced" and rules.replace_until is None:
        raise HappeningError("The plan says that failures are never replaced: put the unit down as lost instead.")
    if what == "replaced" and day > (rules.replace_until or 0):
        text = f"The plan replaces failures up to day {rules.replace_until}; this is day {day}"
        raise HappeningError(f"{text}: later gaps are losses.")
    if what == "up" and count is not None and rules.seeds is not None and count > rules.seeds:
        raise HappeningError(f"{plural(count, 'seedling')} of {rules.seeds} sown can’t be up.")
    if what == "thinned" and count is not None and count != rules.plants:
        raise HappeningError(f"The plan thins to {plural(rules.plants, 'plant')} a unit; type how many were left.")


def off_rule(trial: Trial, event: UnitEvent) -> str:
    """Where a day is not the one of the plan, in words; empty: as planned."""
    day = trial.day_of(event.on)
    if event.what == "thinned" and trial.rules.thin_on is not None and day != trial.rules.thin_on:
        return f"planned for day {trial.rules.thin_on}"
    return ""


def once_measures(trial: Trial) -> list[Asked]:
    """What is read once, on the day it happens: it can be put down any day."""
    return [asked for asked in trial.asked if asked.measure.kind == "day"]


def happened_once(trial: Trial, readings: Iterable[Reading]) -> list[Reading]:
    """Readings that say that something which is read once has happened, the latest first."""
    keys = {measure.measure.key for measure in once_measures(trial)}
    happened = [
        reading for reading in readings if reading.measure_key in keys and reading.value and reading.read_at is not None
    ]
    return sorted(happened, key=lambda reading: (reading.read_at or datetime.max, reading.id), reverse=True)


def round_for(trial: Trial, asked: Asked, on: date) -> Round | None:
    """The round that takes up what happened on a day: the first on that day or later that asks it; None: none does."""
    day = trial.day_of(on)
    rounds = [round_ for round_ in trial.rounds if round_.day >= day and asked in trial.asked_in(round_)]
    return rounds[0] if rounds else None
