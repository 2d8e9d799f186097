"""What the store knows of brewing: own recipes, batches, needs of all trials, weather, kit."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import text

from eproba.core.brewing.batches import standing
from eproba.core.brewing.events import Batch, BatchError, Event, left
from eproba.core.brewing.ingredients import RecipeError
from eproba.core.brewing.kitchen import Kit
from eproba.core.brewing.mixing import concentrate
from eproba.core.brewing.weather import Day, Hour
from eproba.core.catalogue import recipes
from eproba.store.batches import batch_changes, batches, photo_of
from eproba.store.brewing import brewing_jobs, brewings, end_of, needs
from eproba.store.commands.batches import add_batch, add_event, correct_batch, correct_event, take
from eproba.store.commands.kit import keep_kit
from eproba.store.commands.recipes import delete_recipe, keep_recipe, put_recipe_away
from eproba.store.commands.rounds import finish_round
from eproba.store.commands.trials import lose_unit
from eproba.store.commands.weather import add_days, add_hours
from eproba.store.kit import Garden, Household, household_kit
from eproba.store.recipes import all_recipes, offered_recipes, recipe_of, versions_of
from eproba.store.trials import load_trial
from eproba.store.weather import LoggedStation
from tests.conftest import demo_garden
from tests.databases import TODAY

NOW = datetime(2026, 5, 20, 10, tzinfo=UTC)
FERMENT = recipes()["sugar-ferment"]


def put_on_the_shelf(session, recipe=FERMENT, litres=2.0, at=NOW, **more):
    batch = Batch(0, recipe, litres, "shed", (Event(at, "mixed", by="Ben"),), water="rain", **more)
    return add_batch(session, batch)


def shelf(session, batch_id):
    session.expire_all()
    return batches(session, [batch_id])[0]


# --- Batches ------------------------------------------------------------------------------------------------


def test_a_batch_comes_back_as_it_was_put_there(session):
    batch_id = put_on_the_shelf(session, name="First", amounts={"jaggery": 80.0}, school="Weekly first")
    add_event(session, batch_id, Event(NOW, "looked at", 21.5, {"smell": "sweet"}, note="fine", by="Ben"), NOW, b"jpeg")
    later = NOW + timedelta(hours=1)
    add_event(session, batch_id, Event(later, "stirred", by="Ann"), later)
    batch = shelf(session, batch_id)
    assert (batch.recipe, batch.name, batch.amounts, batch.school) == (
        FERMENT,
        "First",
        {"jaggery": 80.0},
        "Weekly first",
    )
    assert (batch.litres, batch.where, batch.water) == (2.0, "shed", "rain")
    assert [(event.what, event.at, event.by) for event in batch.events] == [
        ("mixed", NOW, "Ben"),
        ("looked at", NOW, "Ben"),
        ("stirred", later, "Ann"),
    ]
    look = batch.events[1]
    assert (look.temperature, look.seen, look.note, look.photo) == (21.5, {"smell": "sweet"}, "fine", True)
    assert photo_of(session, batch_id, look.id) == b"jpeg"
    assert photo_of(session, batch_id + 1, look.id) is None, "a photo belongs to its batch"
    assert photo_of(session, batch_id, batch.events[2].id) is None


def test_every_event_is_put_right_and_what_stood_there_is_kept(session):
    batch_id = put_on_the_shelf(session)
    look = Event(NOW, "looked at", 21.5, {"smell": "foul"}, by="Ben")
    add_event(session, batch_id, look, NOW)
    event_id = shelf(session, batch_id).events[1].id
    right = Event(NOW + timedelta(minutes=30), "looked at", 22.0, {"smell": "sweet"}, note="a slip")
    correct_event(session, batch_id, event_id, right, "Ann", NOW + timedelta(hours=1))
    changed = shelf(session, batch_id).events[1]
    assert (changed.seen, changed.temperature, changed.note, changed.by) == ({"smell": "sweet"}, 22.0, "a slip", "Ben")
    correct_event(session, batch_id, event_id, None, "Ann", NOW + timedelta(hours=2))
    assert [event.what for event in shelf(session, batch_id).events] == ["mixed"]
    correct_batch(session, batch_id, 3.0, "cellar", "Second", "Ann", NOW + timedelta(hours=3))
    batch = shelf(session, batch_id)
    assert (batch.litres, batch.where, batch.name) == (3.0, "cellar", "Second")
    told = [(c.what, c.was, c.now, c.by) for c in batch_changes(session, batch_id)]
    assert told == [
        ("name", "", "Second", "Ann"),
        ("place", "shed", "cellar", "Ann"),
        ("amount", "2 L", "3 L", "Ann"),
        ("looked at", "20 May, 10:30, 22 °C, sweet smell, a slip", "taken back", "Ann"),
        ("looked at", "20 May, 10:00, 21.5 °C, foul smell", "20 May, 10:30, 22 °C, sweet smell, a slip", "Ann"),
    ]
    with pytest.raises(BatchError, match="There is no such event any more"):
        correct_event(session, batch_id, event_id, None, "Ann", NOW)
    with pytest.raises(BatchError, match="Strain it when it is ready"):
        add_event(session, batch_id, Event(NOW + timedelta(minutes=5), "strained"), NOW + timedelta(hours=1))
    with pytest.raises(BatchError, match="There is no such batch any more"):
        add_event(session, 10**6, look, NOW)


@demo_garden
def test_what_is_poured_is_taken_until_nothing_is_left(session):
    batch_id = put_on_the_shelf(session)
    take(session, batch_id, 1, 1.5, "Ben", NOW)
    assert left(shelf(session, batch_id)) == 0.5
    take(session, batch_id, 2, 0.46, "Ben", NOW + timedelta(hours=1))
    batch = shelf(session, batch_id)
    assert left(batch) == pytest.approx(0.04)
    assert standing(batch, NOW + timedelta(hours=2)).state == "used up", (
        "what sticks to the vessel, 2 in 100, is no pour"
    )
    with pytest.raises(BatchError, match=r"holds 0.04 L by its ledger"):
        take(session, batch_id, 3, 0.1, "Ben", NOW)


@demo_garden
def test_a_corrected_pour_puts_back_what_it_took_and_no_litre_more(session):
    """Corrected again and again: made less taken, in whatever order; and taken at the hour of the pour."""
    batch_id = put_on_the_shelf(session, at=NOW - timedelta(days=60))
    for pour_id, litres, there in (
        (1, 1.5, 0.5),
        (2, 0.5, 0.0),
        (2, 0.2, 0.3),
        (1, 0.0, 1.8),
        (2, 0.0, 2.0),
        (2, 0.7, 1.3),
    ):
        take(session, batch_id, pour_id, litres, "Ben", NOW)
        assert left(shelf(session, batch_id)) == pytest.approx(there)
    taken = [event for event in shelf(session, batch_id).events if event.what == "taken from"]
    at = session.connection().execute(text("SELECT done_at FROM pour WHERE id = 2")).scalar_one()
    assert [(event.at, event.litres, event.id) for event in taken] == [(at, pytest.approx(0.7), 0)]


def test_batches_of_a_recipe_newest_first(session):
    ids = [put_on_the_shelf(session, recipes()[key]) for key in ("sugar-ferment", "diluted-whey", "sugar-ferment")]
    assert [batch.id for batch in batches(session, recipe="sugar-ferment")] == [ids[2], ids[0]]
    assert [batch.id for batch in batches(session, limit=1)] == [ids[2]]
    assert batches(session, []) == []


# --- Own recipes --------------------------------------------------------------------------------------------


def test_the_newest_version_of_an_own_recipe_is_the_current_one(session):
    mine = replace(FERMENT, key="mine", title="Mine")
    assert keep_recipe(session, mine, NOW).version == 1
    assert keep_recipe(session, replace(mine, title="Mine, better"), NOW + timedelta(days=1)).version == 2
    assert all_recipes(session)["mine"].title == "Mine, better"
    assert [number for number, _ in versions_of(session, "mine")] == [2, 1]
    assert all_recipes(session)["sugar-ferment"] == FERMENT
    with pytest.raises(RecipeError, match="unknown key magic"):
        recipe_of("mine", {"magic": True})


# --- Needs of the trials ------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("key", "amount", "unit", "water", "litres"),
    [
        ("sugar-ferment", 1.1, "L", None, 0.1),
        ("sugar-ferment", 1000, "mL", 4.0, 0.2),
        ("diluted-whey", 250, "mL", None, 0.025),
        ("wool-mulch", 400, "g", None, 0.4),
        ("compost-top-dressing", 2, "handful", None, 0.4),
    ],
)
def test_concentrate_of_what_a_unit_gets(key, amount, unit, water, litres):
    assert concentrate(recipes()[key], amount, unit, water) == pytest.approx(litres)


@demo_garden
def test_needs_are_those_of_running_trials_for_living_units(session):
    found = {(pour.trial_id, pour.at.date()): (recipe.key, pour.litres) for recipe, pour in needs(session, TODAY).brews}
    assert {trial for trial, _ in found} == {4, 5}, "finished trials need nothing more"
    assert found[5, TODAY] == ("sugar-ferment", pytest.approx(4 * 1.5 / 11))
    lose_unit(session, 5, first_of(session, "A"), TODAY, "fox", "Ben", TODAY)
    assert dict_of(session)[5, TODAY][1] == pytest.approx(3 * 1.5 / 11)
    assert needs(session, TODAY + timedelta(days=90)).brews == []
    finish_round(session, 5, load_trial(session, 5).rounds[-1].id, NOW)
    assert {pour.trial_id for _, pour in needs(session, TODAY).brews} == {4}, (
        "a trial whose last round is in pours no more"
    )


def dict_of(session):
    return {(pour.trial_id, pour.at.date()): (recipe.key, pour.litres) for recipe, pour in needs(session, TODAY).brews}


def first_of(session, letter):
    return next(unit.id for unit in load_trial(session, 5).units if unit.letter == letter)


@demo_garden
def test_the_shelf_serves_first_and_what_it_can_not_is_planned(session):
    serves, planned = brewings(session, NOW)
    assert {batch: [pour.trial_id for pour in pours] for batch, pours in serves.items()} == {3: [5]}
    alfalfa = next(made for made in planned if made.recipe.key == "alfalfa-pellet-steep")
    assert (alfalfa.hurried, alfalfa.late) == (True, ()), "its brew went foul; begun now, a new one is ready on its day"
    in_the_afternoon = brewings(session, NOW + timedelta(hours=14))[1]
    (first, *_) = [made for made in in_the_afternoon if made.recipe == alfalfa.recipe]
    assert [pour.trial_id for pour in first.late] == [4], "begun after midnight it is ready on the day after"
    add_event(session, 3, Event(NOW, "thrown away", note="knocked over"), NOW)
    session.expire_all()
    serves, planned = brewings(session, NOW)
    assert serves == {}
    overdue = next(made for made in planned if made.recipe.key == "sugar-ferment")
    assert [pour.at.date() for pour in overdue.late] == [TODAY], "too late for today’s pour: it is said"


@demo_garden
def test_jobs_of_a_span_come_in_order(session):
    end = end_of(TODAY + timedelta(days=41))
    found = brewing_jobs(session, NOW, end)
    assert [job.at for job in found] == sorted(job.at for job in found)
    assert all(job.at < end for job in found)
    assert len({job.key for job in found}) == len(found), "each has a name of its own"
    kinds = [job.kind for job in found if job.recipe and job.recipe.key == "sugar-ferment" and job.batch_id is None]
    assert kinds == ["start"], "it is high time: nothing stands there yet to be stirred"
    assert [job.kind for job in found if job.batch_id == 3] == ["strain"]
    assert [job.kind for job in found if job.batch_id == 1] == ["throw away"]
    assert {job.kind for job in found if job.batch_id == 5} == {"stir", "check"}
    assert [job.batch_id for job in found if job.kind == "mix"] == [6]
    waters = [job for job in found if job.recipe is None]
    assert waters[0].words == "Set out 3 L of tap water for Alfalfa steep on pak choi"
    assert waters[0].more == "1.28 L for diluting and 1.6 L for the control units."
    keep_kit(session, Household(water="rain"))
    session.flush()
    assert "stand" not in [job.kind for job in brewing_jobs(session, NOW, end)], "rain water need not stand"


# --- Weather and kit ----------------------------------------------------------------------------------------


def test_the_newer_word_on_an_hour_wins(session):
    hours = [Hour(NOW + timedelta(hours=n), 10.0 + n, 0.0) for n in range(-3, 3)]
    assert add_hours(session, hours, NOW) == 6
    twice = [Hour(NOW, 3.5, 2.0, 90.0), Hour(NOW, 4.5, 2.5, 91.0)]
    assert add_hours(session, twice, NOW) == 1, "twice in one file: the last"
    station = LoggedStation(session)
    found = station.hours(NOW - timedelta(hours=1), NOW + timedelta(hours=3))
    assert [hour.temperature for hour in found] == [9.0, 4.5], "what is still to come was not measured"
    assert (found[1].rain_mm, found[1].humidity) == (2.5, 91.0)
    assert [hour.temperature for hour in station.forecast(NOW, 24)] == [11.0, 12.0]
    assert station.forecast(NOW, 2) == station.forecast(NOW, 24)[:1]
    add_hours(session, [Hour(NOW + timedelta(hours=1), 17.0, 0.0)], NOW + timedelta(hours=2))
    assert [hour.temperature for hour in station.hours(NOW + timedelta(hours=1), NOW + timedelta(hours=9))] == [17.0]
    assert add_hours(session, [], NOW) == 0


def test_a_day_is_told_once_as_it_was_and_once_as_foretold(session):
    day = Day(TODAY, 4.0, 17.0, 6.0)
    assert add_days(session, [day], foretold=False) == 1
    assert add_days(session, [Day(TODAY, 5.0, 18.0, 6.0)], foretold=False) == 1, "rain typed twice is put right"
    assert add_days(session, [Day(TODAY, 3.0, 16.0, 9.0)], foretold=True) == 1
    station = LoggedStation(session)
    assert station.days(TODAY, TODAY) == [Day(TODAY, 5.0, 18.0, 6.0)]
    assert station.foretold(TODAY, TODAY) == [Day(TODAY, 3.0, 16.0, 9.0)]
    assert station.days(TODAY + timedelta(days=1), TODAY + timedelta(days=9)) == []


def test_the_kit_and_the_garden_are_the_household_s(session):
    assert household_kit(session) == Household()
    garden = Garden(True, dry=(7, 8), wet=(), cool=(12,))
    kept = Household(Kit("US", 5.0, 2.5, 50.0, 8.0, 1.0), (), "€", "tap with chloramine", garden)
    keep_kit(session, kept)
    session.flush()
    assert household_kit(session) == kept
    assert not kept.stands
    assert Household().stands, "unknown tap water stands, to be safe"
    july = kept.ground_on(TODAY.replace(month=7))
    assert (july.poor, july.dry, july.wet, july.cool) == (True, True, False, False)
    assert Household().ground_on(TODAY.replace(month=1)).cool


def test_a_recipe_is_put_away_and_deleted_only_where_nothing_goes_by_it(session):
    mine = keep_recipe(session, replace(FERMENT, key="mine", title="Mine"), NOW)
    put_recipe_away(session, "mine", True)
    assert "mine" not in offered_recipes(session)
    assert "mine" in all_recipes(session), "its batches go on"
    put_recipe_away(session, "mine", False)
    assert "mine" in offered_recipes(session)
    batch_id = put_on_the_shelf(session, mine)
    assert not delete_recipe(session, "mine")
    session.execute(text("DELETE FROM batch WHERE id = :id"), {"id": batch_id})
    assert delete_recipe(session, "mine")
    assert "mine" not in all_recipes(session)
