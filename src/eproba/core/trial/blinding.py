"""Who may see who got what: in a blind trial the one who pours, never the one who reads, until the envelope opens."""

from dataclasses import replace
from datetime import date

from eproba.core.trial.model import Trial


def hides_lots(trial: Trial, today: date, pours: bool) -> bool:
    """Whether this trial's lots are hidden from somebody who reads (`pours` False)."""
    return trial.blind and not pours and trial.sealed(today)


def shown_to(trial: Trial, today: date, pours: bool) -> Trial:
    """The trial as somebody may see it: with hidden lots, no unit bears a letter, and nothing is left from which the
    lots could be dealt again (seed, declared facts, amounts of single units)."""
    if not hides_lots(trial, today, pours):
        return trial
    declared = None if trial.declared is None else replace(trial.declared, facts={})
    return replace(
        trial,
        units=tuple(replace(unit, letter="") for unit in trial.units),
        pours=tuple(replace(pour, unit_amounts={}) for pour in trial.pours),
        seed="",
        declared=declared,
    )
