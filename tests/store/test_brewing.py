"""What the store knows of brewing: own recipes, batches, needs of all trials, weather, kit."""

from datetime import UTC, datetime, timedelta

import pytest
from sqlmodel import Session

from eproba.core.brewing.batches import Batch, Check
from eproba.core.brewing.ingredients import RecipeError
from eproba.core.brewing.kitchen import Kit
from eproba.core.brewing.mixing import concentrate
from eproba.core.brewing.weather import Hour
from eproba.core.catalogue import recipes
from eproba.store.batches import batches, photo_of
from eproba.store.brewing import brewing_jobs, brewings, day_span, needs
from eproba.store.commands.batches import add_batch, add_check, change_batch, take
from eproba.store.commands.kit import keep_kit
from eproba.store.commands.recipes import keep_recipe
from eproba.store.commands.rounds import finish_round
from eproba.store.commands.trials import lose_unit
from eproba.store.commands.weather import add_hours
from eproba.store.kit import Household, household_kit
from eproba.store.recipes import all_recipes, recipe_of, versions_of
from eproba.store.trials import load_trial
from eproba.store.weather import LoggedStation
from tests.conftest import TODAY, demo_garden

NOW = datetime(2026, 5, 20, 10, tzinfo=UTC)
FERMENT = recipes()["sugar-ferment"]


@pytest.fixture
def session(app):
    with Session(app.extensions["engine"]) as session:
        yield session


def put_on_the_shelf(session, recipe=FERMENT, litres=2.0, made_at=NOW, **more):
    return add_batch(session, Batch(0, recipe, litres, "shed", made_at, left=litres, **more), "rain")


# --- Batches ------------------------------------------------------------------------------------------------


def test_a_batch_comes_back_as_it_was_put_there(session):
    batch_id = put_on_the_shelf(session, name="First", amounts={"jaggery": 80.0})
    add_check(session, batch_id, Check(NOW, 21.5, {"smell": "sweet"}, "fine", "Ben"), b"jpeg")
    add_check(session, batch_id, Check(NOW + timedelta(hours=1)), None)
    (batch,) = batches(session, [batch_id])
    assert (batch.recipe, batch.name, batch.amounts, batch.left) == (FERMENT, "First", {"jaggery": 80.0}, 2.0)
    first, second = batch.checks
    assert (first.temperature, first.seen, first.note, first.by) == (21.5, {"smell": "sweet"}, "fine", "Ben")
    assert [check.photo for check in batch.checks] == [True, False]
    assert photo_of(session, batch_id, first.id) == b"jpeg"
    assert photo_of(session, batch_id + 1, first.id) is None, "a photo belongs to its batch"
    assert photo_of(session, batch_id, second.id) is None


@demo_garden
def test_what_is_poured_is_taken_until_nothing_is_left(session):
    batch_id = put_on_the_shelf(session)
    take(session, batch_id, 1, 1.5, "Ben", NOW)
    (batch,) = batches(session, [batch_id])
    assert (batch.left, batch.used_up_at) == (0.5, None)
    take(session, batch_id, 2, 0.46, "Ben", NOW + timedelta(hours=1))
    (batch,) = batches(session, [batch_id])
    assert batch.left == pytest.approx(0.04)
    assert batch.used_up_at == NOW + timedelta(hours=1), "what sticks to the vessel, 2 in 100, is no pour"


@demo_garden
def test_a_corrected_pour_puts_back_what_it_took_and_no_litre_more(session):
    """Poured out, over the brim even, and corrected: made less taken, in whatever order."""
    batch_id = put_on_the_shelf(session)
    for pour_id, litres, left in ((1, 1.5, 0.5), (2, 3.0, 0.0), (2, 0.2, 0.3), (1, 0.0, 1.8), (2, 0.0, 2.0)):
        take(session, batch_id, pour_id, litres, "Ben", NOW)
        (batch,) = batches(session, [batch_id])
        assert batch.left == pytest.approx(left)


def test_batches_of_a_recipe_newest_first(session):
    ids = [put_on_the_shelf(session, recipes()[key]) for key in ("sugar-ferment", "diluted-whey", "sugar-ferment")]
    assert [batch.id for batch in batches(session, recipe="sugar-ferment")] == [ids[2], ids[0]]
    assert [batch.id for batch in batches(session, limit=1)] == [ids[2]]
    assert batches(session, []) == []


# --- Own recipes --------------------------------------------------------------------------------------------


def test_the_newest_version_of_an_own_recipe_is_the_current_one(session):
    from dataclasses import replace

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
        ("compost-top-dressing", 2, "handful", None, 0.24),
    ],
)
def test_concentrate_of_what_a_unit_gets(key, amount, unit, water, litres):
    assert concentrate(recipes()[key], amount, unit, water) == pytest.approx(litres)


@demo_garden
def test_needs_are_those_of_running_trials_for_living_units(session):
    found = {(pour.trial_id, pour.at.date()): (recipe.key, pour.litres) for recipe, pour in needs(session, TODAY)}
    assert {trial for trial, _ in found} == {4, 5}, "finished trials need nothing more"
    assert found[5, TODAY] == ("sugar-ferment", pytest.approx(4 * 1.5 / 11))
    lose_unit(session, 5, first_of(session, "A"), TODAY, "fox", "Ben", TODAY)
    assert dict_of(session)[5, TODAY][1] == pytest.approx(3 * 1.5 / 11)
    assert needs(session, TODAY + timedelta(days=90)) == []
    finish_round(session, 5, load_trial(session, 5).rounds[-1].id, NOW)
    assert {pour.trial_id for _, pour in needs(session, TODAY)} == {4}, "a trial whose last round is in pours no more"


def dict_of(session):
    return {(pour.trial_id, pour.at.date()): (recipe.key, pour.litres) for recipe, pour in needs(session, TODAY)}


def first_of(session, letter):
    return next(unit.id for unit in load_trial(session, 5).units if unit.letter == letter)


@demo_garden
def test_the_shelf_serves_first_and_what_it_can_not_is_planned(session):
    serves, planned = brewings(session, NOW)
    assert {batch: [pour.trial_id for pour in pours] for batch, pours in serves.items()} == {3: [5], 1: [4]}
    assert [made.recipe.key for made in planned][:1] == ["sugar-ferment"]
    assert all(pour.at.date() > TODAY for made in planned for pour in made.serves)
    change_batch(session, 3, thrown_at=NOW, thrown_reason="knocked over")
    session.expire_all()
    serves, planned = brewings(session, NOW)
    assert 3 not in serves
    overdue = next(made for made in planned if made.recipe.key == "sugar-ferment")
    assert overdue.start < NOW, "too late for today’s pour: it is said"
    assert overdue.serves[0].at.date() == TODAY


@demo_garden
def test_jobs_of_a_span_come_in_order(session):
    start, end = day_span(TODAY, timedelta(days=42))
    found = brewing_jobs(session, NOW, start, end)
    assert [job.at for job in found] == sorted(job.at for job in found)
    assert all(start <= job.at < end for job in found)
    kinds = [job.kind for job in found if job.recipe.key == "sugar-ferment"]
    assert kinds[:2] == ["stand", "start"]
    keep_kit(session, Household(water="rain"))
    session.flush()
    assert "stand" not in [job.kind for job in brewing_jobs(session, NOW, start, end)], "rain water need not stand"


# --- Weather and kit ----------------------------------------------------------------------------------------


def test_the_newer_word_on_an_hour_wins(session):
    hours = [Hour(NOW + timedelta(hours=n), 10.0 + n, 0.0) for n in range(4)]
    assert add_hours(session, hours) == 4
    assert add_hours(session, [Hour(NOW, 3.5, 2.0, 90.0), Hour(NOW, 4.5, 2.5, 91.0)]) == 1, (
        "twice in one file: the last"
    )
    found = LoggedStation(session).hours(NOW, NOW + timedelta(hours=3))
    assert [hour.temperature for hour in found] == [4.5, 11.0, 12.0]
    assert (found[0].rain_mm, found[0].humidity) == (2.5, 91.0)
    assert LoggedStation(session).forecast(NOW, 24) == []
    assert add_hours(session, []) == 0


def test_the_kit_is_the_household_s(session):
    assert household_kit(session) == Household()
    kept = Household(Kit("US", 5.0, 2.5, 50.0, 8.0), {"jaggery": 3.2}, "tap with chloramine")
    keep_kit(session, kept)
    session.flush()
    assert household_kit(session) == kept
    assert not kept.stands
    assert Household().stands, "unknown tap water stands, to be safe"
