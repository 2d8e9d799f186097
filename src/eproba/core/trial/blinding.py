"""Who may see who got what: in a blind trial the one who pours, never the one who reads, until the envelope opens."""

from collections.abc import Iterable
from dataclasses import replace
from datetime import date

from eproba.core.trial.model import Reading, Trial


def hides_lots(trial: Trial, today: date, pours: bool) -> bool:
    """Whether this trial's lots are hidden from somebody who reads (`pours` False)."""
    return trial.blind and not pours and trial.sealed(today)


def shown_to(trial: Trial, today: date, pours: bool) -> Trial:
    """The trial as somebody may see it: with hidden lots, no unit bears a letter, and nothing is left from which the
    lots could be dealt again (seed, declared facts, amounts of single units)."""
    return without_lots(trial) if hides_lots(trial, today, pours) else trial


def in_a_file(trial: Trial, today: date, readings: Iterable[Reading]) -> Trial:
    """The trial as it may leave beside its readings: while the envelope is shut and there is something to see, nobody's
    file tells who got what."""
    return without_lots(trial) if tells_too_early(trial, today, readings) else trial


def tells_too_early(trial: Trial, today: date, readings: Iterable[Reading]) -> bool:
    """Whether lots beside these readings would be a look into a shut envelope: anything was read after day 0."""
    if not trial.sealed(today):
        return False
    later = {round_.id for round_ in trial.rounds if round_.day > 0}
    return any(reading.value is not None and reading.round_id in later for reading in readings)


def peeks(trial: Trial, today: date, readings: Iterable[Reading]) -> bool:
    """Whether a file with lots and readings would be an early look that nobody has put on record for today."""
    looked = any(look.day == trial.day_of(today) for look in trial.looks)
    return not looked and tells_too_early(trial, today, readings)


def without_lots(trial: Trial) -> Trial:
    """The trial without who got what, and without anything from which that could be dealt again."""
    declared = None if trial.declared is None else replace(trial.declared, facts={})
    return replace(
        trial,
        units=tuple(replace(unit, letter="") for unit in trial.units),
        pours=tuple(replace(pour, unit_amounts={}) for pour in trial.pours),
        seed="",
        declared=declared,
    )
