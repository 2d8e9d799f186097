"""The published cases: figures that R gives for the same model, and exact shuffle tests."""

import pytest

from eproba.core.judging.judge import judge
from eproba.core.stats.series import Question
from tests.core.cases import expected, units_of

CASES = [
    ("plantgrowth", "ctrl", "difference"),
    ("plantgrowth", "ctrl", "ratio"),
    ("sleep_pairs", "drug1", "difference"),
    ("anorexia_baseline", "Cont", "difference"),
]
SHUFFLES = [
    ("plantgrowth", "ctrl", "difference", "trt1", -0.371, 0.2479269956050142, 184756),
    ("plantgrowth", "ctrl", "difference", "trt2", 0.494, 0.04833401892225422, 184756),
    ("plantgrowth", "ctrl", "ratio", "trt1", -0.08321540932438, 0.20880512676178312, 184756),
    ("plantgrowth", "ctrl", "ratio", "trt2", 0.0968287578514, 0.04242352075169412, 184756),
    ("sleep_pairs", "drug1", "difference", "drug2", 1.58, 0.00390625, 1024),
]


@pytest.mark.parametrize(("case", "control", "scale"), CASES)
def test_model_figures(case, control, scale):
    wanted = expected(case, scale)
    judgement = judge(units_of(case), Question(control, scale))
    assert [c.treatment for c in judgement.comparisons] == list(wanted)
    for comparison in judgement.comparisons:
        row = wanted[comparison.treatment]
        assert comparison.estimate == pytest.approx(row["estimate"], rel=1e-6)
        for name in ("se", "df", "p", "low", "high"):
            assert getattr(comparison.pooled, name) == pytest.approx(row[name], rel=1e-6), name
        for name in ("low", "high"):
            value = row[f"{name}_adj"]
            assert abs(getattr(comparison.pooled, f"{name}_adjusted") - value) <= 0.002 * (abs(value) + row["se"])
        assert comparison.pooled.p_adjusted == pytest.approx(row["p_adj"], abs=0.002)


@pytest.mark.parametrize(("case", "control", "scale", "treatment", "gap", "p", "deals"), SHUFFLES)
def test_exact_shuffle(case, control, scale, treatment, gap, p, deals):
    judgement = judge(units_of(case), Question(control, scale))
    test = next(c.shuffle for c in judgement.comparisons if c.treatment == treatment)
    assert test is not None
    assert test.exact
    assert test.deals == deals
    assert test.gap == pytest.approx(gap, rel=1e-9)
    assert test.p == pytest.approx(p, abs=1e-9)


def test_a_single_lucky_treatment_is_not_shown_among_two():
    """trt2 alone looks like 1 in 21, among two treatments like 1 in 7: the adjusted figures carry the verdict."""
    judgement = judge(units_of("plantgrowth"), Question("ctrl", worth=0.5))
    trt2 = judgement.comparisons[1]
    assert trt2.shuffle.p < 0.05 < trt2.shuffle_p_adjusted
    assert trt2.verdict == "cannot_tell"
    assert trt2.needed.likely > 10
