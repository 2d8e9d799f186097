"""Back-scheduling: from the applications of all running trials to standing water, start, ready, strain, use-by.

Greedy and optimal in the number of batches (interval stabbing): the first pour not yet served gets a batch that is
ready for it, and that batch serves every later pour of the same recipe for as long as it keeps.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from itertools import groupby

from eproba.core.brewing.batches import GONE, STANDING_HOURS, standing
from eproba.core.brewing.clock import keeps_until, ready_at, ready_window, use_by
from eproba.core.brewing.events import Batch, left
from eproba.core.brewing.recipe import Recipe
from eproba.core.trial.model import Sharing

SHARINGS: dict[Sharing, str] = {
    "shared": "one brew for as long as it keeps", "fresh": "a fresh brew for each pour",
    "parallel": "two brews side by side, dealt to the blocks",
}  # fmt: skip
ENOUGH = 0.95  # of what a pour needs: the rest is within a can’s rounding
SLACK = 0.5  # of the span between the shortest and the longest time, so that a cold spell does not miss the pour
MARGIN_HOURS = 12.0  # a brew is planned to be ready so long before its pour, or a quarter of what it brews or keeps
STRAINING = 0.08  # of a brew stays in the cloth (5 to 10 %)
LEAST = 0.5  # litres: less ferments unevenly, and can’t be measured
PARALLEL = 2  # brews side by side


@dataclass(frozen=True)
class Pouring:
    """One application that needs a brew: `litres` of concentrate at a time; `water` is what dilutes it. `id` names it
    however its day moves."""

    trial_id: int
    trial: str
    letter: str
    at: datetime
    litres: float
    day: int = 0
    sharing: Sharing = "shared"
    water: float = 0.0
    id: int = 0


@dataclass(frozen=True)
class Brewing:
    """One batch to be made: when water stands, when it starts, is ready (from, planned, to), until when it keeps, how
    much, what it serves; `late`: the pours that it can’t be ready for."""

    recipe: Recipe
    stand: datetime | None
    start: datetime
    ready_from: datetime
    ready: datetime
    ready_to: datetime
    until: datetime | None
    litres: float
    serves: tuple[Pouring, ...]
    late: tuple[Pouring, ...] = ()
    hurried: bool = False
    side: int = 0

    @property
    def trials(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(serve.trial for serve in self.serves))


def planned_hours(recipe: Recipe) -> float:
    """Hours from start to ready that the calendar reckons with."""
    low, high = recipe.hours
    return low + SLACK * (high - low)


def margin(recipe: Recipe) -> timedelta:
    """How long before its pour a brew is planned to be ready."""
    keeps = (recipe.keeps_hours,) if recipe.keeps_hours is not None else ()
    return timedelta(hours=min(MARGIN_HOURS, *(hours / 4 for hours in (recipe.hours[0], *keeps))))


def to_brew(recipe: Recipe, litres: float) -> float:
    """How much is brewed for so much to be poured: a share stays in the cloth, and too little is no brew."""
    if not recipe.brews:
        return litres
    strained = litres / (1 - STRAINING) if recipe.strain and recipe.liquid else litres
    least = recipe.least if recipe.least is not None else min(LEAST, recipe.yields) if recipe.liquid else 0.0
    return max(strained, least)


def back_schedule(
    needs: Iterable[tuple[Recipe, Pouring]], stands: bool = True, now: datetime | None = None
) -> list[Brewing]:
    """Batches for all pours, the first to start first. `stands`: the water is tap water that stands for a day; what
    should have begun before `now` begins at once, and the pours that it can’t be ready for are told.

    Several pours of one recipe share a batch while it keeps, over all trials; the verdict then speaks of one brew.
    """
    groups: dict[tuple[str, int, Sharing], tuple[Recipe, list[Pouring]]] = {}
    for recipe, pouring in needs:
        whose = 0 if pouring.sharing == "shared" else pouring.trial_id
        groups.setdefault((recipe.key, whose, pouring.sharing), (recipe, []))[1].append(pouring)
    planned = [
        batch
        for (_, _, sharing), (recipe, pours) in groups.items()
        for batch in _of_one(recipe, sorted(pours, key=lambda pour: pour.at), sharing, stands, now)
    ]
    return sorted(planned, key=lambda batch: (batch.stand or batch.start, batch.recipe.key, batch.side))


def _of_one(
    recipe: Recipe, pours: Sequence[Pouring], sharing: Sharing, stands: bool, now: datetime | None
) -> Iterator[Brewing]:
    left_over = list(pours)
    while left_over:
        brewing = _timed(recipe, left_over[0].at, stands, now)
        last = brewing.until if sharing == "shared" else left_over[0].at
        served = [
            pouring for pouring in left_over if last is None or pouring.at <= last or pouring.at < brewing.ready_from
        ]
        late = tuple(pouring for pouring in served if pouring.at < brewing.ready_from) if brewing.hurried else ()
        sides = PARALLEL if sharing == "parallel" else 1
        litres = to_brew(recipe, sum(pouring.litres for pouring in served) / sides)
        brewing = replace(brewing, litres=litres, serves=tuple(served), late=late)
        yield from (replace(brewing, side=side) for side in (range(1, sides + 1) if sides > 1 else (0,)))
        left_over = left_over[len(served) :]


def _timed(recipe: Recipe, first: datetime, stands: bool, now: datetime | None) -> Brewing:
    """The days of one batch whose first pour is at a moment."""
    watered = stands and recipe.liquid and any(portion.ingredient.key == "water" for portion in recipe.portions)
    standing_time = timedelta(hours=STANDING_HOURS if watered else 0.0)
    shortest, longest = (timedelta(hours=hours) for hours in recipe.hours)
    planned = timedelta(hours=planned_hours(recipe))
    start = first - margin(recipe) - planned
    hurried = now is not None and start - standing_time < now and (recipe.brews or first < now)
    if hurried and now is not None:
        start = now + standing_time
    ready = start + planned
    return Brewing(
        recipe=recipe,
        stand=start - standing_time if watered else None,
        start=start,
        ready_from=start + shortest,
        ready=ready,
        ready_to=start + longest,
        until=keeps_until(recipe, ready),
        litres=0.0,
        serves=(),
        hurried=hurried,
    )


@dataclass(frozen=True)
class Stock:
    """A batch that is there: the span in which it can be poured, and its litres."""

    batch_id: int
    recipe_key: str
    ready: datetime
    until: datetime | None
    litres: float


def stock_of(batch: Batch, now: datetime) -> Stock | None:
    """What a batch on the shelf can still serve; None for what is gone, or to be thrown away."""
    if standing(batch, now).state in (*GONE, "throw away"):
        return None
    then = batch.until(now)
    ready, window, until = ready_at(then), ready_window(then), use_by(then)
    if ready is None:
        ready = window[0] if window is not None else now + timedelta(hours=batch.recipe.hours[0])
    return Stock(batch.id, batch.recipe.key, ready, until or keeps_until(batch.recipe, max(ready, now)), left(then))


def served_by(
    needs: Iterable[tuple[Recipe, Pouring]], stock: Sequence[Stock], now: datetime
) -> tuple[dict[int, list[Pouring]], list[tuple[Recipe, Pouring]]]:
    """Which pours the shelf serves, by batch, the oldest batch first; and the needs that are left.

    A pour that is overdue is poured now. One that a running brew misses waits for it, where a new brew comes no sooner.
    """
    litres_left = {batch.batch_id: batch.litres for batch in stock}
    serves: dict[int, list[Pouring]] = {}
    open_needs = []
    for recipe, pouring in sorted(needs, key=lambda need: need[1].at):
        at = max(pouring.at, now)
        soonest = max(at, now + timedelta(hours=recipe.hours[0]))
        fit = [
            kept_batch
            for kept_batch in sorted(stock, key=lambda batch: batch.ready)
            if kept_batch.recipe_key == recipe.key
            and kept_batch.ready <= soonest
            and (kept_batch.until is None or at <= kept_batch.until)
            and litres_left[kept_batch.batch_id] >= pouring.litres * ENOUGH
        ]
        if fit:
            litres_left[fit[0].batch_id] -= pouring.litres
            serves.setdefault(fit[0].batch_id, []).append(pouring)
        else:
            open_needs.append((recipe, pouring))
    return serves, open_needs


@dataclass(frozen=True)
class Standby:
    """Water that stands for the pours of one day: to dilute with, and for controls."""

    at: datetime
    dilution: float
    control: float
    trials: tuple[str, ...]

    @property
    def litres(self) -> float:
        return self.dilution + self.control


def water_to_stand(pours: Iterable[tuple[Pouring, bool]]) -> list[Standby]:
    """Tap water to be set out a day before each day’s pours; each pour with whether it is plain water."""
    ordered = sorted(pours, key=lambda pour: pour[0].at)
    waters = []
    for at, together in groupby(ordered, key=lambda standing: standing[0].at):
        same = list(together)
        control = sum(pour.water for pour, plain in same if plain)
        dilution = sum(pour.water for pour, plain in same if not plain)
        names = tuple(dict.fromkeys(pour.trial for pour, _ in same))
        if dilution + control > 0:
            waters.append(Standby(at - timedelta(hours=STANDING_HOURS), dilution, control, names))
    return waters
