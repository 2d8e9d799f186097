"""Back-scheduling: from the applications of all running trials to standing water, start, ready, strain, use-by.

Greedy and optimal in the number of batches (interval stabbing): the first pour not yet served gets a batch that is
ready for it, and that batch serves every later pour of the same recipe for as long as it keeps.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from eproba.core.brewing.batches import (
    AWAY,
    GONE,
    STANDING_HOURS,
    Batch,
    ready_at,
    ready_window,
    ruled,
    state,
)
from eproba.core.brewing.recipe import Recipe
from eproba.core.words import lower_first

Errand = Literal["stand", "start", "stir", "check", "strain", "use by"]
WORDS: dict[Errand, str] = {
    "stand": "Let water stand for", "start": "Start", "stir": "Stir", "check": "Check", "strain": "Strain",
    "use by": "Last day of",
}  # fmt: skip
ENOUGH = 0.95  # of what a pour needs: the rest is within a can’s rounding
SLACK = 0.5  # of the span between the shortest and the longest time, so that a cold spell does not miss the pour


@dataclass(frozen=True)
class Pouring:
    """One application that needs a brew: `litres` of concentrate at a time."""

    trial_id: int
    trial: str
    letter: str
    at: datetime
    litres: float


@dataclass(frozen=True)
class Brewing:
    """One batch to be made: when water stands, when it starts, is ready, until when it keeps, what it serves."""

    recipe: Recipe
    stand: datetime | None
    start: datetime
    ready: datetime
    until: datetime | None
    litres: float
    serves: tuple[Pouring, ...]

    @property
    def trials(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(each.trial for each in self.serves))


def planned_hours(recipe: Recipe) -> float:
    """Hours from start to ready that the calendar reckons with."""
    low, high = recipe.hours
    return low + SLACK * (high - low)


def back_schedule(needs: Iterable[tuple[Recipe, Pouring]], stands: bool = True) -> list[Brewing]:
    """Batches for all pours, the first to start first. `stands`: the water is tap water that stands for a day.

    Several pours of one recipe share a batch while it keeps, over all trials; the verdict then speaks of one brew.
    """
    by_recipe: dict[str, tuple[Recipe, list[Pouring]]] = {}
    for recipe, pouring in needs:
        by_recipe.setdefault(recipe.key, (recipe, []))[1].append(pouring)
    planned = [
        batch
        for recipe, pours in by_recipe.values()
        for batch in _of_one(recipe, sorted(pours, key=lambda each: each.at), stands)
    ]
    return sorted(planned, key=lambda batch: (batch.stand or batch.start, batch.recipe.key))


def _of_one(recipe: Recipe, pours: Sequence[Pouring], stands: bool) -> list[Brewing]:
    keeps = math.inf if recipe.keeps_hours is None else recipe.keeps_hours
    planned, i = [], 0
    while i < len(pours):
        ready = pours[i].at
        end = i
        while end < len(pours) and (pours[end].at - ready).total_seconds() <= 3600 * keeps:
            end += 1
        planned.append(_batch(recipe, ready, tuple(pours[i:end]), keeps, stands))
        i = end
    return planned


def _batch(recipe: Recipe, ready: datetime, serves: tuple[Pouring, ...], keeps: float, stands: bool) -> Brewing:
    start = ready - timedelta(hours=planned_hours(recipe))
    watered = any(each.ingredient.key == "water" for each in recipe.portions)
    return Brewing(
        recipe=recipe,
        stand=start - timedelta(hours=STANDING_HOURS) if stands and watered and recipe.liquid else None,
        start=start,
        ready=ready,
        until=None if keeps == math.inf else ready + timedelta(hours=keeps),
        litres=sum(each.litres for each in serves),
        serves=serves,
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
    """What a batch on the shelf can still serve; None for what is gone, or ruled out by its last check."""
    last = ruled(batch, now)
    if state(batch, now) in GONE or (last is not None and last.ruling == AWAY):
        return None
    ready, window = ready_at(batch), ready_window(batch, now)
    if ready is None:
        ready = window[0] if window is not None else now + timedelta(hours=batch.recipe.hours[0])
    keeps = batch.recipe.keeps_hours
    return Stock(
        batch.id, batch.recipe.key, ready, None if keeps is None else ready + timedelta(hours=keeps), batch.left
    )


def served_by(
    needs: Iterable[tuple[Recipe, Pouring]], stock: Sequence[Stock], now: datetime
) -> tuple[dict[int, list[Pouring]], list[tuple[Recipe, Pouring]]]:
    """Which pours the shelf serves, by batch, the oldest batch first; and the needs that are left.

    A pour that is overdue is poured now.
    """
    left = {each.batch_id: each.litres for each in stock}
    serves: dict[int, list[Pouring]] = {}
    open_needs = []
    for recipe, pouring in sorted(needs, key=lambda need: need[1].at):
        at = max(pouring.at, now)
        fit = [
            each
            for each in sorted(stock, key=lambda each: each.ready)
            if each.recipe_key == recipe.key
            and each.ready <= at
            and (each.until is None or at <= each.until)
            and left[each.batch_id] >= pouring.litres * ENOUGH
        ]
        if fit:
            left[fit[0].batch_id] -= pouring.litres
            serves.setdefault(fit[0].batch_id, []).append(pouring)
        else:
            open_needs.append((recipe, pouring))
    return serves, open_needs


@dataclass(frozen=True)
class Job:
    """One thing to do for a brew on a day."""

    at: datetime
    kind: Errand
    recipe: Recipe
    litres: float
    words: str
    minutes: float
    serves: tuple[Pouring, ...]


def jobs(batch: Brewing, past: datetime) -> list[Job]:
    """The errands of one planned batch that are not over by `past`, in order; quick brews are made at the pour."""
    if not batch.recipe.brews and batch.stand is None:
        return []
    found = [_job(batch, "stand", batch.stand, 2)] if batch.stand is not None else []
    if batch.recipe.brews:
        found.append(_job(batch, "start", batch.start, batch.recipe.minutes))
        found += _stirrings(batch)
        if batch.recipe.hours[1] >= 12:
            found.append(_job(batch, "strain" if batch.recipe.strain else "check", batch.ready, 5))
    return [job for job in found if job.at >= past]


def _stirrings(batch: Brewing) -> list[Job]:
    every = batch.recipe.stir_hours
    if every is None:
        return []
    span = (batch.ready - batch.start).total_seconds() / 3600
    times = [batch.start + timedelta(hours=every * n) for n in range(1, math.ceil(span / every))]
    return [_job(batch, "stir", at, 2) for at in times]


def _job(batch: Brewing, kind: Errand, at: datetime, minutes: float) -> Job:
    name = batch.recipe.title
    words = f"{WORDS[kind]} {lower_first(name)}"
    if kind in ("stand", "start"):
        words += f", {batch.litres:.3g} {'L' if batch.recipe.liquid else batch.recipe.yields_unit}"
    return Job(at, kind, batch.recipe, batch.litres, words, minutes, batch.serves)
