"""Which units of a trial stand beside each other day by day, and what somebody said of them before he knew.

Rows are in an order that tells nothing of the lots.
"""

import hashlib
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from eproba.core.trial.model import Trial, Unit
from eproba.core.words import lower_first


@dataclass(frozen=True)
class Guess:
    """Who took which unit for the control's, among how many, before the envelope was open."""

    by: str
    unit_id: int
    among: int
    at: datetime


def strip_units(trial: Trial, photographed: Mapping[int, Collection[int]]) -> tuple[Unit, ...]:
    """One unit of each treatment that was photographed, the control's among them; empty where there is nothing to
    compare. `photographed`: the days of each unit's pictures, by its number."""
    seen = [unit for unit in trial.units if photographed.get(unit.id)]
    controls = [unit for unit in seen if unit.letter == trial.control]
    if not controls or len(controls) == len(seen):
        return ()
    best = max(controls, key=lambda control: (len(_beside(control, seen, photographed)), -control.walk))
    rows = [best]
    for treatment in trial.treatments:
        mine = [unit for unit in seen if unit.letter == treatment.letter != trial.control]
        if mine:
            days = set(photographed[best.id])
            rows.append(max(mine, key=lambda u: (len(days & set(photographed[u.id])), u.block == best.block, -u.walk)))
    return tuple(sorted(rows, key=lambda unit: _order(trial, unit)))


def _beside(control: Unit, seen: Sequence[Unit], photographed: Mapping[int, Collection[int]]) -> list[int]:
    """The days on which a control and any treated unit were photographed."""
    others = {day for unit in seen if unit.letter != control.letter for day in photographed[unit.id]}
    return [day for day in photographed[control.id] if day in others]


def _order(trial: Trial, unit: Unit) -> str:
    """An order that nobody can read the lots from."""
    return hashlib.sha256(f"{trial.key}:{unit.code}".encode()).hexdigest()


def guess_words(guess: Guess, trial: Trial) -> str:
    """What the eye said, and whether it was right."""
    unit = next((unit for unit in trial.units if unit.id == guess.unit_id), None)
    if unit is None:
        return ""
    right = unit.letter == trial.control
    who = guess.by or "Somebody"
    control = lower_first(trial.treatment(trial.control).name)
    outcome = "That was right." if right else "It was another one."
    return (
        f"Before the envelope was open, {who} took one row of the pictures for {control}. {outcome} By luck alone "
        f"1 guess in {guess.among} is right."
    )
