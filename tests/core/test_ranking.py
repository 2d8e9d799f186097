"""All against all on noise of one's own: published figures, both sides of “shown”, and the sentences."""

import json
from dataclasses import replace

import pytest
from scipy import stats

from eproba.core.judging.judge import judge
from eproba.core.stats.series import Question, UnitValue
from eproba.core.wording.sentences import Wording, rank_headline, rank_sentence
from tests.core.cases import REFERENCE, made_up, units_of

OWN = json.loads((REFERENCE / "own_noise.expected.json").read_text())
CONTROLS = {"plantgrowth": "ctrl", "sleep_pairs": "drug1", "anorexia_baseline": "Cont"}


def own_figures(units, question):
    found = {c.treatment: c.own for c in judge(units, question).comparisons}
    return {treatment: own for treatment, own in found.items() if own is not None}


@pytest.mark.parametrize("case", OWN)
def test_own_figures_are_the_published_ones(case):
    """Alone, and among all by Šidák on each comparison's own df: all of it to 1e-6."""
    name, scale = case.rsplit(".", 1)
    judgement = judge(units_of(name), Question(CONTROLS[name], scale))
    assert {c.treatment for c in judgement.comparisons} == set(OWN[case])
    for comparison in judgement.comparisons:
        row = dict(OWN[case][comparison.treatment])
        assert comparison.estimate == pytest.approx(row.pop("estimate"), rel=1e-6)
        for figure, value in row.items():
            assert getattr(comparison.own, figure) == pytest.approx(value, rel=1e-6), figure


def test_two_alone_are_welch_and_pairs_are_the_paired_t():
    a, b = [10.0, 12.0, 11.5, 30.0, 9.5], [9.0, 9.2, 9.1, 9.4, 8.9]
    units = [UnitValue(f"{t}{i}", t, v) for t, each in (("A", a), ("B", b)) for i, v in enumerate(each)]
    own, welch = own_figures(units, Question("A"))["B"], stats.ttest_ind(b, a, equal_var=False)
    assert (own.p, own.p_adjusted, own.df) == pytest.approx((welch.pvalue, welch.pvalue, welch.df), rel=1e-9)
    paired = [UnitValue(f"{t}{i}", t, v, block=str(i)) for t, each in (("A", a), ("B", b)) for i, v in enumerate(each)]
    assert own_figures(paired, Question("A"))["B"].p == pytest.approx(stats.ttest_rel(b, a).pvalue, rel=1e-9)


def test_calm_units_in_plenty_lend_no_degrees_of_freedom():
    """Two wild controls beside eight calm units: Welch takes what noise it sees, never more than if all were alike."""
    wild, calm = [10.0, 10.1], [8.0, 12.0, 9.0, 11.0, 10.0, 13.0, 7.0, 10.0]
    units = [UnitValue(f"{t}{i}", t, v) for t, each in (("A", wild), ("B", calm)) for i, v in enumerate(each)]
    own = own_figures(units, Question("A"))["B"]
    assert stats.ttest_ind(calm, wild, equal_var=False).df > 6
    assert own.df == pytest.approx((1 / 2 + 1 / 8) ** 2 / ((1 / 2) ** 2 + (1 / 8) ** 2 / 7), rel=1e-9)


def test_what_scatters_widens_no_other_and_what_has_no_noise_is_left_out():
    calm = made_up(3, treatments=3, each=8)
    wild = [replace(u, value=30 + 10 * (u.value - 30)) if u.treatment == "C" else u for u in calm]
    before, after = (own_figures(units, Question("A")) for units in (calm, wild))
    assert after["B"].se == pytest.approx(before["B"].se)
    assert after["C"].se > 2.5 * before["C"].se
    alone = [*calm, UnitValue("z", "Z", 31.0)]
    assert set(own_figures(alone, Question("A"))) == {"B", "C"}
    flat = [replace(u, value=3.0) for u in calm]
    assert own_figures(flat, Question("A")) == {}
    for size in (1e-90, 1e98):
        vast = own_figures([replace(u, value=u.value * size) for u in calm], Question("A"))
        assert vast["B"].p == pytest.approx(before["B"].p, rel=1e-6)
        assert vast["B"].high_adjusted == pytest.approx(before["B"].high_adjusted * size, rel=1e-6)


def test_without_noise_of_its_own_that_of_the_others_stands_in_and_is_said():
    units = [UnitValue(f"{t}{i}", t, v) for t, v in (("A", 3.0), ("B", 3.5)) for i in range(4)]
    judgement = judge(
        [*units, *(UnitValue(f"C{i}", "C", v) for i, v in enumerate((3.0, 4.0, 5.0, 3.2)))], Question("A")
    )
    b, c = judgement.comparisons
    assert (b.own, b.carrying) == (None, b.pooled)
    assert b.pooled is not None
    assert c.carrying == c.own is not None
    assert [line.of or line.evidence["treatment"] for line in judgement.trust if line.rule == "own noise"] == ["B"]


def test_each_pair_is_judged_on_its_own_df_among_all_pairs():
    units = made_up(1, treatments=4, each=6, effect=1.5)
    pairs = {frozenset((pair.first, pair.second)): pair for pair in ranked(units).pairs}
    alone = {c.treatment: c.own for c in judge(units, Question("A")).comparisons}
    assert len(pairs) == 6
    for name, own in alone.items():
        pair = pairs[frozenset(("A", name))]
        assert pair.p_adjusted == pytest.approx(1 - (1 - own.p) ** 6, rel=1e-9)
        half = own.se * stats.t.ppf(1 - (1 - 0.95 ** (1 / 6)) / 2, own.df)
        assert pair.high - pair.low == pytest.approx(2 * half, rel=1e-9)


def ranked(units, **question):
    return judge(units, Question("A", ranked=True, **question)).ranking


def test_what_is_not_shown_to_differ_is_not_told_apart():
    units = made_up(1, treatments=4, each=6, effect=6.0)
    ranking = ranked(units)
    assert ranking.order[0] == "B"
    assert {pair.second for pair in ranking.behind("B")} == {"A", "C", "D"}
    assert set(ranking.not_told_from("A")) == {"C", "D"}
    assert all((pair.p_adjusted < 0.05) == pair.shown == (pair.low > 0) for pair in ranking.pairs)
    assert ranked(units, lower_is_better=True).order == ranking.order[::-1]
    assert judge(units, Question("A")).ranking is None


def test_who_has_one_unit_or_no_noise_is_left_out():
    units = [*made_up(1, each=4), UnitValue("x", "Z", 30.0)]
    assert sorted(ranked(units).order) == ["A", "B", "C"]
    assert ranked([UnitValue(f"{t}{i}", t, 3.0) for t in "AB" for i in range(3)]) is None
    assert ranked([UnitValue(t, t, 3.0, block=t) for t in "AB"]) is None


def said(values, **question):
    units = [UnitValue(f"{t}{i}", t, v) for t, each in values.items() for i, v in enumerate(each)]
    judgement = judge(units, Question("Sand", ranked=True, **question))
    wording = Wording("g", "were {gap} heavier", "were {gap} lighter")
    ranking = judgement.ranking
    return rank_headline(ranking), [rank_sentence(name, judgement, ranking, wording) for name in ranking.order]


def test_the_sentences_of_a_ranking():
    near = {"Sand": [9.0, 10, 11, 10], "Coir": [10.5, 11, 10, 11], "Loam": [19.0, 20, 21, 20]}
    assert said(near) == (
        "Loam came out ahead of all others",
        [
            "Ahead of Coir by about 9.4 g (likely between 7.7 and 11 g); ahead of Sand by about 10 g (likely "
            "between 8.1 and 12 g).",
            "No clear difference from Sand.",
            "No clear difference from Coir.",
        ],
    )
    assert said({name: near[name] for name in ("Sand", "Coir")})[0] == "None is shown to be ahead"
    headline, lines = said({**near, "Peat": [19.0, 20, 22, 20]})
    assert headline == "Peat and Loam lead; nothing separates them"
    assert lines[1].endswith("no clear difference from Peat.")
    steps = {"Sand": [9.0, 10, 11, 10], "Coir": [19.0, 20, 21, 20], "Loam": [29.0, 30, 31, 30]}
    assert said(steps)[1][-1] == "Shown behind all others."
