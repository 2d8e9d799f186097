"""The one list of what is to be done, over all trials and the shelf; Today, calendar, files and feeds show it."""

from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta
from functools import cache
from typing import Any

from sqlalchemy import Integer, Row, Select, bindparam, func, select
from sqlalchemy.dialects.postgresql import ARRAY
from sqlmodel import Session, col

from eproba.core.applying.at_the_pour import Counsel, from_the_weather
from eproba.core.applying.catching_up import CatchUp, PoursOf, catch_up
from eproba.core.applying.due import Due
from eproba.core.applying.errands import Job
from eproba.core.applying.morning import DayLine, lines, only_of
from eproba.core.applying.schedule import ENOUGH, stock_of
from eproba.core.brewing.events import Batch
from eproba.core.brewing.recipe import Ground, Recipe
from eproba.core.brewing.warmth import Warmth, hours_here, warmth_of
from eproba.core.brewing.weather import Station, Weather, season_of, weather_at
from eproba.core.quantities import Units
from eproba.store.batches import batches
from eproba.store.brewing import POURING_HOUR, brewing_jobs, brews_due, end_of
from eproba.store.glances import asked_of, due_by
from eproba.store.kit import household_kit
from eproba.store.measures import household_units
from eproba.store.recipes import all_recipes
from eproba.store.tables import PourRow, TickRow, TreatmentRow, TrialRow

WEEK, AHEAD = timedelta(days=7), timedelta(hours=48)  # a day after the hour at which one pours
MOST = 2000


def day_list(
    session: Session,
    now: datetime,
    station: Station,
    until: date,
    stock: Sequence[Batch] | None = None,
    trial_id: int | None = None,
) -> list[DayLine]:
    """Every line from today to a day, that day included (of one trial alone, where it is named); what is overdue stands
    on today."""
    local = now.astimezone()
    today = local.date()
    shelf = batches(session) if stock is None else stock
    weather = weather_at(station, local, WEEK, AHEAD)
    season = season_of(weather)
    waiting = due_by(session, until, MOST, trial_id)
    jobs = brewing_jobs(session, local, end_of(until), shelf, season)
    asked = asked_of(session, {due.trial_id for due in waiting if due.kind == "round"})
    late = {due.trial_id: today for due in waiting if due.kind == "pour" and due.on < today}
    not_met = {job.late[0].trial_id: job.ready_on or today for job in jobs if job.kind == "late"}
    not_met = {number: on for number, on in not_met.items() if trial_id in (None, number)}
    ways_out = ways_of(session, {**not_met, **late}, local, shelf, season) if late or not_met else {}
    units = household_units(session)
    counsel = _counsel(waiting, weather, local, units)
    every = lines(today, waiting, jobs, asked, _ticked(session, jobs), ways_out, counsel, units)
    return every if trial_id is None else only_of(trial_id, every)


def _ticked(session: Session, jobs: Sequence[Job]) -> dict[str, float]:
    keys = [job.key for job in jobs if job.kind in ("stand", "water")]
    asked = select(col(TickRow.key), col(TickRow.litres)).where(col(TickRow.key).in_(keys))
    return {row.key: row.litres for row in session.connection().execute(asked)} if keys else {}


def water_stood(session: Session, key: str) -> datetime | None:
    """When the water of an errand was set out, by its tick; None where it was not."""
    row = session.get(TickRow, key)
    return None if row is None else row.at.astimezone()


def _counsel(waiting: Sequence[Due], weather: Weather, local: datetime, units: Units) -> list[tuple[Counsel, str]]:
    """What the weather has against pouring today, by trial, said in the morning."""
    at = max(local, local.replace(hour=POURING_HOUR.hour, minute=0, second=0, microsecond=0))
    poured = [due for due in waiting if due.on == local.date() and due.kind == "pour" and due.compared == "drench"]
    counsel = from_the_weather(weather, at, units) if poured else []
    return [(advice, due.trial_name) for advice in counsel for due in poured]


def ways_of(
    session: Session, missed: Mapping[int, date], now: datetime, shelf: Sequence[Batch], season: float | None = None
) -> dict[int, CatchUp]:
    """The first way out of pours that can’t be on their days, by trial: those before the day `missed`."""
    local, known = now.astimezone(), all_recipes(session)
    ground = household_kit(session).ground_on(local.date())
    of_trial: dict[int, list[Row[Any]]] = {}
    for row in session.connection().execute(_doses(), {"ids": list(missed)}):
        of_trial.setdefault(row.trial_id, []).append(row)
    wanted = {pour.id: (recipe, pour.litres) for recipe, pour in brews_due(session, local.date())}
    warmth, ways = warmth_of(shelf, local, season), dict[int, CatchUp]()
    for trial_id, own in of_trial.items():
        start_on = own[0].start_on
        today, first = (local.date() - start_on).days, (missed[trial_id] - start_on).days
        letters = dict.fromkeys(row.letter for row in own)
        treatments = [
            _pours_of(letter, [row for row in own if row.letter == letter], known, today, ground) for letter in letters
        ]
        last = max((row.day for row in own if _is_late(row, first)), default=0)
        brewed = [wanted[row.id] for row in own if row.day == last and row.id in wanted]
        ready = max([local, *(_ready(recipe, litres, shelf, local, warmth) for recipe, litres in brewed)])
        ready_day = (ready.astimezone().date() - start_on).days
        ways[trial_id] = catch_up(treatments, today, own[0].decision_day, ready_day, first)
    return ways


@cache
def _doses() -> Select:
    """All doses of some trials, each with what its treatment is brewed by."""
    t, p, trial = TreatmentRow, PourRow, TrialRow
    return (
        select(
            col(p.trial_id), col(p.id), col(p.letter), col(p.day), col(p.status), col(p.done_on), col(t.recipe),
            col(trial.start_on), col(trial.decision_day),
        )
        .join(p, col(p.trial_id) == col(trial.id))
        .join(t, (col(t.trial_id) == col(trial.id)) & (col(t.letter) == col(p.letter)))
        .where(col(trial.id) == func.any(bindparam("ids", type_=ARRAY(Integer))), col(p.what) == "dose")
        .order_by(col(p.day), col(p.letter))
    )  # fmt: skip


def _pours_of(letter: str, own: Sequence[Row[Any]], known: Mapping[str, Recipe], today: int, ground: Ground) -> PoursOf:
    recipe = known.get(own[0].recipe or "")
    done = [
        row.day if row.done_on is None else (row.done_on - row.start_on).days for row in own if row.status == "poured"
    ]
    return PoursOf(
        letter,
        tuple(row.day for row in own),
        tuple(done),
        tuple(row.day for row in own if row.status == "due"),
        0.0 if recipe is None else recipe.fewest_days(max(0, today), ground),
    )


def _is_late(row: Row[Any], first: int) -> bool:
    return bool(row.status == "due" and row.day < first)


def _ready(recipe: Recipe, litres: float, shelf: Sequence[Batch], now: datetime, warmth: Warmth) -> datetime:
    """When so much of a brew can be poured: now, when what is under way is ready, or when a new one would be."""
    if not recipe.brews:
        return now
    own = [stock for batch in shelf if batch.recipe.key == recipe.key and (stock := stock_of(batch, now, warmth))]
    hour = max(now, now.replace(hour=POURING_HOUR.hour, minute=0, second=0, microsecond=0))
    enough = [
        max(now, stock.ready)
        for stock in own
        if stock.litres >= litres * ENOUGH and (stock.until is None or stock.until >= max(hour, stock.ready))
    ]
    return min(enough, default=now + timedelta(hours=hours_here(recipe, warmth)[1]))
