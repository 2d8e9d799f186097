"""All against all on noise of one's own: published figures, both sides of “shown”, and the sentences."""

import json

import numpy as np
import pytest
from scipy import stats

from eproba.core.judging.judge import judge
from eproba.core.stats.all_pairs import all_pairs_bound, all_pairs_p
from eproba.core.stats.own_noise import own_gaps
from eproba.core.stats.series import Question, UnitValue
from eproba.core.wording.sentences import Wording, rank_headline, rank_sentence
from tests.core.cases import REFERENCE, made_up, units_of

OWN = json.loads((REFERENCE / "own_noise.expected.json").read_text())
CONTROLS = {"plantgrowth": "ctrl", "sleep_pairs": "drug1", "anorexia_baseline": "Cont"}


@pytest.mark.parametrize("case", OWN)
def test_own_noise_is_the_published_one(case):
    name, scale = case.rsplit(".", 1)
    units, control = units_of(name), CONTROLS[name]
    values = np.array([unit.value for unit in units])
    baseline = np.array([unit.baseline for unit in units]) if units[0].baseline else None
    gaps = own_gaps(units, np.log(values) if scale == "ratio" else values, baseline, [(t, control) for t in OWN[case]])
    for gap, row in zip(gaps, OWN[case].values(), strict=True):
        assert (gap.estimate, gap.se, gap.df) == pytest.approx((row["estimate"], row["se"], row["df"]), rel=1e-9)


@pytest.mark.parametrize(("k", "df"), [(2, 3.0), (3, 5.3), (6, 40.0), (12, 7.7)])
def test_all_pairs_is_the_studentised_range(k, df):
    assert all_pairs_bound(k, df, 0.95) == pytest.approx(stats.studentized_range.ppf(0.95, k, df) / 2**0.5, rel=1e-6)
    assert all_pairs_p(-2.2, k, df) == pytest.approx(stats.studentized_range.sf(2.2 * 2**0.5, k, df), abs=1e-9)


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
        "Loam is ahead of all others",
        [
            "Ahead of coir by about 9.4 g (7.8 to 11 g fits); ahead of sand by about 10 g (8.2 to 12 g fits).",
            "Can’t be told apart from sand.",
            "Can’t be told apart from coir.",
        ],
    )
    assert said({name: near[name] for name in ("Sand", "Coir")})[0] == "None is shown to be ahead"
    headline, lines = said({**near, "Peat": [19.0, 20, 22, 20]})
    assert headline == "In front, not told apart: Peat and Loam"
    assert lines[1].endswith("can’t be told apart from peat.")
    steps = {"Sand": [9.0, 10, 11, 10], "Coir": [19.0, 20, 21, 20], "Loam": [29.0, 30, 31, 30]}
    assert said(steps)[1][-1] == "Shown behind all others."
