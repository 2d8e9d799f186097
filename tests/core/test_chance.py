"""The chance of a clear answer: exact where that is known, else true to its Monte Carlo error."""

import math
from dataclasses import replace
from datetime import date

import numpy as np
import pytest
from scipy import stats

from eproba.core.catalogue import measures
from eproba.core.judging.judge import judge
from eproba.core.measuring.measures import OwnNoise
from eproba.core.planning.chance import (
    adjusted_power,
    alike_share,
    chances,
    detectable,
    own_df,
    own_power,
    pairwise_power,
    table,
)
from eproba.core.planning.draft import MeasurePart
from eproba.core.planning.outlook import Help, Noise, helps, noise_of, reach_of
from eproba.core.planning.prospect import ChanceError, Prospect
from eproba.core.planning.simulating import simulated
from eproba.core.stats.sample_size import units_needed
from eproba.core.stats.series import Question, UnitValue

RATIO = Prospect(2, 6, False, "ratio", 0.2, 0.3)
MILLILITRES = Prospect(4, 6, True, "difference", 20.0, 15.0)


@pytest.mark.parametrize("units", [2, 3, 6, 12])
@pytest.mark.parametrize("gap", [0.5, 1.0, 2.0])
def test_one_pair_is_the_t_test_of_the_textbooks(units, gap):
    from statsmodels.stats.power import TTestIndPower  # a second to read: only for whoever runs this

    prospect = Prospect(2, units, False, "difference", 1.0, gap)
    theirs = TTestIndPower().power(gap, units, 0.05)
    assert pairwise_power(prospect) == pytest.approx(theirs, abs=0.002)


@pytest.mark.parametrize("prospect", [MILLILITRES, RATIO, replace(RATIO, treatments=5, blocks=True)])
def test_pairwise_is_the_noncentral_t_with_the_pooled_noise(prospect):
    sd = math.sqrt(math.log(1 + prospect.noise**2)) if prospect.scale == "ratio" else prospect.noise
    gap = math.log(1 + prospect.worth) if prospect.scale == "ratio" else prospect.worth
    k, n = prospect.treatments, prospect.units
    df = k * n - k - (n - 1 if prospect.blocks else 0)
    bound = stats.t.ppf(0.975, df)
    lost = stats.nct.cdf(bound, df, gap / (sd * math.sqrt(2 / n))) - stats.nct.cdf(
        -bound, df, gap / (sd * math.sqrt(2 / n))
    )
    assert pairwise_power(prospect) == pytest.approx(1 - lost, abs=1e-6)


def test_two_treatments_need_no_adjustment_and_more_do():
    two, many = chances(RATIO, 500), chances(replace(RATIO, treatments=5), 500)
    assert two.pairwise == pytest.approx(two.adjusted, abs=1e-4)
    assert many.adjusted < many.pairwise - 0.05
    assert many.own < many.adjusted
    assert many.pairwise > two.pairwise, "the noise is pooled over all units"


@pytest.mark.parametrize("prospect", [MILLILITRES, RATIO, replace(MILLILITRES, treatments=4, units=4, square=True)])
def test_shares_agree_with_the_exact_chance(prospect):
    found = chances(prospect, 8_000)
    shown = sum(found.shares["worth"][verdict] for verdict in ("better_matters", "better", "better_trivial"))
    assert shown == pytest.approx(found.own, abs=3 * found.error)
    for truth, shares in found.shares.items():
        assert sum(shares.values()) == pytest.approx(1), truth
    assert found.shares["twice_worth"]["better_matters"] > found.shares["worth"]["better_matters"]


@pytest.mark.parametrize("treatments", [2, 3, 4, 5, 6])
@pytest.mark.parametrize("blocks", [False, True])
def test_nothing_is_called_something_in_five_of_a_hundred_trials_at_most(treatments, blocks):
    prospect = Prospect(treatments, 4, blocks, "ratio", 0.2, 0.3)
    found = chances(prospect, 4_000)
    error = 3 * math.sqrt(0.05 * 0.95 / 4_000)
    assert found.family_false_alarm <= 0.05 + error
    assert found.family_false_alarm >= 0.035 - error, "nor is it wasted on caution"


def test_the_simulation_is_the_judging_itself():
    """The same noise judged by `judge`, trial by trial, gives the same shares."""
    prospect = replace(MILLILITRES, treatments=3, units=4)
    simulation = simulated(prospect, 60, seed=7)
    names = [f"treatment {i}" for i in range(3)]
    noise = np.random.default_rng(7).normal(0.0, 20.0, (12, 60))
    verdicts, false = [], 0
    for trial in range(60):
        units = [
            UnitValue(f"{i}{name}", name, float(noise[3 * i + j, trial]), block=str(i))
            for i in range(4)
            for j, name in enumerate(names)
        ]
        judged = judge(units, Question(names[0], worth=15.0)).comparisons
        verdicts.append(judged[0].uncapped)
        false += any(c.own.low_adjusted > 0 or c.own.high_adjusted < 0 for c in judged)
    for verdict, share in simulation.shares["nothing"].items():
        assert share == pytest.approx(verdicts.count(verdict) / 60), verdict
    assert simulation.false_alarm == pytest.approx(false / 60)


def test_detectable_is_found_in_eight_of_ten():
    gap = detectable(RATIO)
    assert chances(replace(RATIO, worth=gap), 500).own == pytest.approx(0.8, abs=1e-6)
    units = units_needed(MILLILITRES.gap, MILLILITRES.sd, 3, True)
    at, below = (chances(replace(MILLILITRES, units=n), 500).own for n in (units, units - 1))
    assert below < 0.8 <= at


def test_the_table_holds_what_the_plan_itself_says():
    rows = table(MILLILITRES, (4, 6, 9), (10.0, 15.0))
    assert rows[1][1] == pytest.approx(chances(MILLILITRES, 500).own)
    assert [row[1] for row in rows] == sorted(row[1] for row in rows)
    assert all(row[0] < row[1] for row in rows)


def test_what_the_lots_can_reach():
    three = chances(Prospect(2, 3, False, "difference", 1, 1), 500)
    assert (three.best_p, three.deals) == (pytest.approx(0.1), 20), "1 in 10, never 1 in 20"
    six = chances(Prospect(2, 6, True, "difference", 1, 1), 500)
    assert (six.best_p, six.deals) == (pytest.approx(1 / 32), 64)


def test_one_of_each_is_seen_never_shown():
    found = chances(Prospect(3, 1, False, "ratio", 0.2, 0.3), 500)
    assert {found.pairwise, found.adjusted, found.own, found.detectable} == {None}
    assert all(shares["seen_not_shown"] == 1 for shares in found.shares.values())
    assert found.family_false_alarm == 0


def test_no_worse_is_granted_to_equals_and_refused_beyond_the_margin():
    prospect = Prospect(2, 20, False, "difference", 10.0, 10.0, no_worse=True)
    found = chances(prospect, 20_000)
    good = found.shares["nothing"]["no_worse"] + sum(
        found.shares["nothing"][v] for v in ("better", "better_matters", "better_trivial")
    )
    assert good == pytest.approx(found.own, abs=3 * found.error)
    assert found.shares["worth"]["no_worse"] <= 0.025 + 3 * math.sqrt(0.025 * 0.975 / 20_000), "worse by the margin"
    assert found.shares["twice_worth"]["no_worse"] < 0.001
    assert found.shares["twice_worth"]["worse"] + found.shares["twice_worth"]["worse_matters"] > 0.95


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"worth": 0}, "smallest gap that would change what you do"),
        ({"noise": 3.0}, "A CV of 300 % .* up to 150 % fits"),
        ({"noise": 1e-302}, "A CV of 1e-300 % is less than any garden's: 0.0001 % is the least"),
        ({"noise": 0}, "no two units are ever quite alike"),
        ({"treatments": 1}, "2 to 12, the control counted"),
        ({"units": 0}, "1 to 200"),
        ({"square": True}, "has 2 units of each, not 6: take 2 × 2, or blocks"),
    ],
)
def test_figures_that_can_not_be_get_their_sentence(changes, said):
    with pytest.raises(ChanceError, match=said):
        replace(RATIO, **changes)


@pytest.mark.parametrize(
    ("treatments", "units", "blocks", "df"),
    [(2, 6, False, 10), (2, 6, True, 5), (5, 3, False, 4), (3, 6, True, 8)],
)
def test_own_noise_has_welch_s_degrees_of_freedom(treatments, units, blocks, df):
    """Without blocks 2 (n − 1) for any pair, however many treatments; in pairs n − 1: Welch (1947), the paired t."""
    prospect = Prospect(treatments, units, blocks, "ratio", 0.2, 0.3)
    assert own_df(prospect) == pytest.approx(df)
    if treatments == 2 and blocks:
        assert own_power(prospect) == pytest.approx(adjusted_power(prospect))
    else:
        assert own_power(prospect) < adjusted_power(prospect), "fewer degrees of freedom: a wider interval"


def test_one_trial_of_one_s_own_moves_the_noise_by_what_it_knows():
    """Twelve units that came out quiet: the chance grows, but does not leap; more trials pull harder."""
    height = measures()["plant_height"]
    usual = noise_of(height, "ratio", None, None)
    once, often = (noise_of(height, "ratio", None, OwnNoise(0.054, df, n)) for df, n in ((10, 1), (60, 6)))
    assert usual.value == pytest.approx(height.noise_cv)
    assert usual.low < usual.value < usual.high
    assert 0.054 < often.value < once.value < usual.value
    assert once.value == pytest.approx(0.127, abs=0.005)
    assert once.high - once.low < usual.high - usual.low
    assert noise_of(height, "ratio", 0.3, OwnNoise(0.054, 10, 1)).value == 0.3


def test_what_helps_most_is_at_most_three_things_each_a_gain():
    measure = MeasurePart(
        "plant_height", "better", 15.0, "ratio", False, date(2026, 5, 1), 28, 1, None, (), "last"
    )  # fmt: skip
    prospect = Prospect(4, 4, True, "ratio", 0.18, 0.15)
    found = helps(prospect, measure, measures(), baseline=False)
    assert len(found) == 3
    assert [each.chance for each in found] == sorted((each.chance for each in found), reverse=True)
    assert all(each.chance > own_power(prospect) for each in found)
    assert found[0].key.startswith("units-")
    settled = Prospect(2, 200, True, "ratio", 0.05, 0.5)
    assert helps(settled, measure, measures(), baseline=True) == ()


@pytest.mark.parametrize(
    ("scale", "worth", "noise", "unit", "no_worse", "said"),
    [
        (
            "ratio",
            0.15,
            0.18,
            "",
            False,
            "makes 15 %, this plan shows it in 22 of 100 gardens (13 to 40, by",
        ),
        (
            "difference",
            3.0,
            2.2,
            "worms",
            False,
            "makes a difference of 3 worms, this plan shows it in 55 of 100 gardens (32 to 85, ",
        ),
        (
            "difference",
            3.0,
            2.2,
            "worms",
            True,
            "If it truly is as good, this plan shows that it is no worse by 3 worms in 55 of",
        ),
    ],
)
def test_the_chance_is_one_sentence_with_its_range(scale, worth, noise, unit, no_worse, said):
    prospect = Prospect(2, 6, False, scale, noise, worth, no_worse=no_worse)
    reach = reach_of(prospect, Noise(noise, "", 0.7 * noise, 1.4 * noise), ())
    assert reach.low < reach.chance < reach.high, "a noise in the unit knows no most"
    assert said in reach.words(unit)
    helps = [Help("a", "A", 0.85, 9.0), Help("b", "B", 0.82, 4.0), Help("c", "C", 0.99, 30.0)]
    assert reach_of(prospect, Noise(noise, "", noise, noise), helps).help.key == "b", "the cheapest that is enough"
    assert (
        reach_of(prospect, Noise(noise, "", noise, noise), [Help("d", "D", 0.6), Help("e", "E", 0.7)]).help.key == "e"
    )
    sure = Prospect(2, 24, False, scale, noise / 4, worth, no_worse=no_worse)
    assert reach_of(sure, Noise(noise, "", noise, noise), helps).help is None, "it can tell already"
    assert reach_of(replace(prospect, units=1), Noise(noise, "", noise, noise), ()) is None


def test_rounding_is_part_of_the_chance():
    """Whole centimetres that hardly differ: where all units read alike, nothing is shown."""
    fine = Prospect(2, 4, False, "difference", 0.4, 1.0)
    coarse = replace(fine, step=1.0)
    shown, rounded = (chances(one, 4_000) for one in (fine, coarse))
    assert shown.shares["worth"]["seen_not_shown"] == 0
    alike = _all_alike(0.4, 8, 4_000)
    assert rounded.shares["nothing"]["seen_not_shown"] == pytest.approx(alike, abs=4 * rounded.error)
    assert chances(replace(coarse, step=0.01), 4_000).shares["worth"] == pytest.approx(shown.shares["worth"], abs=0.03)
    percent = Prospect(2, 4, False, "ratio", 0.05, 0.3, step=1.0)
    assert not percent.rounded, "in percent nobody knows of what"
    assert chances(replace(percent, level=4.0), 2_000).shares["worth"]["seen_not_shown"] > 0.1


@pytest.mark.parametrize(("units", "step"), [(4, 1.0), (4, 2.0), (6, 2.0), (6, 2.5), (10, 2.5)])
def test_the_chance_by_formula_knows_of_rounding_what_judging_makes_of_it(units, step):
    rounded = Prospect(2, units, False, "difference", 1.0, 2.2, step=step)
    found = chances(rounded, 6_000)
    shown = sum(share for verdict, share in found.shares["worth"].items() if verdict.startswith("better"))
    assert shown == pytest.approx(found.own, abs=0.025 + 3 * found.error)
    assert found.own < chances(replace(rounded, step=0.0), 100).own
    assert alike_share(rounded) == pytest.approx(found.shares["worth"]["seen_not_shown"], abs=0.01)
    assert alike_share(replace(rounded, treatments=3)) == 0.0


def _all_alike(sd, units, trials):
    """How often groups read alike within themselves: drawn plainly."""
    rng = np.random.default_rng(5)
    values = np.round(rng.normal(0, sd, (trials, units)) + rng.uniform(0, 1, (trials, 1)))
    halves = values[:, : units // 2], values[:, units // 2 :]
    return float(np.mean([np.ptp(a) == np.ptp(b) == 0 for a, b in zip(*halves, strict=True)]))


def test_a_ladder_asks_its_trend_too():
    plain = Prospect(4, 6, False, "difference", 1.0, 1.5)
    ladder = replace(plain, laddered=True)
    assert (plain.at_once, ladder.at_once, replace(plain, crossed=True).at_once) == (3, 4, 6)
    found = chances(ladder, 6_000)
    assert found.family_false_alarm <= 0.05 + 3 * found.error
    assert found.own < chances(plain, 100).own
    shown = sum(share for verdict, share in found.shares["worth"].items() if verdict.startswith("better"))
    assert shown == pytest.approx(found.own, abs=3 * found.error)


def test_classes_are_planned_by_their_order():
    """The chance by formula against the judging itself; in four blocks no order can show anything."""
    classes = Prospect(3, 8, False, "difference", 1.0, 1.5, kind="class")
    found = chances(classes)
    shown = sum(share for verdict, share in found.shares["worth"].items() if verdict.startswith("better"))
    assert shown == pytest.approx(found.own, abs=4 * found.error)
    assert own_power(replace(classes, worth=found.detectable)) == pytest.approx(0.8, abs=1e-6)
    four = chances(Prospect(2, 4, True, "difference", 1.0, 3.0, kind="class"))
    assert (four.own, four.detectable) == (0.0, None)
    assert four.shares["twice_worth"]["cannot_tell"] == 1.0
    with pytest.raises(ChanceError, match="has no percent"):
        replace(classes, scale="ratio")
    with pytest.raises(ChanceError, match="judged by their order"):
        replace(classes, no_worse=True)
