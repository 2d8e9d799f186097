"""Other kinds than a quantity: by order, counts in percent, days not come, rates; bags and crops; the ground."""

import math
from dataclasses import replace
from itertools import combinations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from eproba.core.judging.departures import plan_lines
from eproba.core.judging.judge import judge
from eproba.core.judging.levels import levels_of
from eproba.core.stats.counts import log_gaps
from eproba.core.stats.neighbours import neighbours_alike
from eproba.core.stats.order import fewest_by_order, order_power, orders_of
from eproba.core.stats.reach import can_show, fewest_that_can
from eproba.core.stats.series import CannotJudge, Question, UnitValue
from eproba.core.stats.summaries import Point, rate, summarise, time_to
from eproba.core.trial.model import Rules
from eproba.core.wording.sentences import Wording, sentence
from tests.core.cases import small_trial

# --- By order ------------------------------------------------------------------------------------------------


def ordered(treated, control, blocks=None):
    values, arms = [*control, *treated], ["A"] * len(control) + ["B"] * len(treated)
    return orders_of(values, arms, "A", ["B"], blocks or [None] * len(values), 0.95, 1).get("B")


def test_many_units_are_brunner_and_munzel_s_as_scipy_has_them():
    rng = np.random.default_rng(1)
    control, treated = rng.integers(0, 5, 14), rng.integers(1, 6, 17)
    found = ordered(treated.tolist(), control.tolist())
    theirs = stats.brunnermunzel(control, treated)
    assert found.p == found.p_adjusted == pytest.approx(theirs.pvalue)
    above = np.mean([(t > c) + 0.5 * (t == c) for t in treated for c in control])
    assert found.chance == pytest.approx(above)
    assert (found.low > 0.5) == (found.p < 0.05)


def test_few_units_go_by_the_deals_themselves():
    """Four against four clean apart: 2 of 70 deals; three against three can't pass 1 in 20, and say so."""
    four = ordered([5, 6, 7, 8], [1, 2, 3, 4])
    assert (four.chance, four.p, four.reachable) == (1.0, pytest.approx(2 / 70), True)
    assert 0.5 < four.low < 1.0
    three = ordered([5, 6, 7], [1, 2, 3])
    assert (three.p, three.reachable) == (pytest.approx(2 / 20), False)
    assert three.low <= 0.5
    assert ordered([5], [1, 2, 3]) is None
    x = [1.0, 4.0, 2.0, 8.0, 5.0, 7.0, 9.0, 9.5]
    seen = ordered(x[4:], x[:4])
    reach = []
    for chosen in combinations(range(8), 4):
        t, c = [x[i] for i in chosen], [x[i] for i in range(8) if i not in chosen]
        p, q = ([np.mean([(a > b) + 0.5 * (a == b) for b in other]) for a in own] for own, other in ((t, c), (c, t)))
        variance = max(np.var(p, ddof=1) / 4 + np.var(q, ddof=1) / 4, 1 / 64)
        reach.append(abs(np.mean(p) - 0.5) / math.sqrt(variance))
    assert seen.p == pytest.approx(np.mean(np.array(reach) >= reach[-1] - 1e-9))


def test_in_blocks_units_are_compared_with_those_of_their_block():
    """Six blocks far apart, the treated a little above in each: 2 of 64 deals; anywhere, nothing is seen of it."""
    control, treated = [10.0 * i for i in range(6)], [10.0 * i + 1 for i in range(6)]
    names = [str(i) for i in range(6)] * 2
    within = ordered(treated, control, names)
    assert (within.chance, within.p) == (pytest.approx(1.0), pytest.approx(2 / 64))
    assert within.within
    assert within.low > 0.5
    anywhere = ordered(treated, control)
    assert (anywhere.within, anywhere.low < 0.5) == (False, True)
    assert anywhere.chance == pytest.approx(21 / 36)
    two = ordered([3.0, 4.0, 13.0, 14.0], [1.0, 2.0, 11.0, 12.0], ["a", "a", "b", "b"] * 2)
    assert (two.chance, two.p) == (1.0, pytest.approx(2 / 36))


def arms_of(groups):
    values = [float(value) for group in groups.values() for value in group]
    return values, [name for name, group in groups.items() for _ in group], [None] * len(values)


def all_orders(groups):
    values, arms, blocks = arms_of(groups)
    return orders_of(values, arms, "A", [name for name in groups if name != "A"], blocks, 0.95, 1)


def test_wholly_apart_in_every_pair_is_shown_however_many_are_compared():
    apart = all_orders({"A": [9, 10, 11, 12], "B": [3, 4, 5, 6], "C": [13, 14, 15, 16]})
    assert {name: order.p_adjusted for name, order in apart.items()} == pytest.approx({"B": 2 / 70, "C": 2 / 70})
    assert apart["B"].high < 0.5 < apart["C"].low
    luck = all_orders({"A": [9, 10, 11, 12], "B": [3, 4, 5, 6], "C": [8, 9.5, 10.5, 13]})
    assert luck["B"].p == pytest.approx(2 / 70)
    assert luck["B"].p_adjusted > 0.05, "among two it may be luck"
    assert luck["B"].low <= 0.5 <= luck["B"].high
    many = all_orders({"A": range(4), **{name: range(10 * i, 10 * i + 4) for i, name in enumerate("BCDE", 1)}})
    assert all(order.p_adjusted == pytest.approx(4 * 2 / 70) and not order.reachable for order in many.values())
    assert all(order.low <= 0.5 for order in many.values())


@settings(max_examples=40, deadline=None)
@given(st.lists(st.lists(st.integers(0, 9), min_size=2, max_size=6), min_size=2, max_size=5))
def test_an_order_is_shown_where_its_interval_says_so_and_its_p(groups):
    for order in all_orders(dict(zip("ABCDE", groups, strict=False))).values():
        assert order.p <= order.p_adjusted + 1e-12
        assert (order.low > 0.5 or order.high < 0.5) == (order.p_adjusted <= 0.05)
        assert order.reachable or order.p_adjusted > 0.05


@pytest.mark.parametrize(
    ("units", "compared", "blocks", "can"),
    [(3, 1, False, False), (4, 1, False, True), (4, 3, False, True), (4, 4, False, False), (5, 4, False, True),
     (4, 1, True, False), (5, 1, True, False), (6, 1, True, True), (1, 1, False, False)],
)  # fmt: skip
def test_how_many_units_some_order_could_show_it_with(units, compared, blocks, can):
    assert can_show(units, compared, blocks) == can
    assert can or order_power(units, 1.0, compared, blocks) == 0.0
    assert fewest_that_can(1, blocks=True) == 6
    assert fewest_that_can(1, blocks=False) == 4
    assert order_power(fewest_by_order(1, False, 0.75), 0.75, 1, False) >= 0.8


def classed(treated, control, **question):
    units = [UnitValue(f"c{i}", "A", float(v)) for i, v in enumerate(control)]
    units += [UnitValue(f"t{i}", "B", float(v)) for i, v in enumerate(treated)]
    return judge(units, Question("A", **question)).comparisons[0]


def test_classes_are_judged_by_their_order_whatever_their_numbers():
    one = classed([2, 3, 3, 3, 2, 3], [0, 1, 1, 0, 1, 2], kind="class")
    other = classed([20, 900, 900, 900, 20, 900], [0, 1, 1, 0, 1, 20], kind="class")
    assert one.verdict == other.verdict == "better"
    assert (one.order, one.shuffle.p) == (other.order, other.shuffle.p)
    assert (one.estimate, one.carrying) == (None, None), "there is no distance between classes"
    assert classed([2, 3, 3, 3, 2, 3], [0, 1, 1, 0, 1, 2], kind="class", lower_is_better=True).verdict == "worse"
    assert classed([0, 1, 1, 0, 1, 2], [0, 1, 1, 0, 1, 2], kind="class").verdict == "cannot_tell"
    with pytest.raises(CannotJudge, match="no percent"):
        classed([1], [1], kind="class", scale="ratio")


def test_scores_have_their_gap_and_the_order_beside_it():
    c = classed([2, 3, 3, 3, 2, 3], [0, 1, 1, 0, 1, 2], kind="score")
    assert c.own is not None
    assert not c.order.carries
    assert c.order.chance > 0.9


def test_days_with_not_yet_go_by_order_and_without_by_days():
    came = classed([5, 6, 6, 7, 5, 6], [9, 10, 12, 9, 11, 10], kind="day", lower_is_better=True)
    assert (came.verdict, came.order.carries) == ("better", False)
    not_yet = classed([5, 6, 6, 7, 5, 6], [9, 10, math.inf, 9, math.inf, 10], kind="day", lower_is_better=True)
    assert (not_yet.verdict, not_yet.estimate, not_yet.carrying) == ("better", None, None)
    assert not_yet.order.chance == 0.0
    assert not_yet.shuffle.p == pytest.approx(2 / 924)
    with pytest.raises(CannotJudge, match="not a finite number"):
        classed([5, 6], [math.inf, 6])


def test_days_keep_their_worth_where_all_units_of_both_reached_it():
    days = {"A": [9, 10, 11, 12, 10, 11], "B": [3, 4, 5, 6, 4, 5], "C": [13, 14, math.inf, math.inf, 15, 14]}
    units = [UnitValue(f"{t}{i}", t, float(v)) for t, group in days.items() for i, v in enumerate(group)]
    b, c = judge(units, Question("A", kind="day", worth=2.0, lower_is_better=True)).comparisons
    assert (b.treatment, b.verdict, b.by_order, b.estimate) == ("B", "better_matters", False, pytest.approx(-6.0))
    assert (c.treatment, c.verdict, c.by_order, c.estimate) == ("C", "worse", True, None)
    alone = judge([unit for unit in units if unit.treatment != "C"], Question("A", kind="day", worth=2.0))
    assert b.own.p == pytest.approx(alone.comparisons[0].own.p)
    assert b.own.p_adjusted == pytest.approx(1 - (1 - b.own.p) ** 2), "the other comparison shares the 5 %"


def test_what_can_not_be_told_by_order_says_what_would_settle_it():
    units = [UnitValue(f"{t}{i}", t, float(v), str(i)) for t, group in
             {"Sand": [1, 2, 1, 2], "Coir": [2, 3, 2, 3]}.items() for i, v in enumerate(group)]  # fmt: skip
    judgement = judge(units, Question("Sand", kind="class"))
    assert sentence(judgement.comparisons[0], judgement, Wording()) == (
        "In 100 of 100 pairs of one block a unit with Coir stood higher than one with Sand (ties count half), "
        "but it could be anything between 50 and 100 of 100, so perhaps nothing. With so few units no order at all "
        "could show it. "
        "29 units of each (4 here) would show it 8 times in 10, if 75 of 100 pairs truly speak for it."
    )


# --- Counts --------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("blocks", [False, True])
def test_counts_in_percent_are_the_quasi_poisson_of_statsmodels(blocks):
    import statsmodels.api as sm  # a second to read: only for whoever runs this

    rng = np.random.default_rng(4)
    units = [
        UnitValue(f"{t}{i}", t, float(rng.negative_binomial(2, 2 / (2 + m))), str(i) if blocks else None)
        for i in range(8)
        for t, m in (("A", 6), ("B", 9), ("C", 5))
    ]
    found = log_gaps(units, ["B", "C"], 0.95)
    columns = [[1.0, u.treatment == "B", u.treatment == "C"] for u in units]
    if blocks:
        columns = [row + [u.block == str(i) for i in range(1, 8)] for row, u in zip(columns, units, strict=True)]
    x = np.array(columns, dtype=float)
    theirs = sm.GLM([u.value for u in units], x, family=sm.families.Poisson()).fit(scale="X2")
    assert theirs.scale > 1
    assert [found[t].estimate for t in "BC"] == pytest.approx(theirs.params[1:3].tolist(), rel=1e-6)
    width = (found["B"].high - found["B"].low) / 2 / theirs.bse[1]
    assert stats.t.ppf(0.975, theirs.df_resid) < width < stats.t.ppf(1 - 0.0125, theirs.df_resid)


def test_nothing_is_told_in_percent_of_a_group_that_is_all_zero():
    units = [UnitValue(f"{t}{i}", t, v) for t, v in (("A", 0.0), ("B", 3.0)) for i in range(4)]
    assert log_gaps(units, ["B"], 0.95) == {}
    assert judge(units, Question("A", kind="count")).comparisons[0].percent is None
    calm = [UnitValue(f"{t}{i}", t, 5.0 + i % 2) for t in "AB" for i in range(4)]
    gap = log_gaps(calm, ["B"], 0.95)["B"]
    assert gap.high == pytest.approx(stats.t.ppf(0.975, 6) * math.sqrt(2 / 22), rel=1e-6), "dispersion is 1 at least"


def test_counts_from_one_to_eight_are_covered():
    """At Poisson 1 → 8 a linear gap covered 91 %; the count model keeps its 95 (400 trials, 3 standard errors)."""
    rng, held = np.random.default_rng(7), 0
    for _ in range(400):
        draws = [*rng.poisson(1, 6), *rng.poisson(8, 6)]
        if not any(draws[:6]):
            held += 1  # nothing is told, so nothing is missed
            continue
        gap = log_gaps([UnitValue(str(i), "AB"[i // 6], float(v)) for i, v in enumerate(draws)], ["B"], 0.95)["B"]
        held += gap.low <= math.log(8) <= gap.high
    assert held / 400 >= 0.95 - 3 * math.sqrt(0.05 * 0.95 / 400)


# --- Rates and days of reaching a level ----------------------------------------------------------------------


def course(*points):
    return tuple(Point(day, day, float(value)) for day, value in points)


def test_a_rate_is_the_slope_and_on_the_ratio_scale_that_of_the_logs():
    grown = course((0, 10), (7, 17), (14, 24), (28, 38))
    assert summarise(grown, "rate", "difference", 28) == (pytest.approx(1.0), None)
    doubled = course((0, 5), (10, 10), (20, 20))
    assert math.log(summarise(doubled, "rate", "ratio", 20)[0]) == pytest.approx(math.log(2) / 10)
    assert summarise(grown[:3], "rate", "difference", 28)[0] is None, "never carried forward"
    assert rate(course((0, 5)), "difference") is None
    assert rate(course((0, 0), (7, 5)), "ratio") is None


@pytest.mark.parametrize(
    ("points", "level", "day"),
    [(((0, 2), (10, 12), (20, 14)), 7, 5.0), (((0, 12), (10, 2)), 7, 5.0), (((0, 7), (20, 9)), 7, math.inf),
     (((0, 2), (20, 5)), 7, math.inf), (((0, 2), (10, 5)), 7, None), (((0, 2), (10, 9)), 7, 10 * 5 / 7)],
)  # fmt: skip
def test_the_day_of_reaching_a_level_from_either_side(points, level, day):
    found = time_to(course(*points), 20, level)
    assert found == (day if day is None or math.isinf(day) else pytest.approx(day))
    assert time_to(course(*points), 20, None) is None


# --- Bags, batches, crops ------------------------------------------------------------------------------------


def test_whether_it_holds_for_every_crop_or_for_one(catalogue):
    trial = replace(small_trial(catalogue), rules=Rules(crops=("chard", "pak choi")))
    names = {"A": "Comfrey steep", "B": "Plain water"}
    question = Question("Plain water")

    def values(*gaps):
        return [
            UnitValue(u.code, names[u.letter], 10 + (gaps[int(u.block) - 1] if u.letter == "A" else 0.0), u.block)
            for u in trial.units
        ]

    (apart,) = levels_of(trial, values(3, 0.1, 3.2, -0.1, 2.9, 0), question)
    assert [(level.name, level.blocks) for level in apart.levels] == [("chard", 3), ("pak choi", 3)]
    theirs = stats.f_oneway([3, 3.2, 2.9], [0.1, -0.1, 0])
    assert apart.p == pytest.approx(theirs.pvalue)
    (alike,) = levels_of(trial, values(1, 2, 3, 2, 1, 3), question)
    assert alike.p > 0.05
    assert levels_of(replace(trial, rules=Rules()), values(1, 2, 3, 2, 1, 3), question) == ()
    (single,) = levels_of(replace(trial, rules=Rules(), batches=6), values(1, 2, 3, 2, 1, 3), question)
    assert (single.kind, single.p) == ("batch", None)
    for levels, level, says in ((apart, "caution", "another for each"), (alike, "note", "alike for each"),
                                (single, "note", "one block each")):  # fmt: skip
        judgement = replace(judge(values(1, 2, 3, 2, 1, 3), question), levels=(levels,))
        told = [line for line in plan_lines(trial, trial.asked[0], [], judgement, []) if line.rule.startswith("by ")]
        assert [(line.rule, line.level, line.says) for line in told] == [(f"by {levels.kind}", level, says)]


# --- The ground ----------------------------------------------------------------------------------------------


def test_a_gradient_across_the_ground_is_found_and_none_is_not():
    places = [(0, 30.0 * (i % 6), 30.0 * (i // 6)) for i in range(24)]
    slope = [x + 0.01 * y for _, x, y in places]
    assert neighbours_alike(places, slope) == pytest.approx(1 / 500)
    rng, fired = np.random.default_rng(3), 0
    for _ in range(200):
        fired += neighbours_alike(places, rng.normal(size=24).tolist()) <= 0.05
    assert fired / 200 <= 0.05 + 3 * math.sqrt(0.05 * 0.95 / 200)
    assert neighbours_alike([(i, 0.0, 0.0) for i in range(9)], [1.0, 2.0] * 4 + [1.0]) is None
    assert neighbours_alike(places, [5.0] * 24) is None


def test_what_counts_of_a_measure_has_its_words(catalogue):
    trial = replace(small_trial(catalogue, first="plant_height"), summary="rate")
    said = Wording.of(trial, trial.asked[0])
    assert (said.unit, said.a_day, said.more) == ("cm a day", True, "gained {gap} more of plant height")
    reached = replace(trial, summary="time_to", rules=Rules(level=25.0))
    assert Wording.of(reached, reached.asked[0]).unit == "days"
    assert Wording.of(reached, reached.asked[1]).unit == "leaves"
