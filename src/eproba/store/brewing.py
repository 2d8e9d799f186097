"""What has to be brewed, and which water has to stand, for the applications of all running trials."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from functools import cache
from threading import Lock
from typing import Any

from cachetools import LRUCache, cached
from sqlalchemy import (
    ColumnElement,
    Integer,
    Row,
    Select,
    String,
    and_,
    bindparam,
    case,
    cast,
    func,
    literal,
    or_,
    select,
)
from sqlalchemy.dialects.postgresql import aggregate_order_by
from sqlalchemy.orm import aliased
from sqlmodel import Session, col

from eproba.core.applying.errands import Job, jobs, on_the_shelf, plain_waterings, standing_water
from eproba.core.applying.schedule import Brewing, Pouring, Standby, back_schedule, served_by, stock_of, water_to_stand
from eproba.core.brewing.events import Batch
from eproba.core.brewing.mixing import concentrate, water_share
from eproba.core.brewing.recipe import Recipe
from eproba.core.brewing.warmth import warmth_of
from eproba.core.quantities import in_base
from eproba.core.trial.doses import is_poured
from eproba.store.batches import batches
from eproba.store.database import once
from eproba.store.glances import goes_on
from eproba.store.kit import household_kit
from eproba.store.measures import household_system, household_units
from eproba.store.recipes import all_recipes
from eproba.store.tables import GardenRow, OwnRecipeRow, PourRow, StampRow, TreatmentRow, TrialRow

POURING_HOUR = time(17)  # late afternoon, when a pour is best: a proposal, and no deadline
LONG_AGO = timedelta(days=800)  # no trial is older
MOST_DAYS = 20  # kept in memory by each process
BETWEEN = timedelta(days=31)  # so far back a pour counts for the plain watering that comes after it


@dataclass(frozen=True)
class Needs:
    """What the pours to come ask for: brews, and plain water for controls; and what was `poured` not long ago."""

    brews: Sequence[tuple[Recipe, Pouring]]
    plain: Sequence[Pouring]
    poured: Sequence[tuple[Recipe, Pouring]]


def needs(session: Session, today: date) -> Needs:
    """The applications from a day on, of all trials that run or are planned. What is overdue asks for no brew: first
    somebody chooses what becomes of it."""
    asked = _asked_for(session, today)
    brews = [(recipe, pour) for recipe, pour in asked.brews if pour.at.date() >= today]
    return Needs(brews, [pour for pour in asked.plain if pour.at.date() >= today], asked.poured)


def brews_due(session: Session, today: date) -> Sequence[tuple[Recipe, Pouring]]:
    """The same with what is overdue: what each application that waits takes of which brew."""
    return _asked_for(session, today).brews


def _asked_for(session: Session, today: date) -> Needs:
    """All that waits, however old, and what was poured not long ago; asked once for a page."""
    return once(session, ("asked for", today), lambda: _fetched(session, today, _stamp(session)))


def _stamp(session: Session) -> tuple[object, ...]:
    """What all plans and own recipes, and how the household reckons, are known by now: see `stamps_of`."""
    session.flush()
    return (*session.connection().execute(_stamps()).one(), household_system(session))


@cache
def _stamps() -> Select:
    plans = func.string_agg(cast(col(StampRow.plan), String), aggregate_order_by(literal(""), col(StampRow.trial_id)))
    entry = func.concat(col(OwnRecipeRow.key), cast(col(OwnRecipeRow.entry), String))
    recipes = func.string_agg(entry, aggregate_order_by(literal(""), col(OwnRecipeRow.id)))
    return select(
        select(func.md5(plans)).scalar_subquery(),
        select(func.md5(recipes)).scalar_subquery(),
        select(col(GardenRow.time_zone)).limit(1).scalar_subquery(),
    )


@cached(LRUCache(MOST_DAYS), key=lambda _session, today, stamp: (today, stamp), lock=Lock())
def _fetched(session: Session, today: date, _stamp: tuple[object, ...]) -> Needs:
    known = all_recipes(session)
    brews, plain, past = list[tuple[Recipe, Pouring]](), list[Pouring](), list[tuple[Recipe, Pouring]]()
    for row in session.connection().execute(_pours(), {"since": today - LONG_AGO, "before": today - BETWEEN}):
        recipe = known.get(row.recipe) if row.what == "dose" else None
        if recipe is not None and recipe.family != "controls":
            (brews if row.status == "due" else past).append((recipe, _brewed(row, recipe)))
        elif is_poured(row.unit) and row.status == "due":
            plain.append(_pouring(row, 0.0, in_base(row.dosed * row.amount, row.unit)[0]))
    return Needs(tuple(brews), tuple(plain), tuple(past))


def _brewed(row: Row[Any], recipe: Recipe) -> Pouring:
    litres = concentrate(recipe, row.dosed * row.amount, row.unit, row.water_parts)
    if not recipe.liquid:
        return _pouring(row, litres, 0.0)
    poured = in_base(row.dosed * row.amount, row.unit)[0] if is_poured(row.unit) else litres
    mixed_in = 0.0 if recipe.brews else litres * water_share(recipe)  # a brew’s own water stands before it starts
    return _pouring(row, litres, poured - litres + mixed_in)


def _pouring(row: Row[Any], litres: float, water: float) -> Pouring:
    return Pouring(
        row.id, row.name, row.letter, when(row.on), litres, row.day, row.sharing, water, row.pour, row.each_watering
    )


@cache
def _pours() -> Select:
    """Those that are due, and those that were poured not long ago, each on its day."""
    planned = col(TrialRow.start_on) + cast(col(PourRow.day), Integer)
    due, poured = (col(PourRow.status) == status for status in ("due", "poured"))
    on = case((poured, func.coalesce(col(PourRow.done_on), planned)), else_=planned).label("on")
    t = TreatmentRow
    amount = func.coalesce(col(PourRow.planned), col(t.amount))
    per = func.coalesce(col(PourRow.per), col(t.per))
    alive, ground = (_with_both(column) for column in (TreatmentRow.alive, TreatmentRow.ground))
    dosed = case((per == "m2", ground), else_=alive).label("dosed")
    unit = case((col(PourRow.what) == "water", "L"), else_=col(t.amount_unit))
    return (
        select(col(TrialRow.id), col(TrialRow.name), col(t.letter), on, col(PourRow.day), dosed, col(t.recipe),
               amount.label("amount"), unit.label("unit"), col(t.water_parts), col(t.sharing), col(t.each_watering),
               col(PourRow.what), col(PourRow.status), col(PourRow.id).label("pour"))
        .join(PourRow, col(PourRow.trial_id) == col(TrialRow.id))
        .join(TreatmentRow, (col(t.trial_id) == col(TrialRow.id)) & (col(t.letter) == col(PourRow.letter)))
        .where(goes_on(), or_(and_(due, on >= bindparam("since")), and_(poured, on >= bindparam("before"))))
        .where(amount > 0, col(t.alive) > 0)
    )  # fmt: skip


def _with_both(column: Any) -> ColumnElement[Any]:
    """How many units (or how much ground) a treatment’s dose goes to: its own; of two things at once those that get
    both as well."""
    both = aliased(TreatmentRow)
    of_both = select(func.coalesce(func.sum(getattr(both, column.key)), 0)).where(
        col(both.trial_id) == col(TreatmentRow.trial_id), col(both.things) == "12"
    )
    crossed = col(TreatmentRow.things).in_(("1", "2")) & (col(PourRow.what) == "dose")
    return col(column) + case((crossed, of_both.scalar_subquery()), else_=0)


def when(on: date) -> datetime:
    """The planned hour of a pour, by the gardener’s own clock."""
    return datetime.combine(on, POURING_HOUR).astimezone()


def brewings(
    session: Session,
    now: datetime,
    all_stock: Sequence[Batch] | None = None,
    asked: Needs | None = None,
    season: float | None = None,
) -> tuple[dict[int, list[Pouring]], list[Brewing]]:
    """What the shelf serves, by batch; and the batches that running trials need beside it, the first to start first.

    `all_stock`: the shelf, and `asked` what is needed, where they were fetched already; `season`: the mean of the last
    nights and days out of doors, °C.
    """
    local = now.astimezone()
    wanted = needs(session, local.date()) if asked is None else asked
    minute = local.replace(second=0, microsecond=0)
    shelf = batches(session) if all_stock is None else all_stock
    key = ("brewings", minute, season, tuple(batch.id for batch in shelf))
    return once(session, key, lambda: _brewings(session, local, shelf, wanted, season))


def _brewings(
    session: Session, local: datetime, shelf: Sequence[Batch], wanted: Needs, season: float | None
) -> tuple[dict[int, list[Pouring]], list[Brewing]]:
    warmth = warmth_of(shelf, local, season)
    stock = [batch_stock for batch in shelf if (batch_stock := stock_of(batch, local, warmth)) is not None]
    serves, open_needs = served_by(wanted.brews, stock, local)
    return serves, back_schedule(open_needs, household_kit(session).stands, local, warmth)


def brewings_with(
    session: Session, now: datetime, more: Sequence[tuple[Recipe, Pouring]], season: float | None
) -> tuple[dict[int, list[Pouring]], list[Brewing]]:
    """As `brewings`, if there were these applications as well."""
    local = now.astimezone()
    asked = needs(session, local.date())
    with_them = replace(asked, brews=sorted((*asked.brews, *more), key=lambda need: need[1].at))
    return _brewings(session, local.replace(second=0, microsecond=0), batches(session), with_them, season)


def brewing_jobs(
    session: Session,
    now: datetime,
    until: datetime,
    stock: Sequence[Batch] | None = None,
    season: float | None = None,
) -> list[Job]:
    """What is to be done from today to a moment: for brews to come, on the shelf, and with water, in order."""
    local, units = now.astimezone(), household_units(session)
    today = datetime.combine(local.date(), time()).astimezone()
    shelf = batches(session) if stock is None else stock
    wanted = needs(session, local.date())
    serves, planned = brewings(session, local, shelf, wanted, season)
    pending = [job for brewing in planned for job in jobs(brewing, today, units)]
    pending += [job for batch in shelf for job in on_the_shelf(batch, serves.get(batch.id, []), local, until)]
    pending += plain_waterings([*wanted.poured, *wanted.brews], today)
    if household_kit(session).stands:
        pending += standing_water(_waters(wanted), today, units)
    dated = (replace(job, at=job.at.astimezone()) for job in pending if job.at < until)  # also over summer time
    return sorted(dated, key=lambda job: (job.at, job.key))


def _waters(wanted: Needs) -> list[Standby]:
    dilution: Iterable[tuple[Pouring, bool]] = ((pour, False) for _, pour in wanted.brews)
    return water_to_stand([*dilution, *((pour, True) for pour in wanted.plain)])


def end_of(on: date) -> datetime:
    """The end of a day by the gardener’s own clock."""
    return datetime.combine(on + timedelta(days=1), time()).astimezone()
