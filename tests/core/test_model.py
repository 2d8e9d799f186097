"""A trial as the core sees it: crops and batches by blocks, who lives, what a round asks, what is pulled."""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.catalogue import measures
from eproba.core.errors import EprobaError
from eproba.core.measuring.measures import MeasureError
from eproba.core.planning.plan import Layout, check_batches, check_crops
from eproba.core.stats.series import CannotJudge, band_of
from eproba.core.trial.days import DaysError, checked_rounds
from eproba.core.trial.declaration import declare, facts_of, untold, worth_words
from eproba.core.trial.ground import GroundError, borders, site_from
from eproba.core.trial.lots import LotsError, deal, in_blocks
from eproba.core.trial.model import Reading, Rules
from eproba.core.trial.stage import is_sealed
from eproba.core.words import NumberError
from tests.core.cases import small_trial

DAY0 = date(2026, 5, 1)


@pytest.fixture
def trial(catalogue):
    return small_trial(catalogue)


def test_crops_and_batches_take_whole_blocks_in_turn(trial):
    mixed = replace(trial, rules=Rules(crops=("chard", "pak choi")), batches=3)
    by_block = {unit.block: (mixed.crop_of(unit), mixed.batch_of(unit)) for unit in mixed.units}
    assert by_block == {
        "1": ("chard", 1),
        "2": ("pak choi", 1),
        "3": ("chard", 2),
        "4": ("pak choi", 2),
        "5": ("chard", 3),
        "6": ("pak choi", 3),
    }
    assert {trial.crop_of(unit) for unit in trial.units} == {""}
    loose = replace(trial.units[0], cut=replace(trial.units[0].cut, block=None))
    assert (mixed.crop_of(loose), mixed.batch_of(loose)) == ("chard", 1)


def test_the_living_are_those_not_lost_by_that_day_in_walking_order(trial):
    lost = replace(trial.units[3], lost_on=DAY0 + timedelta(days=7))
    some = replace(trial, units=(*trial.units[:3], lost, *trial.units[4:]))
    assert len(some.living(DAY0 + timedelta(days=6))) == 12
    assert len(some.living(DAY0 + timedelta(days=7))) == 11
    walks = [unit.walk for unit in replace(trial, units=trial.units[::-1]).living(DAY0)]
    assert walks == sorted(walks)


def test_what_a_round_asks_and_what_is_pulled(trial):
    assert trial.destructive
    assert trial.pulls == (28,)
    twice = replace(trial, rounds=(trial.rounds[0], *(replace(each, pull=True) for each in trial.rounds[1:])))
    twice = replace(twice, rules=Rules(plants=2))
    assert twice.pulls == (14, 28)
    pulled = [twice.pulled(unit) for unit in twice.units]
    assert all(sorted(plants.values()) == [1, 2] for plants in pulled)
    assert {plants[14] for plants in pulled} == {1, 2}, "the lot says which, unit by unit"
    gentle = replace(trial, asked=trial.asked[1:])
    assert (gentle.destructive, gentle.pulled(gentle.units[0])) == (False, {})


def test_days_codes_and_letters(trial):
    assert [trial.date_of(day) for day in (0, 28)] == [DAY0, trial.decision_on]
    assert trial.day_of(DAY0 - timedelta(days=1)) == -1
    assert trial.by_code["P7"] is trial.units[7]
    assert trial.unit(7) is trial.units[7]
    assert trial.treatment("B").name == "Plain water"
    assert (trial.kind, trial.in_blocks, replace(trial, dealing="Latin square").in_blocks) == ("pot", True, False)
    assert [in_blocks(each) for each in ("blocks", "pairs", "one of each")] == [True, True, False]


def test_started_closed_and_sealed_are_facts_not_guesses(trial):
    fresh = replace(trial, started_on=None, closed_at=None)
    assert (fresh.started, fresh.closed, fresh.opened_on) == (False, False, None)
    assert fresh.stage(DAY0 - timedelta(days=1)) == "planned"
    assert replace(fresh, started_on=DAY0).stage(DAY0 - timedelta(days=1)) == "running"
    assert trial.opened_on == DAY0 + timedelta(days=28)
    assert not trial.sealed(trial.decision_on)
    assert trial.sealed(trial.decision_on - timedelta(days=1)), "closed before its day: still shut"
    late = replace(trial, closed_at=datetime(2026, 6, 3, 9, tzinfo=UTC))
    assert late.opened_on == date(2026, 6, 3)
    assert [is_sealed(s) for s in ("planned", "running", "finished", "ended early")] == [True, True, False, False]


def test_the_worth_is_said_with_its_unit(trial):
    assert worth_words(trial) == "15 %"
    assert worth_words(replace(trial, worth=0.5, scale="difference")) == "0.5 g"
    assert worth_words(replace(trial, worth=None)) == "any difference"
    assert band_of(0.15, "ratio") == pytest.approx(0.13976, abs=1e-5)
    assert band_of(0.15, "difference") == 0.15


def test_a_declared_plan_knows_what_differs_without_an_amendment(trial):
    at = datetime(2026, 4, 30, 12, tzinfo=UTC)
    declared = replace(trial, declared=declare(trial, at))
    assert untold(declared) == []
    assert untold(replace(declared, worth=0.1, batches=2)) == ["worth", "batches"]
    facts = declared.declared.facts
    older = {name: value for name, value in facts["rules"].items() if name != "pulls"}
    before = replace(declared, declared=replace(declared.declared, facts={**facts, "rules": older}))
    assert untold(before) == [], "a rule that came later differs from nothing while it is not used"
    assert untold(replace(before, rules=replace(before.rules, pulls=(14,)))) == ["rules"]
    assert untold(replace(before, rules=replace(before.rules, plants=3))) == ["rules"]
    assert "pulls" in facts_of(trial)["rules"], "what was declared in older gardens stays what it was"
    assert untold(trial) == [], "what was never declared differs from nothing"


def test_borders_count_neighbours_within_one_and_a_half_guards(catalogue):
    bed = small_trial(catalogue, kind="bed")
    units = [(unit.cut, unit.letter) for unit in bed.units]
    assert borders(units, "B", 10.0) == (10, 16), "a guard of 10 cm lies between all neighbours"
    assert borders(units, "B", 6.0) == (0, 0), "9 cm do not reach over 10"
    assert borders(units, "B", 6.67) == (10, 16), "10 cm do"
    pots = [(unit.cut, unit.letter) for unit in small_trial(catalogue).units]
    assert borders(pots, "B", 10.0) == (0, 0), "nothing crosses between pots"
    assert borders([], "B", 10.0) == (0, 0)


@pytest.mark.parametrize(
    ("fault", "step"),
    [
        (lambda: site_from({}), "ground"),
        (lambda: checked_rounds([3], 7), "days"),
        (lambda: deal("pairs", ["A", "B", "C"], 3, "s"), "ground"),
        (lambda: check_crops(("a", "b"), Layout(None, 0.0, "completely random", ()), 3), "rules"),
        (lambda: check_crops(("a", "b"), Layout(None, 0.0, "blocks", ()), 3), "rules"),
        (lambda: check_batches(2, Layout(None, 0.0, "completely random", ()), 3), "treatments"),
        (lambda: check_batches(4, Layout(None, 0.0, "blocks", ()), 3), "treatments"),
    ],
)
def test_a_plan_at_fault_knows_its_step(fault, step):
    with pytest.raises(EprobaError) as caught:
        fault()
    assert caught.value.step == step
    assert isinstance(caught.value, (GroundError, DaysError, LotsError))


def test_a_fault_bears_message_field_and_step():
    plain = EprobaError("It can't be.")
    assert (str(plain), plain.field, plain.step) == ("It can't be.", "", "")
    told = CannotJudge("no control", 3, "treatment")
    assert (told.position, told.field) == (3, "treatment")
    assert EprobaError("x", field="worth", step="measure").step == "measure"
    assert issubclass(NumberError, EprobaError)


@pytest.mark.parametrize(
    ("key", "possible"),
    [("plant_height", (0, float("inf"))), ("soil_smell", (0, 4)), ("leaf_count", (0, float("inf")))],
)
def test_what_is_possible_follows_from_the_kind(catalogue, key, possible):
    assert catalogue[key].possible == possible


def test_what_is_possible_can_be_said_and_holds_the_sensible(catalogue):
    height = catalogue["plant_height"]
    assert replace(height, most=400.0).possible == (0.0, 400.0)
    assert replace(catalogue["leaf_count"], low=-5).possible[0] == float("-inf")
    for wrong in ({"most": 100.0}, {"least": 1.0}):
        with pytest.raises(MeasureError, match="inside what is possible"):
            replace(height, **wrong)


@given(st.sampled_from(sorted(measures())))
def test_the_sensible_lies_inside_the_possible(key):
    measure = measures()[key]
    assert measure.possible[0] <= measure.low < measure.high <= measure.possible[1]


def test_what_was_judged_is_found_again_by_the_trial_and_its_readings():
    """Equal records have equal hashes; any change makes another record, whatever its hash."""
    trial = small_trial(measures())
    reading = Reading(1, 1, 1, "leaf_count", 1, 7.0, "", "Ann", 1)
    kept = {(trial, (reading,)): "judged"}
    assert kept[replace(trial), (replace(reading),)] == "judged"
    assert (replace(trial, note="Hail."), (reading,)) not in kept
    assert (trial, (replace(reading, value=8.0),)) not in kept
    assert len({hash(replace(trial, id=n)) for n in range(9)} | {hash(replace(reading, id=n)) for n in range(9)}) == 18
    assert (reading.blank, replace(reading, value=None).blank, replace(reading, value=None, skip_reason="x").blank) == (
        False, True, False,
    )  # fmt: skip
