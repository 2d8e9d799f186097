"""Pours whose day is over, put on record at one go: as planned, left out, or the last of them still to come."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from eproba.core.brewing.batches import why_not_pour
from eproba.core.brewing.events import Batch, BatchError, left
from eproba.core.brewing.mixing import poured_concentrate
from eproba.core.trial.doses import planned_dose, second_brew
from eproba.core.trial.model import Pour, Trial
from eproba.store.brewing import when
from eproba.store.commands.pours import PourLog


def left_out(trial: Trial, pour: Pour) -> PourLog:
    return PourLog(pour, {"status": "skipped", "done_on": trial.date_of(pour.day), "note": "left out"}, {})


@dataclass
class AsPlanned:
    """Pours that were done as planned, the first first: each from the oldest brew that was good for it then."""

    trial: Trial
    shelf: Sequence[Batch]
    litres: dict[int, float] = field(default_factory=dict)

    def log(self, pour: Pour) -> PourLog:
        """What is put on record of a pour, and what it took from which batch."""
        dose, on = planned_dose(self.trial, pour), self.trial.date_of(pour.day)
        took = self._took(pour, when(on))
        brews: list[int | None] = [*took, None, None]
        values: dict[str, Any] = {
            "status": "poured", "done_on": on, "done_at": when(on), "note": "put down later, as planned",
            "amount_each": None if dose is None else dose.amount, "amount": "" if dose is None else dose.words,
            "batch_id": brews[0], "other_batch_id": brews[1],
        }  # fmt: skip
        return PourLog(pour, values, took)

    def _took(self, pour: Pour, at: datetime) -> dict[int, float]:
        """Litres by batch; none where no brew on record was good then."""
        treatment, dose = self.trial.treatment(pour.letter), planned_dose(self.trial, pour)
        if pour.what != "dose" or dose is None or not treatment.recipe:
            return {}
        units = [unit for unit in self.trial.given_to(pour.letter, pour.what, pour.day) if unit.lost_on is None]
        second = second_brew(units) if treatment.sharing == "parallel" else frozenset()
        took: dict[int, float] = {}
        for side in (False, True) if second else (False,):
            given = [dose.of(unit.cut) for unit in units if (unit.code in second) == side]
            own = [batch for batch in self._good(treatment.recipe, at) if batch.id not in took]
            wanted = {
                batch.id: poured_concentrate(batch.recipe, given, dose.unit, treatment.water_parts) for batch in own
            }
            batch_id = next((number for number, litres in wanted.items() if self.litres[number] >= litres), None)
            if batch_id is None:
                return {}
            took[batch_id] = wanted[batch_id]
        for batch_id, litres in took.items():
            self.litres[batch_id] -= litres
        return took

    def _good(self, recipe: str, at: datetime) -> list[Batch]:
        """The brews of a recipe that could be poured then, the oldest first."""
        own = [batch for batch in self.shelf if batch.recipe.key == recipe and _was_good(batch, at)]
        for batch in own:
            self.litres.setdefault(batch.id, left(batch))
        return sorted(own, key=lambda batch: batch.mixed_at or at)


def _was_good(batch: Batch, at: datetime) -> bool:
    try:
        return not why_not_pour(batch, at)
    except BatchError:
        return False
