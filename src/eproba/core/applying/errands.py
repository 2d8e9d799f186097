"""What is to be done for brews, day by day: for those to come, for those on the shelf, and water between and before."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from itertools import pairwise
from typing import Literal

from eproba.core.applying.schedule import QUICK, Brewing, Pouring, Standby, is_over
from eproba.core.brewing.batches import CAN_BE_POURED, STANDING_HOURS, next_look, next_stirring, standing
from eproba.core.brewing.clock import ready_window, use_by
from eproba.core.brewing.events import Batch
from eproba.core.brewing.recipe import Recipe
from eproba.core.brewing.warmth import why_slow
from eproba.core.quantities import METRIC, Amount, Units
from eproba.core.words import day_words, listed, lower_first

Errand = Literal["late", "wait", "stand", "start", "mix", "stir", "check", "strain", "use by", "throw away", "water"]
WORDS: dict[Errand, str] = {
    "late": "Start now:", "wait": "Wait for", "stand": "Set out water for", "start": "Start", "mix": "Mix",
    "stir": "Stir", "check": "Look at", "strain": "Strain", "use by": "Last day of", "throw away": "Throw away",
    "water": "Water",
}  # fmt: skip
MOST_STIRRINGS = 60
BEFORE_THE_POUR = timedelta(hours=1)  # what lives on air is strained so long before


@dataclass(frozen=True)
class Job:
    """One thing to do for brews, with `more` of it where a word is not enough.

    `key` stays the same however the day moves; `batch_id` where it is on the shelf; `late` the pours that can’t be met,
    `ready_on` when the brew for them is.
    """

    at: datetime
    kind: Errand
    words: str
    minutes: float
    key: str
    recipe: Recipe | None = None
    litres: float = 0.0
    serves: tuple[Pouring, ...] = ()
    late: tuple[Pouring, ...] = ()
    batch_id: int | None = None
    ready_on: date | None = None
    more: str = ""


def jobs(brewing: Brewing, past: datetime, units: Units = METRIC) -> list[Job]:
    """The errands of one planned batch that are not over by `past`, in order; quick brews are made at the pour.

    A brew that should have begun already is one errand: nothing can be stirred or strained that does not stand there.
    """
    if brewing.late:
        job = _job(brewing, "late", brewing.stand or brewing.start, brewing.recipe.minutes, units)
        return [_late(job, brewing.late, brewing.ready_from, brewing.ready)]
    if not brewing.recipe.brews:
        return []
    wanted = [_job(brewing, "stand", brewing.stand, 2, units)] if brewing.stand is not None else []
    start = _job(brewing, "start", brewing.start, brewing.recipe.minutes, units)
    wanted.append(replace(start, more=_tight(brewing) or why_slow(brewing.recipe, brewing.warmth, units)))
    if not brewing.hurried:
        wanted += _stirrings(brewing, units)
        if brewing.recipe.hours[1] > QUICK:
            wanted.append(_job(brewing, "strain" if brewing.recipe.strain else "check", brewing.ready, 5, units))
    return [job for job in wanted if job.at >= past]


def _late(job: Job, late: tuple[Pouring, ...], first: datetime, last: datetime) -> Job:
    """One errand for pours that no brew can meet: what comes late, what to do at once, when it is ready."""
    days = listed([day_words(day) for day in dict.fromkeys(pour.at.date() for pour in late)])
    ready = _between(*(day_words(at.date()) for at in (first, last)))
    words = f"The {'pour' if len(late) == 1 else 'pours'} on {days} will be late"
    more = f"{job.words}. It should be ready {ready}."
    return replace(job, kind="late", words=words, more=more, late=late, ready_on=(first + (last - first) / 2).date())


def _tight(brewing: Brewing) -> str:
    """What to say of a brew that should have begun already, and can still be ready in time."""
    first, last = (day_words(at.date()) for at in (brewing.ready_from, brewing.ready))
    return f"Start it now, and it should be ready {_between(first, last)}." if brewing.hurried else ""


def _between(first: str, last: str) -> str:
    return f"on {first}" if first == last else f"between {first} and {last}"


def _stirrings(brewing: Brewing, units: Units) -> list[Job]:
    every = brewing.recipe.stir_hours
    if every is None:
        return []
    span = (brewing.ready - brewing.start).total_seconds() / 3600
    times = min(MOST_STIRRINGS, math.ceil(span / every) - 1)
    return [_job(brewing, "stir", brewing.start + timedelta(hours=every * n), 2, units, n) for n in range(1, times + 1)]


def _job(brewing: Brewing, kind: Errand, at: datetime, minutes: float, units: Units, number: int = 0) -> Job:
    words = f"{WORDS[kind]} {lower_first(brewing.recipe.title)}"
    if kind in ("late", "stand", "start"):
        words += f", {units(Amount(brewing.litres, 'L' if brewing.recipe.liquid else brewing.recipe.yields_unit))}"
    if brewing.side:
        words += f" ({'first' if brewing.side == 1 else 'second'} of two side by side)"
    key = f"{kind}-{number}-{brewing.side}-{brewing.recipe.key}-{brewing.serves[0].id}"
    return Job(at, kind, words, minutes, key, brewing.recipe, brewing.litres, brewing.serves)


def on_the_shelf(batch: Batch, serves: Sequence[Pouring], now: datetime, until: datetime) -> list[Job]:
    """What a batch that stands there wants until a moment: mixing, stirring, a look, straining, its last day."""
    pending = [job for job in _wanted(batch, tuple(serves), now, until) if job.at < until]
    return sorted(pending, key=lambda job: job.at)


def _wanted(batch: Batch, serves: tuple[Pouring, ...], now: datetime, until: datetime) -> list[Job]:
    where, then = standing(batch, now).state, batch.until(now)
    if where == "throw away":
        return [_there(batch, serves, "throw away", now, 5)]
    if where == "standing":
        mix = (then.first("water set out") or now) + timedelta(hours=STANDING_HOURS)
        return [_there(batch, serves, "mix", mix, batch.recipe.minutes)]
    if where == "brewing":
        window = ready_window(then)
        look = now if window is None else _look_at(then, serves, window)
        stirs = _stirrings_there(batch, then, now, min(look, until))
        check = _there(batch, serves, "check", look, 5)
        late = tuple(pour for pour in serves if window is not None and is_over(pour, max(window[0], now)))
        late_jobs = [_late(_there(batch, serves, "wait", now, 0), late, *window)] if late and window is not None else []
        return [*late_jobs, *(_there(batch, serves, "stir", at, 2, n) for n, at in stirs), check]
    if where == "ready" and batch.recipe.strain and batch.recipe.brews:
        return [_there(batch, serves, "strain", _strain_at(batch, serves, now), 5)]
    last = use_by(then)
    return [_there(batch, serves, "use by", last, 0)] if where in CAN_BE_POURED and last is not None else []


def _look_at(batch: Batch, serves: tuple[Pouring, ...], window: tuple[datetime, datetime]) -> datetime:
    """When to look at a brew. Its keeping runs from when it is found ready: where it has to last for its pours, it is
    looked at as late as its time allows, and never later."""
    look, keeps = next_look(batch) or window[0], batch.recipe.keeps_hours
    last = batch.last("looked at")
    for pour in serves:
        if last is not None and last.at < pour.at < look:
            look = max(pour.at, window[0])  # once more before it is poured
    if keeps is None or not serves or batch.recipe.keeps_from != "ready":
        return look
    lasts = max(pour.at for pour in serves) - timedelta(hours=keeps)
    return max(look, min(lasts, window[1]))


def _strain_at(batch: Batch, serves: tuple[Pouring, ...], now: datetime) -> datetime:
    """When to strain: at once, but for what lives on air: that ends with the straining, so it is done at the pour."""
    if batch.recipe.keeps_from != "air off" or not serves:
        return now
    return max(now, min(pour.at for pour in serves) - BEFORE_THE_POUR)


def _there(
    batch: Batch, serves: tuple[Pouring, ...], kind: Errand, at: datetime, minutes: float, number: int = 0
) -> Job:
    name = f" “{batch.name}”" if batch.name else ""
    words = f"{WORDS[kind]} {lower_first(batch.recipe.title)}{name}"
    key = f"{kind}-{number}-batch-{batch.id}"
    return Job(at, kind, words, minutes, key, batch.recipe, batch.litres, serves, batch_id=batch.id)


def _stirrings_there(batch: Batch, then: Batch, now: datetime, until: datetime) -> list[tuple[int, datetime]]:
    """The stirrings to come, numbered from the mixing on, so that each keeps its place in a calendar."""
    due, every, mixed = next_stirring(then), batch.recipe.stir_hours, batch.mixed_at
    stirrings: list[tuple[int, datetime]] = []
    while due is not None and every is not None and due + timedelta(hours=every) <= now:
        due += timedelta(hours=every)  # of several that were missed one is left to be done
    while (
        due is not None and every is not None and mixed is not None and due < until and len(stirrings) < MOST_STIRRINGS
    ):
        stirrings.append((round((due - mixed).total_seconds() / 3600 / every), due))
        due += timedelta(hours=every)
    return stirrings


def standing_water(waters: Iterable[Standby], past: datetime, units: Units = METRIC) -> list[Job]:
    """Tap water to be set out for dilution and controls."""
    return [_standing_water(water, units) for water in waters if water.at >= past]


def _standing_water(water: Standby, units: Units) -> Job:
    names = list(dict.fromkeys(pour.trial for pour in water.pours))
    words = f"Set out {units(Amount(half_litres(water.litres), 'L'))} of tap water for {listed(names)}"
    parts = [(water.dilution, "for diluting"), (water.control, "for the control units")]
    parts_text = listed([f"{units(Amount(litres, 'L'))} {what}" for litres, what in parts if litres > 0])
    more = f"{parts_text[:1].upper()}{parts_text[1:]}."
    key = f"water-{water.id}"
    return Job(water.at, "stand", words, 2, key, litres=water.litres, serves=water.pours, more=more)


def half_litres(litres: float) -> float:
    """As a person fills a can: up to the next half litre."""
    return math.ceil(2 * litres - 1e-6) / 2


def plain_waterings(pours: Iterable[tuple[Recipe, Pouring]], past: datetime) -> list[Job]:
    """Plain waterings between two applications, where a recipe wants them: all units of the trial alike."""
    rows: dict[tuple[int, str], list[Pouring]] = {}
    wanted: dict[tuple[int, str], Recipe] = {}
    for recipe, pour in pours:
        if recipe.plain_between and not pour.each_watering:
            rows.setdefault((pour.trial_id, pour.letter), []).append(pour)
            wanted[pour.trial_id, pour.letter] = recipe
    waterings = []
    for place, row in rows.items():
        ordered, recipe = sorted(row, key=lambda pour: pour.at), wanted[place]
        for one, two in pairwise(ordered):
            for n in range(1, recipe.plain_between + 1):
                at = one.at + n * (two.at - one.at) / (recipe.plain_between + 1)
                title = lower_first(recipe.title)
                words = f"Give plain water between two pours of {title}, the same to every unit: {one.trial}"
                key = f"between-{n}-{one.id}"
                waterings.append(Job(at, "water", words, 5, key, recipe, serves=(one,)))
    return [job for job in waterings if job.at >= past]
