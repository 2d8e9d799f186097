"""What a brew of the rehearsal really does: ready at an hour of its own, good or spoiled, and how it then looks."""

from collections.abc import Mapping

from eproba.core.brewing.clock import brewed_hours
from eproba.core.brewing.events import Batch
from eproba.core.brewing.recipe import SIGNS, Recipe
from eproba.rehearsal.temper import Temper

SPOILED = 0.3  # of the slips of a careless household: a lid left open, a bucket in the sun


def ready_hours(temper: Temper, batch: Batch) -> float:
    """The hour of its clock at which it is ready, anywhere within what its recipe says."""
    low, high = batch.recipe.hours
    mixed = batch.mixed_at
    return high if mixed is None else low + (high - low) * temper.chance(f"ready {batch.id}", mixed.date())


def is_spoiled(temper: Temper, batch: Batch) -> bool:
    mixed = batch.mixed_at
    return mixed is not None and temper.slips(f"spoiled {batch.id}", mixed.date(), SPOILED)


def signs(temper: Temper, batch: Batch, hours: float) -> Mapping[str, str]:
    """What is seen of a brew after so many hours of its clock."""
    recipe = batch.recipe
    if is_spoiled(temper, batch) and recipe.away_signs:
        sign, looks = next(iter(recipe.away_signs.items()))
        return {sign: looks[0]}
    ready = hours >= ready_hours(temper, batch) - 1e-6
    wanted = recipe.ready or {}
    return {sign: looks[0] if ready else _not_yet(recipe, sign) for sign, looks in wanted.items()}


def _not_yet(recipe: Recipe, sign: str) -> str:
    """A look of a sign that is neither ready nor a reason to throw the brew away."""
    ready, away = (recipe.ready or {}).get(sign, ()), recipe.away_signs.get(sign, ())
    return next((look for look in SIGNS[sign] if look not in ready and look not in away), ready[0])


def seen_now(temper: Temper, batch: Batch, now_hours: float | None = None) -> Mapping[str, str]:
    """What is seen of it at its last event, or after so many hours."""
    last = batch.events[-1].at
    return signs(temper, batch, brewed_hours(batch, last) if now_hours is None else now_hours)
