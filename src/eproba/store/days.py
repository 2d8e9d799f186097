"""The one list of what is to be done, over all trials and the shelf; Today, calendar, files and feeds show it."""

from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta

from sqlmodel import Session, col, select

from eproba.core.applying.at_the_pour import Counsel, from_the_weather
from eproba.core.applying.catching_up import CatchUp, PoursOf, catch_up
from eproba.core.applying.due import Due
from eproba.core.applying.errands import Job
from eproba.core.applying.morning import Line, lines
from eproba.core.applying.schedule import ENOUGH, stock_of
from eproba.core.brewing.events import Batch
from eproba.core.brewing.recipe import Ground, Recipe
from eproba.core.brewing.warmth import Warmth, hours_here, warmth_of
from eproba.core.brewing.weather import Station, Weather, season_of, weather_at
from eproba.core.quantities import Units
from eproba.store.batches import batches
from eproba.store.brewing import POURING_HOUR, brewing_jobs, end_of, needs
from eproba.store.glances import asked_of, due_by
from eproba.store.kit import household_kit
from eproba.store.measures import household_units
from eproba.store.recipes import all_recipes
from eproba.store.tables import PourRow, TickRow, TreatmentRow, TrialRow

WEEK, AHEAD = timedelta(days=7), timedelta(hours=36)
LONG_AGO = timedelta(days=800)  # no trial is older
MOST = 2000


def day_list(
    session: Session, now: datetime, station: Station, until: date, stock: Sequence[Batch] | None = None
) -> list[Line]:
    """Every line from today to a day, that day included; what is overdue stands on today."""
    local = now.astimezone()
    today = local.date()
    shelf = batches(session) if stock is None else stock
    weather = weather_at(station, local, WEEK, AHEAD)
    season = season_of(weather)
    waiting = due_by(session, until, limit=MOST)
    jobs = brewing_jobs(session, local, end_of(until), shelf, season)
    asked = asked_of(session, {due.trial_id for due in waiting if due.kind == "round"})
    late = {due.trial_id: today for due in waiting if due.kind == "pour" and due.on < today}
    not_met = {job.late[0].trial_id: job.ready_on or today for job in jobs if job.kind == "late"}
    ways_out = ways_of(session, {**not_met, **late}, local, shelf, season) if late or not_met else {}
    units = household_units(session)
    counsel = _counsel(waiting, weather, local, units)
    return lines(today, waiting, jobs, asked, _ticked(session, jobs), ways_out, counsel, units)


def _ticked(session: Session, jobs: Sequence[Job]) -> dict[str, float]:
    keys = [job.key for job in jobs if job.kind in ("stand", "water")]
    rows = session.exec(select(TickRow).where(col(TickRow.key).in_(keys))).all() if keys else []
    return {row.key: row.litres for row in rows}


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
    t, p = TreatmentRow, PourRow
    rows = session.exec(
        select(TrialRow, p, col(t.recipe))
        .join(p, col(p.trial_id) == col(TrialRow.id))
        .join(t, (col(t.trial_id) == col(TrialRow.id)) & (col(t.letter) == col(p.letter)))
        .where(col(TrialRow.id).in_(missed), col(p.what) == "dose")
        .order_by(col(p.day), col(p.letter))
    ).all()
    wanted = {pour.id: (recipe, pour.litres) for recipe, pour in needs(session, local.date() - LONG_AGO).brews}
    warmth, ways = warmth_of(shelf, local, season), dict[int, CatchUp]()
    for trial_id, before in missed.items():
        own = [(trial, pour, known.get(recipe or "")) for trial, pour, recipe in rows if trial.id == trial_id]
        if own:
            trial = own[0][0]
            of_letter: dict[str, list[tuple[PourRow, Recipe | None]]] = {}
            for _, pour, recipe in own:
                of_letter.setdefault(pour.letter, []).append((pour, recipe))
            today = (local.date() - trial.start_on).days
            treatments = [_pours_of(letter, pours, trial, today, ground) for letter, pours in of_letter.items()]
            first = (before - trial.start_on).days
            last = max((pour.day for _, pour, _ in own if _is_late(pour, first)), default=0)
            brewed = [wanted[pour.id] for _, pour, _ in own if pour.day == last and pour.id in wanted]
            ready = max([local, *(_ready(recipe, litres, shelf, local, warmth) for recipe, litres in brewed)])
            ready_day = (ready.astimezone().date() - trial.start_on).days
            ways[trial_id] = catch_up(treatments, today, trial.decision_day, ready_day, first)
    return ways


def _pours_of(
    letter: str, own: Sequence[tuple[PourRow, Recipe | None]], trial: TrialRow, today: int, ground: Ground
) -> PoursOf:
    recipe = next((recipe for _, recipe in own if recipe is not None), None)
    done = [
        pour.day if pour.done_on is None else (pour.done_on - trial.start_on).days
        for pour, _ in own
        if pour.status == "poured"
    ]
    return PoursOf(
        letter,
        tuple(pour.day for pour, _ in own),
        tuple(done),
        tuple(pour.day for pour, _ in own if pour.status == "due"),
        0.0 if recipe is None else recipe.fewest_days(max(0, today), ground),
    )


def _is_late(pour: PourRow, first: int) -> bool:
    return pour.status == "due" and pour.day < first


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
