"""The laws of the list: looked at every morning, and over the whole rehearsal at its end."""

from collections.abc import Collection, Iterable, Sequence
from datetime import date, timedelta
from itertools import pairwise

from sqlmodel import Session, select

from eproba.core.applying.morning import DayLine
from eproba.core.applying.schedule import margin
from eproba.core.brewing.clock import keeps_since, keeps_until, ready_at, use_by
from eproba.core.brewing.events import Batch, left, nearly_empty
from eproba.core.brewing.recipe import Recipe
from eproba.core.judging.applications import applications
from eproba.core.trial.model import Trial
from eproba.rehearsal.household import Follower
from eproba.store.batches import batches
from eproba.store.beside import beside_of
from eproba.store.brewing import when
from eproba.store.recipes import all_recipes
from eproba.store.tables import TickRow
from eproba.store.trials import load_trial

NAMED = (("skipped", "skipped or not on record", "pours"), ("skipped", "mostly not given", "pours"),
         ("short", "poured short", "units"))  # fmt: skip
LAWS = {
    1: "what was done is no longer asked",
    2: "nothing is started that a running brew covers",
    3: "followed, no pour is late",
    4: "nothing is late before its day is over, nothing is missing that needs no brew",
    5: "Today, calendar and feed are one list",
    6: "every stirring, straining, plain watering, round and last day is on its day",
    7: "all that differed from the plan stands in the ledger, and nothing else does",
    8: "every line can be cleared",
}


def watch_morning(household: Follower, lines: Sequence[DayLine], feed: str) -> None:
    """Laws 3, 4 and 5, as the list stands in the morning."""
    today = household.today
    for line in lines:
        if line.sort != "choose":
            continue
        if not household.temper.careless:
            household.broke(3, f"“{line.words}”")
        if any(due.on >= today for due in line.due):
            household.broke(4, f"“{line.words}” while its day is not over")
        for job in line.jobs:
            if job.recipe is not None and not job.recipe.brews:
                household.broke(4, f"“{line.words}”: that needs no brewing")
            if job.ready_on is not None and any(pour.at.date() >= job.ready_on for pour in job.late):
                household.broke(4, f"“{line.words}”, and it is ready on the day")
    one_list(household, lines, feed)


def one_list(household: Follower, lines: Sequence[DayLine], feed: str) -> None:
    """The same keys on Today, in the calendar and in the feed."""
    keys = {line.key for line in lines}
    shown = set(household.pages.keys("/"))
    in_calendar, in_feed = map(set, (household.pages.keys("/calendar"), household.pages.uids(feed)))
    for name, shown_keys in (("Today", shown), ("the calendar", in_calendar), ("the feed", in_feed)):
        if not keys <= shown_keys:
            household.broke(5, f"{name} lacks {', '.join(sorted(keys - shown_keys))}")
    if in_calendar - in_feed:
        household.broke(5, f"the feed lacks {', '.join(sorted(in_calendar - in_feed))}")


def at_the_end(household: Follower) -> None:
    """Laws 6 and 7, over all that is on record."""
    with household.session() as session:
        shelf = batches(session, limit=10_000)
        trials = [trial for number in household.diary.trials if (trial := load_trial(session, number)) is not None]
        if not household.temper.careless:
            _on_their_days(household, session, shelf, trials)
        for trial in trials:
            if trial.decision_on <= household.today:
                _in_the_ledger(household, session, trial)


def _on_their_days(household: Follower, session: Session, shelf: Iterable[Batch], trials: Iterable[Trial]) -> None:
    for batch in shelf:
        _stirred(household, batch)
        _strained(household, batch)
        _last_day(household, batch)
    ticked = set(session.exec(select(TickRow.key)).all())
    known = all_recipes(session)
    for trial in trials:
        for round_ in trial.rounds:
            if round_.closed_at is not None and round_.closed_at.astimezone().date() != trial.date_of(round_.day):
                household.broke(6, f"{trial.name}: round of day {round_.day} on {round_.closed_at}")
        for treatment in trial.treatments:
            recipe = known.get(treatment.recipe)
            if recipe is not None and recipe.plain_between and not treatment.each_watering:
                _watered_between(household, trial, treatment.letter, ticked)


def _watered_between(household: Follower, trial: Trial, letter: str, ticked: Collection[str]) -> None:
    poured = [p for p in trial.pours if p.letter == letter and p.status == "poured" and p.what == "dose"]
    for one, _ in pairwise(sorted(poured, key=lambda pour: pour.day)):
        if f"between-1-{one.id}" not in ticked:
            household.broke(6, f"{trial.name}: no plain watering after day {one.day}")


def _stirred(household: Follower, batch: Batch) -> None:
    """From mixing to readiness no longer without stirring than the recipe says, by days."""
    every, ready = batch.recipe.stir_hours, ready_at(batch)
    if every is None or batch.mixed_at is None or ready is None:
        return
    touched = [event.at for event in batch.events if event.what in ("mixed", "stirred") and event.at <= ready]
    for one, two in pairwise([*touched, ready]):
        if (two - one) > timedelta(hours=every) + timedelta(hours=14):
            household.broke(6, f"{batch.title} (batch {batch.id}) was not stirred from {one} to {two}")


def _strained(household: Follower, batch: Batch) -> None:
    taken = batch.first("taken from")
    if taken is None or not (batch.recipe.strain and batch.recipe.brews):
        return
    strained = batch.first("strained")
    if strained is None or strained > taken:
        household.broke(6, f"{batch.title} (batch {batch.id}) was poured and not strained")


def _last_day(household: Follower, batch: Batch) -> None:
    """Its last day was told, where it was not empty before."""
    last, thrown = use_by(batch), batch.last("thrown away", "taken from")
    if last is None or not batch.recipe.brews or ready_at(batch) is None:
        return
    days = household.diary.told.get(f"use by-0-batch-{batch.id}", set())
    over = thrown is not None and thrown.at.date() <= last.date() and _is_empty(batch)
    since = keeps_since(batch)
    same_day = since is not None and since.date() == last.date()  # it was told in the evening
    if not over and not same_day and last.date() < household.today and last.date() not in days:
        household.broke(6, f"the last day of {batch.title} (batch {batch.id}), {last.date()}, was not told")


def _is_empty(batch: Batch) -> bool:
    return nearly_empty(left(batch), batch.litres) or batch.last("thrown away") is not None


def _in_the_ledger(household: Follower, session: Session, trial: Trial) -> None:
    """What the household did otherwise, and what the ledger says of it."""
    lines = applications(trial, beside_of(session, trial))
    in_the_ledger = {
        (what, str(name), trial.id, day)
        for line in lines
        for what, says, key in NAMED
        if line.says == says
        for name, day in _places(line.evidence.get(key))
    }
    done = {fact for fact in household.diary.otherwise if fact[2] == trial.id}
    for fact in sorted(done ^ in_the_ledger):
        where = "is not in the ledger" if fact in done else "is in the ledger, and never happened"
        household.broke(7, f"{trial.name}: {fact[0]}, {fact[1]}, day {fact[3]} {where}")
    if not household.temper.careless:
        for line in lines:
            if line.level != "note":
                household.broke(7, f"{trial.name}: the ledger says {line.says}: {line.evidence}")


def _places(evidence: object) -> list[tuple[str, int]]:
    """Letters or units with their days, as a line of the ledger holds them."""
    return [(str(name), int(day)) for name, day in evidence] if isinstance(evidence, list | tuple) else []


def _last_pour(recipe: Recipe, on: date) -> date:
    """The last day on which a brew can be poured that is ready for a pour on a day."""
    last = keeps_until(recipe, when(on) - margin(recipe))
    if last is None:
        return date.max
    return last.date() if last >= when(last.date()) else last.date() - timedelta(days=1)


def fewest(household: Follower) -> dict[str, tuple[int, int]]:
    """Batches started, and the fewest that would do, by recipe: for the pours as they were done (those that were left
    out, as they were planned), and one more for each that spoiled."""
    with household.session() as session:
        shelf, known = batches(session, limit=10_000), all_recipes(session)
        trials = [trial for number in household.diary.trials if (trial := load_trial(session, number)) is not None]
    counts: dict[str, tuple[int, int]] = {}
    for key, recipe in known.items():
        own = [batch for batch in shelf if batch.recipe.key == key]
        if own and recipe.brews:
            spoiled = sum(batch.last("thrown away") is not None for batch in own)
            pours = [pour for trial in trials for pour in _pours_of(trial, key, household.today)]
            counts[key] = (len(own), _fewest_of(recipe, pours) + spoiled)
    return counts


def _pours_of(trial: Trial, recipe: str, today: date) -> list[tuple[date, int, str]]:
    """The days of all pours of a recipe so far, each with its trial and how brews are shared."""
    return [
        (on, trial.id, treatment.sharing)
        for treatment in trial.treatments
        for pour in trial.pours
        if treatment.recipe == recipe and pour.letter == treatment.letter and pour.what == "dose"
        if (on := pour.done_on or trial.date_of(pour.day)) <= today
    ]


def _fewest_of(recipe: Recipe, pours: Sequence[tuple[date, int, str]]) -> int:
    few, until = len({(on, number) for on, number, sharing in pours if sharing == "fresh"}), date.min
    for on in sorted({on for on, _, sharing in pours if sharing != "fresh"}):
        if on > until:
            few, until = few + 1, _last_pour(recipe, on)
    return few
