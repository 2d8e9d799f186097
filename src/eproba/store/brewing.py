"""What has to be brewed for the applications of all running trials."""

from collections.abc import Sequence
from datetime import date, datetime, time, timedelta
from functools import cache

from sqlalchemy import Integer, Select, bindparam, cast, select
from sqlmodel import Session, col

from eproba.core.applying.schedule import Brewing, Job, Pouring, back_schedule, jobs, served_by, stock_of
from eproba.core.brewing.batches import Batch
from eproba.core.brewing.mixing import concentrate
from eproba.core.brewing.recipe import Recipe
from eproba.store.batches import batches
from eproba.store.glances import goes_on
from eproba.store.kit import household_kit
from eproba.store.recipes import all_recipes
from eproba.store.tables import PourRow, TreatmentRow, TrialRow

POURING_HOUR = time(17)  # late afternoon, when a pour is best
OVERDUE = timedelta(days=7)  # a pour that waits for longer was left out, and needs no brew


def needs(session: Session, since: date) -> list[tuple[Recipe, Pouring]]:
    """The applications from a day on, of all trials that run or are planned, that need one of the recipes."""
    known = all_recipes(session)
    found = []
    rows = session.connection().execute(_pours_of_brews(), {"since": since})
    for trial, name, letter, day, count, amount, unit, key, parts in rows:
        recipe = known.get(key)
        if recipe is not None and amount and recipe.family != "controls":
            litres = count * concentrate(recipe, amount, unit, parts)
            found.append((recipe, Pouring(trial, name, letter, _when(day), litres)))
    return found


@cache
def _pours_of_brews() -> Select:
    on = col(TrialRow.start_on) + cast(col(PourRow.day), Integer)
    t = TreatmentRow
    return (
        select(col(TrialRow.id), col(TrialRow.name), col(t.letter), on, col(t.alive), col(t.amount), col(t.amount_unit),
               col(t.recipe), col(t.water_parts))
        .join(PourRow, col(PourRow.trial_id) == col(TrialRow.id))
        .join(TreatmentRow, (col(t.trial_id) == col(TrialRow.id)) & (col(t.letter) == col(PourRow.letter)))
        .where(goes_on(), col(PourRow.status) == "due", on >= bindparam("since"))
        .where(col(t.recipe) != "")
    )  # fmt: skip


def _when(on: date) -> datetime:
    return datetime.combine(on, POURING_HOUR).astimezone()  # the gardener’s own clock


def brewings(
    session: Session, now: datetime, here: Sequence[Batch] | None = None
) -> tuple[dict[int, list[Pouring]], list[Brewing]]:
    """What the shelf serves, by batch; and the batches that running trials need beside it, the first to start first.

    `here`: the shelf, where it was fetched already.
    """
    shelf = batches(session) if here is None else here
    stock = [each for batch in shelf if (each := stock_of(batch, now)) is not None]
    serves, open_needs = served_by(needs(session, now.astimezone().date() - OVERDUE), stock, now)
    return serves, back_schedule(open_needs, household_kit(session).stands)


def brewing_jobs(
    session: Session, now: datetime, since: datetime, until: datetime, here: Sequence[Batch] | None = None
) -> list[Job]:
    """What is to be done for brews to come in a span, in order."""
    _, planned = brewings(session, now, here)
    found = [job for made in planned for job in jobs(made, since)]
    return sorted((job for job in found if job.at < until), key=lambda job: (job.at, job.recipe.key))


def day_span(today: date, ahead: timedelta) -> tuple[datetime, datetime]:
    start = datetime.combine(today, time()).astimezone()
    return start, start + ahead
