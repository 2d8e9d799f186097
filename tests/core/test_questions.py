"""The other questions a trial may ask: is it no worse, and does more of it do more?"""

import numpy as np
import pytest
from scipy import stats

from eproba.core.judging.judge import judge
from eproba.core.judging.verdicts import verdict_of
from eproba.core.stats.sample_size import power
from eproba.core.stats.series import Question, UnitValue
from eproba.core.wording.sentences import Wording, headline, sentence, trend_sentence
from tests.core.cases import made_up

RUNGS = (("A", 0.0), ("B", 1.0), ("C", 2.0), ("D", 3.0))


def ladder(slope, blocks=6, seed=3):
    rng = np.random.default_rng(seed)
    return [
        UnitValue(f"{i}{name}", name, 10 + slope * score + float(rng.normal()), block=str(i))
        for i in range(blocks)
        for name, score in RUNGS
    ]


@pytest.mark.parametrize("lost", [False, True])
def test_the_trend_is_the_linear_contrast_of_the_same_model(lost):
    import statsmodels.formula.api as smf  # a second to read: only for whoever runs this

    units = ladder(0.8)[: 21 if lost else None]
    judgement = judge(units, Question("A", worth=1.0, ladder=RUNGS))
    table = {"value": [u.value for u in units], "name": [u.treatment for u in units], "block": [u.block for u in units]}
    fitted = smf.ols("value ~ C(name) + C(block)", table).fit()
    weights = np.zeros(len(fitted.params))
    for name, weight in (("B", -0.1), ("C", 0.1), ("D", 0.3)):
        weights[list(fitted.params.index).index(f"C(name)[T.{name}]")] = weight
    theirs = fitted.t_test(weights)
    trend = judgement.trend
    assert trend.slope == pytest.approx(theirs.effect[0])
    own = fitted.get_robustcov_results("HC2").t_test(weights)
    assert trend.se == pytest.approx(own.sd[0, 0]), "on the noise of its own, as R's sandwich has it"
    assert trend.df < fitted.df_resid
    alone = 2 * stats.t.sf(abs(trend.slope / trend.se), trend.df)
    assert trend.p == pytest.approx(1 - (1 - alone) ** 4), "three rungs and the trend share the 5 %"
    half = stats.t.ppf((1 + 0.95**0.25) / 2, trend.df) * trend.se
    assert (trend.low, trend.high) == pytest.approx((trend.slope - half, trend.slope + half))
    said = trend_sentence(trend, judgement, Wording("g"))
    assert f"Each step up the ladder: +{trend.slope:.2f} g" in said
    assert ("a flat ladder fits as well" if trend.p >= 0.05 else "stronger mixes did more, or less") in said


def test_a_ladder_with_a_rung_gone_has_no_trend():
    units = [u for u in ladder(0.8) if u.treatment != "C"]
    assert judge(units, Question("A", ladder=RUNGS)).trend is None
    assert judge(ladder(0.8), Question("A")).trend is None


@pytest.mark.parametrize(
    ("low", "high", "lower_is_better", "verdict"),
    [
        (-0.5, 2.0, False, "no_worse"),
        (-0.5, 0.5, False, "no_worse"),
        (-1.0, 2.0, False, "cannot_tell"),
        (-2.0, 0.5, True, "no_worse"),
        (0.1, 2.0, False, "better"),
        (-3.0, -1.5, False, "worse_matters"),
        (-0.8, -0.2, False, "worse_trivial"),
        (-0.8, 0.0, False, "no_worse"),
        (-2.0, -0.2, False, "worse"),
    ],
)
def test_no_worse_is_what_lies_above_the_margin(low, high, lower_is_better, verdict):
    assert verdict_of(low, high, 1.0, lower_is_better, no_worse=True) == verdict


def test_no_worse_says_by_how_much_it_might_still_be():
    units = made_up(5, 2, 12)
    judgement = judge(units, Question("A", worth=2.0, no_worse=True))
    (c,) = judgement.comparisons
    assert c.verdict == "no_worse"
    assert headline(c, judgement) == "No worse, within your margin"
    said = sentence(c, judgement, Wording("g"))
    assert f"it is no worse by more than {abs(c.carrying.low_adjusted):.2f} g" in said
    assert "inside the margin of 2 g that you allowed" in said


def test_units_that_would_settle_no_worse_are_those_of_the_one_sided_question():
    judgement = judge(made_up(4, 2, 4), Question("A", worth=0.8, no_worse=True))
    (c,) = judgement.comparisons
    assert c.verdict == "cannot_tell"
    n = c.needed.likely
    at, below = (power(each, 0.8, judgement.noise_sd, 1, False, 0, True) for each in (n, n - 1))
    assert below < 0.8 <= at
