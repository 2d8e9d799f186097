"""How warm brews stand at this place: as it was measured last, else as the season is, else as the recipe wants it."""

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from eproba.core.brewing.clock import COLDEST_BREW, HOTTEST_BREW, WHOLE_DAYS, speed
from eproba.core.brewing.events import Batch
from eproba.core.brewing.recipe import Recipe, time_words
from eproba.core.quantities import METRIC, Amount, Units

OF_ITS_OWN, OF_ANY = timedelta(days=60), timedelta(days=14)  # so long a measured warmth speaks for the place


@dataclass(frozen=True)
class Warmth:
    """°C: `measured` last in a brew of each recipe, `latest` in any brew, `season` the mean of the last nights and days
    out of doors; None where nobody knows."""

    measured: Mapping[str, float] = field(default_factory=dict)
    latest: float | None = None
    season: float | None = None

    def of(self, recipe: Recipe) -> float | None:
        """The warmth that a new brew of a recipe is reckoned with; None: as its recipe wants it."""
        own = self.measured.get(recipe.key)
        return own if own is not None else self.latest if self.latest is not None else self.season


def warmth_of(batches: Iterable[Batch], now: datetime, season: float | None = None) -> Warmth:
    """What the thermometer said in the brews of this place; a fridge, and what can’t be a room, tell nothing."""
    readings = sorted(
        (event.at, batch.recipe.key, event.temperature)
        for batch in batches
        for event in batch.events
        if event.temperature is not None and COLDEST_BREW <= event.temperature <= HOTTEST_BREW and event.at <= now
        and event.what != "put cool"
    )  # fmt: skip
    measured = {key: degrees for at, key, degrees in readings if now - at <= OF_ITS_OWN}
    recent = [degrees for at, _, degrees in readings if now - at <= OF_ANY]
    return Warmth(measured, recent[-1] if recent else None, season)


def slowed(recipe: Recipe, warmth: Warmth) -> float:
    """How much longer than its recipe says a new brew takes here: 1 within its range and above, more where it is cool.
    A place that is too warm is no reason to start later."""
    degrees = warmth.of(recipe)
    if degrees is None or recipe.temperature is None or not recipe.brews:
        return 1.0
    return max(1.0, 1.0 / speed(recipe, max(degrees, COLDEST_BREW)) if degrees < recipe.temperature[0] else 1.0)


def hours_here(recipe: Recipe, warmth: Warmth) -> tuple[float, float]:
    """Hours from start to ready at this place, the fewest and the most. Where a slow brew takes longer than its recipe
    says, in whole days, so that it is begun and ready at hours at which people are up."""
    slow = slowed(recipe, warmth)
    low, high = (
        24.0 * math.ceil(slow * hours / 24.0) if slow > 1.0 and hours >= WHOLE_DAYS else slow * hours
        for hours in recipe.hours
    )
    return low, high


def why_slow(recipe: Recipe, warmth: Warmth, units: Units = METRIC) -> str:
    """Why a brew starts earlier than its recipe’s hours say; empty where it does not."""
    degrees = warmth.of(recipe)
    if slowed(recipe, warmth) <= 1.0 or degrees is None or recipe.temperature is None:
        return ""
    cool, wanted = (units(Amount(round(figure), "°C")) for figure in (degrees, recipe.temperature[0]))
    known = warmth.measured.get(recipe.key) is not None or warmth.latest is not None
    place = f"Your brews stand at {cool}" if known else f"Days and nights are near {cool} now"
    longest, usual = (time_words((hours, hours)) for hours in (hours_here(recipe, warmth)[1], recipe.hours[1]))
    return f"{place}, and this one wants {wanted} at least: it may take {longest} instead of {usual}."
