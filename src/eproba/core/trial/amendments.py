"""The record of a trial beside its readings: what was done late, changed, or left out, so that it can be weighed."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any

from eproba.core.trial.gone import GoneTrial
from eproba.core.trial.model import Reading, Trial

LONG_AFTER = 2  # days between reading and record: the evening after is no delay


@dataclass(frozen=True)
class Correction:
    """A reading before it was changed. `sealed`: whether the envelope was shut; `verdict_before`: what it said then."""

    reading_id: int
    old_value: float | None
    old_skip_reason: str
    reason: str
    by: str
    at: datetime
    sealed: bool = True
    verdict_before: str = ""


@dataclass(frozen=True)
class PourChange:
    """An application before it was changed: what stood on record (`was`), who changed it, when, and whether the
    envelope was shut."""

    letter: str
    day: int
    was: Mapping[str, Any] = field(hash=False)
    by: str
    at: datetime
    sealed: bool


@dataclass(frozen=True)
class Changes:
    """Everything on record that was changed."""

    corrections: Sequence[Correction] = ()
    pours: Sequence[PourChange] = ()


@dataclass(frozen=True)
class Beside:
    """What judging goes by beside the readings: what was changed with the envelope open, and what is known of recipes
    and brews. By letter: `marks`, what the recipe can do to a reading itself; `least_days` that it wants between two
    applications, by the day of the later one; `brewed`: it takes a batch. `made_by`: the recipe of each batch that was
    poured, its key and title. `gone`: deleted trials that asked the same."""

    corrections: tuple[Correction, ...] = ()
    pours: tuple[PourChange, ...] = ()
    marks: tuple[tuple[str, tuple[str, ...]], ...] = ()
    least_days: tuple[tuple[str, tuple[tuple[int, float], ...]], ...] = ()
    brewed: tuple[str, ...] = ()
    made_by: tuple[tuple[int, tuple[str, str]], ...] = ()
    gone: tuple[GoneTrial, ...] = ()


NOTHING_BESIDE = Beside()


@dataclass(frozen=True)
class Evidence:
    """What the record shows of how the trial was kept.

    `late` names what was settled after day 0 (lots, declaration) or laid down with a start in the past, each with its
    day; `after_opening` and `pours_after_opening` are changes made with the envelope open; `read_elsewhen` readings
    with another true day than planned: (planned day, true day, how many); `readings_entered_late`,
    `pours_entered_late`: how many came on record long after; `readers_who_saw`: who read a blind trial on a device that
    shows who got what.
    """

    late: tuple[tuple[str, int], ...]
    after_opening: tuple[Correction, ...]
    pours_after_opening: tuple[PourChange, ...]
    read_elsewhen: tuple[tuple[int, int, int], ...]
    readings_entered_late: int
    pours_entered_late: int
    pours_not_on_record: int
    readers_who_saw: tuple[str, ...]


def evidence(trial: Trial, readings: Iterable[Reading], changes: Changes, today: date) -> Evidence:
    """Collect what the record shows, without weighing it."""
    evidence_seen = tuple(readings)
    planned = {round_.id: round_.day for round_ in trial.rounds}
    elsewhen: dict[tuple[int, int], int] = {}
    for late_reading in evidence_seen:
        day = None if late_reading.read_at is None else trial.day_of(late_reading.read_at.date())
        if day is not None and day != planned[late_reading.round_id]:
            elsewhen[planned[late_reading.round_id], day] = elsewhen.get((planned[late_reading.round_id], day), 0) + 1
    return Evidence(
        late=tuple(_late(trial)),
        after_opening=tuple(correction for correction in changes.corrections if not correction.sealed),
        pours_after_opening=tuple(pour for pour in changes.pours if not pour.sealed),
        read_elsewhen=tuple((plan, day, n) for (plan, day), n in sorted(elsewhen.items())),
        readings_entered_late=sum(_came_late(trial, reading, planned) for reading in evidence_seen),
        pours_entered_late=sum(
            (pour.entered_at.date() - pour.done_on).days > LONG_AFTER
            for pour in trial.pours
            if pour.entered_at is not None and pour.done_on is not None
        ),
        pours_not_on_record=sum(
            pour.status == "due" and pour.day <= trial.last_day and trial.date_of(pour.day) < today
            for pour in trial.pours
        ),
        readers_who_saw=tuple(sorted({reading.by for reading in evidence_seen if trial.blind and reading.saw})),
    )


def _late(trial: Trial) -> list[tuple[str, int]]:
    moments = (
        ("laid down", trial.made_at),
        ("lots dealt", trial.dealt_at),
        ("declared", None if trial.declared is None else trial.declared.at),
    )
    by = latest_plan(trial)
    return [(what, trial.day_of(at.date())) for what, at in moments if at is not None and at.date() > by]


def latest_plan(trial: Trial) -> date:
    """By when a trial is planned in time: before its day 0; one that is carried on, before it is read."""
    return trial.date_of(trial.rounds[0].day) if trial.rules.carried else trial.start_on


def _came_late(trial: Trial, reading: Reading, planned: dict[int, int]) -> bool:
    """Whether a reading came on record long after it was read, or planned where its file does not say when."""
    if reading.came_at is None or not reading.source:
        return False
    read_on = trial.date_of(planned[reading.round_id]) if reading.read_at is None else reading.read_at.date()
    return (reading.came_at.date() - read_on).days > LONG_AFTER
