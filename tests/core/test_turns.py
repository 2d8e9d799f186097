"""Two places that take turns: permitted schedules, their lots, the shuffle test, carry-over, days, chance."""

from dataclasses import replace
from itertools import groupby, product

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.judging.from_trial import judge_trial, unit_values
from eproba.core.judging.judge import judge
from eproba.core.planning.advice import on_idle_turns, on_turns, on_units
from eproba.core.planning.chance import chances
from eproba.core.planning.cutter import Wish, proposals
from eproba.core.planning.prospect import ChanceError, Prospect
from eproba.core.stats.periods import best_schedule_p, permitted
from eproba.core.stats.schedules import carry_over, schedule_tests, turns_of
from eproba.core.stats.series import Question, UnitValue
from eproba.core.trial.days import DaysError, turned_rounds
from eproba.core.trial.ground import GroundError, Place, Site
from eproba.core.trial.lots import LotsError, deal, how_to_check
from eproba.core.trial.model import Pour, Reading, Round, Unit
from eproba.core.wording.ledger import text_of
from tests.core.cases import small_trial

TWO = ("On", "Off")
SCHEDULE = permitted(8)[11]


def units(gap=0.0, schedule=SCHEDULE, noise=1.0, seed=1, left=0.0, place=3.0):
    """Values of two places over the periods, with a true gap, a difference of places, and something left over."""
    rng = np.random.default_rng(seed)
    found = []
    for period, first_on in enumerate(schedule):
        common = float(rng.normal(0, 3))
        for at in (0, 1):
            on = first_on == (at == 0)
            before = period > 0 and schedule[period - 1] == (at == 0)
            value = 20 + common + place * at + gap * on + left * before + noise * float(rng.normal())
            found.append(
                UnitValue(f"u{period}-{at}", "On" if on else "Off", value, row=str(period + 1), column=str(at))
            )
    return found


@pytest.mark.parametrize("periods", [6, 8, 10])
def test_permitted_schedules_are_all_that_are_balanced_and_short(periods):
    wanted = {
        each for each in product((True, False), repeat=periods)
        if sum(each) == periods / 2 and max(len(list(run)) for _, run in groupby(each)) <= 2
    }  # fmt: skip
    assert set(permitted(periods)) == wanted
    assert len(permitted(periods)) == len(wanted)
    assert all(tuple(not on for on in each) in wanted for each in wanted), "the opposite is permitted too"
    assert best_schedule_p(periods) == 2 / len(wanted)


def test_the_lots_take_one_schedule_and_the_second_place_has_the_opposite():
    seen = set()
    for seed in map(str, range(300)):
        dealt = deal("on and off", TWO, 6, seed)
        first, second = dealt[::2], dealt[1::2]
        assert all({a, b} == set(TWO) for a, b in zip(first, second, strict=True))
        seen.add(tuple(name == "On" for name in first))
    assert seen == set(permitted(6)), "each of them can fall"
    assert deal("on and off", TWO, 6, "x") == deal("on and off", TWO, 6, "x")
    assert "on in half of the periods and never longer than two in a row" in how_to_check("on and off")
    three = ("A", "B", "C")
    for treatments, periods, why in ((three, 6, "two treatments, not 3"), (TWO, 7, "7 periods can’t be shared"),
                                     (TWO, 4, "an even number from 6 to 14")):  # fmt: skip
        with pytest.raises(LotsError, match=why):
            deal("on and off", treatments, periods, "x")


def test_the_shuffle_test_deals_every_permitted_schedule_again():
    """Against a plain loop; places and periods, however unlike, take nothing away."""
    found = units(2.0, noise=0.7)
    values = np.array([[unit.value] for unit in found])
    turns = turns_of(found, "Off", values)
    (test,) = schedule_tests(turns, values)
    higher = values[::2, 0] - values[1::2, 0]
    signs = np.where(np.array(permitted(8)), 1, -1)
    seen = np.where(np.array(SCHEDULE), 1, -1) @ higher / 8
    assert test.gap == pytest.approx(seen)
    assert test.p == pytest.approx(np.mean(np.abs(signs @ higher / 8) >= abs(seen) - 1e-9), abs=1e-12)
    assert (test.deals, test.exact, test.best_p) == (len(permitted(8)), True, best_schedule_p(8))
    moved = units(2.0, noise=0.7, place=300.0)
    numbers = np.array([[unit.value] for unit in moved])
    assert schedule_tests(turns_of(moved, "Off", numbers), numbers)[0].p == pytest.approx(test.p)
    assert (test.low, test.high) == (None, None), "34 schedules can't bound it"
    found = units(2.0, permitted(10)[30], 0.7)
    values = np.array([[unit.value] for unit in found])
    (test,) = schedule_tests(turns_of(found, "Off", values), values)
    inside = [shift for shift in np.linspace(-2, 6, 161) if _p_of(found, shift) > 0.05 + 1e-9]
    assert test.low <= min(inside) + 0.051
    assert test.high >= max(inside) - 0.051


def _p_of(found, shift):
    values = np.array([[unit.value - shift * (unit.treatment == "On")] for unit in found])
    return schedule_tests(turns_of(found, "Off", values), values)[0].p


@given(st.floats(-3, 3), st.integers(0, 50))
def test_the_model_takes_places_and_periods_out(gap, seed):
    judgement = judge(units(gap, seed=seed, noise=0.0), Question("Off", turns=True))
    (comparison,) = judgement.comparisons
    assert comparison.estimate == pytest.approx(gap, abs=1e-9)
    assert comparison.shuffle.deals == len(permitted(8))


def test_a_missing_period_has_no_shuffle_test_and_says_why():
    found = [replace(unit, value=None) if unit.unit == "u3-0" else unit for unit in units(3.0)]
    (comparison,) = judge(found, Question("Off", turns=True)).comparisons
    assert comparison.shuffle is None
    assert comparison.shuffle_reason.startswith("a period of one of the two places is missing")


def test_what_is_left_over_is_found_and_does_not_fire_by_itself():
    def told(found):
        values = np.array([[unit.value] for unit in found])
        return carry_over(turns_of(found, "Off", values))

    schedule = permitted(12)[40]
    assert told(units(3.0, schedule, 0.3, left=1.5)).p < 0.01
    clean = [told(units(3.0, schedule, 1.0, seed)).p < 0.05 for seed in range(400)]
    assert 0.02 < np.mean(clean) < 0.085


def test_days_are_shared_out_and_washouts_are_not_read():
    assert turned_rounds(24, 8) == (3, 6, 9, 12, 15, 18, 21, 24)
    assert turned_rounds(24, 6, (3, 4, 8, 12, 16, 20, 24)) == (3, 4, 8, 12, 16, 20, 24)
    for arguments, why in (
        ((25, 8), "25 days can’t be shared out over 8 periods: decide on day 24 or 32."),
        (
            (24, 6, (4, 8, 10, 16, 20, 24)),
            "Day 10 lies in a washout: the first 2 days of each period are not read. Day 12",
        ),
        ((24, 6, (4, 8, 16, 20, 24)), "Period 3 has no round at its end: day 12 is its last day."),
        ((24, 6, (4, 8, 12, 16, 20, 23)), "Period 6 has no round at its end: day 24 is its last day."),
        ((24, 6, (0, 4, 8, 12, 16, 20, 24)), "Day 0 is outside the trial: from day 1 to 24."),
        ((24, 6, (4, 8, 12, 16, 20, 24, 25)), "Day 25 is outside the trial: from day 1 to 24."),
        ((3, 2), "3 days can’t be shared out over 2 periods: decide on day 4."),
        ((1, 2), "1 day can’t be shared out over 2 periods: decide on day 4."),
    ):
        with pytest.raises(DaysError) as refused:
            turned_rounds(*arguments)
        assert why in str(refused.value)


def test_a_period_in_which_nothing_is_given_is_told():
    assert on_idle_turns("Whey", range(0, 32, 4), 32, 8) == []
    assert on_idle_turns("Whey", (0, 7, 14, 21, 28), 32, 4) == []
    (line,) = on_idle_turns("Diluted whey", (0, 7, 14, 21, 28), 32, 8)
    assert line.text == (
        "In periods 3, 5 and 7 of 8 nothing of diluted whey is given: a place that is on then gets none of it. "
        "Give it every 4 days."
    )
    assert on_idle_turns("Whey", (0, 3, 9), 12, 4)[0].text.startswith("In period 3 of 4 nothing of whey is given")


BEDS = Site((Place("bed", "Left", 0, 0, 200, 100), Place("bed", "Right", 300, 0, 200, 100)))


def test_the_cutter_makes_each_place_a_unit_anew_in_every_period():
    (found,) = proposals(BEDS, Wish(2, 8, 20, 40, 40, dealing="on and off"))
    assert (found.dealing, found.units_each, len(found.cuts)) == ("on and off", 8, 16)
    assert [cut.block for cut in found.cuts[:5]] == ["1", "1", "2", "2", "3"]
    assert len({cut.code for cut in found.cuts}) == 16
    assert len({cut.where for cut in found.cuts}) == 2
    for wish, why in (
        (Wish(3, 8, 20, 40, 40, dealing="on and off"), "two treatments, not 3"),
        (Wish(2, 7, 20, 40, 40, dealing="on and off"), "7 periods can’t be shared out"),
    ):
        with pytest.raises(GroundError, match=why):
            proposals(BEDS, wish)


def turned_trial(catalogue, gap=3.0):
    """Eight periods of three days on two beds, read on the last day of each."""
    trial = small_trial(catalogue, first="plant_height")
    (cut,) = proposals(BEDS, Wish(2, 8, 20, 40, 40, dealing="on and off"))
    letters = deal("on and off", ("A", "B"), 8, "turns")
    dealt = tuple(Unit(i, letter, each) for i, (letter, each) in enumerate(zip(letters, cut.cuts, strict=True)))
    rounds = tuple(Round(i, 3 * (i + 1), True, "", key=f"r{i}") for i in range(8))
    pours = tuple(Pour(i, letter, 3 * p, "poured", None, "", "", "") for i, (p, letter) in
                  enumerate((p, letter) for p in range(8) for letter in "AB"))  # fmt: skip
    trial = replace(trial, dealing="on and off", site=BEDS, units=dealt, rounds=rounds, decision_day=24, pours=pours,
                    asked=trial.asked[:1], scale="difference", worth=1.0)  # fmt: skip

    def grown(unit):
        return 20 + gap * (unit.letter == "A") + unit.id % 2 + 0.1 * (unit.id % 5)

    readings = [Reading(u.id, int(u.block) - 1, u.id, "plant_height", 1, grown(u), "", "", 1) for u in dealt]
    return trial, readings


def test_a_round_reads_its_period_and_a_pour_goes_where_the_turn_is(catalogue):
    trial, readings = turned_trial(catalogue)
    assert (trial.periods, trial.period_days) == (8, 3)
    for day, period in ((1, 1), (3, 1), (4, 2), (24, 8)):
        assert {unit.block for unit in trial.living(trial.date_of(day))} == {str(period)}, day
    for day, period in ((0, 1), (2, 1), (3, 2), (23, 8)):
        (unit,) = trial.given_to("A", day=day)
        assert (unit.block, unit.letter) == (str(period), "A"), day
    assert {unit.block for unit in trial.laid_out} == {"1"}
    values = unit_values(trial, trial.asked[0], readings)
    assert [(v.row, v.block, v.baseline) for v in values[:2]] == [("1", None, None)] * 2
    assert len({v.column for v in values}) == 2
    judgement = judge_trial(trial, trial.asked[0], readings)
    (comparison,) = judgement.comparisons
    assert comparison.estimate == pytest.approx(3.0, abs=0.2)
    assert comparison.verdict in ("better", "better_matters")
    told = [text_of(line) for line in judgement.trust if line.rule == "carry-over"]
    assert told[0].startswith("Nothing is shown to be left over")


@pytest.mark.parametrize("periods", [8, 12])
def test_the_chance_is_that_of_the_judging(periods):
    prospect = Prospect(2, periods, False, "difference", 1.0, 1.5, turns=True)
    found = chances(prospect, 6_000)
    shown = sum(share for verdict, share in found.shares["worth"].items() if verdict.startswith("better"))
    assert shown == pytest.approx(found.own, abs=4 * found.error)
    assert found.family_false_alarm == pytest.approx(0.05, abs=0.012)
    assert (found.best_p, found.deals) == (best_schedule_p(periods), len(permitted(periods)))
    with pytest.raises(ChanceError, match="an even number of periods from 6 to 14"):
        Prospect(2, 7, False, "difference", 1.0, 1.5, turns=True)


def test_the_planner_says_when_turns_fit_and_what_they_cant_do(catalogue):
    worms = [each.text for each in on_turns("on and off", catalogue["surface_worms"], "drench")]
    assert [
        text.startswith("Turns make much of two places. It speaks of these two places alone") for text in worms
    ] == [True]
    growth = [each.text for each in on_turns("on and off", catalogue["plant_height"], "mulch")]
    assert growth[0].startswith("Plant height does not go back when a place is off again")
    assert growth[1].startswith("What lies in the ground stays there")
    assert on_turns("pairs", catalogue["plant_height"], "drench") == []
    assert "From 8 of each on they can pass 1 in 20." not in on_units("on and off", 8, 2)[0].text
