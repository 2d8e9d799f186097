"""The judgement as a whole: lost units, odd designs, what moves it and what must not."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from eproba.core.judging.judge import judge, judge_together
from eproba.core.judging.verdicts import verdict_of
from eproba.core.stats.sample_size import power, units_needed
from eproba.core.stats.series import CannotJudge, Question, UnitValue
from eproba.core.wording.ledger import text_of
from tests.core.cases import made_up

Q = Question("A", worth=1.0)


def whole_model(units, control="A"):
    """The same model by plain least squares on all columns at once: gaps, SEs, df."""
    names = [n for n in dict.fromkeys(u.treatment for u in units) if n != control]
    parts = [[1.0] + [float(u.treatment == n) for n in names] for u in units]
    for field in ("block", "row", "column"):
        labels = sorted({getattr(u, field) for u in units} - {None})[1:]
        parts = [p + [float(getattr(u, field) == label) for label in labels] for p, u in zip(parts, units, strict=True)]
    if units[0].baseline is not None:
        parts = [[*p, u.baseline] for p, u in zip(parts, units, strict=True)]
    x, y = np.array(parts), np.array([u.value for u in units])
    beta, *_ = np.linalg.lstsq(x, y, rcond=None)
    df = len(y) - np.linalg.matrix_rank(x)
    sigma2 = ((y - x @ beta) ** 2).sum() / df
    covariance = sigma2 * np.linalg.pinv(x.T @ x)
    k = len(names)
    return beta[1 : k + 1], np.sqrt(np.diag(covariance))[1 : k + 1], df


@pytest.mark.parametrize("blocks", [False, True])
@pytest.mark.parametrize("baseline", [False, True])
def test_unbalanced_with_lost_units_is_the_whole_model(blocks, baseline):
    units = made_up(1, 4, 6, blocks=blocks, effect=2, baseline=baseline)
    lost = [replace(u, value=None) if u.unit in ("u3", "u9", "u14") else u for u in units]
    judgement = judge(lost, Q)
    gaps, ses, df = whole_model([u for u in lost if u.value is not None])
    assert judgement.units == 21
    assert judgement.design == ("blocks" if blocks else "completely random")
    for c, gap, se in zip(judgement.comparisons, gaps, ses, strict=True):
        assert (c.estimate, c.pooled.se, c.pooled.df) == (pytest.approx(gap), pytest.approx(se), df)
        for told in (c.pooled, c.own):
            assert told.low_adjusted < told.low < c.estimate < told.high < told.high_adjusted
            assert told.p < told.p_adjusted
    assert any(line.rule == "lost units" and "u3" in text_of(line) for line in judgement.trust)


def latin(side, noise, effect=0.0, seed=2):
    rng = np.random.default_rng(seed)
    return [
        UnitValue(
            f"{r}{c}",
            "ABCDE"[(r + c) % side],
            5 + r + 2 * c + noise * rng.normal() + (effect if (r + c) % side == 1 else 0.0),
            row=str(r),
            column=str(c),
        )
        for r in range(side)
        for c in range(side)
    ]


def test_a_latin_square_is_dealt_again_whole():
    """Every square that rows, columns and letters give; the model's t; our gap with two letters changed over ties."""
    units = latin(4, 1.0)
    judgement = judge(units, Q)
    gaps, ses, df = whole_model(units)
    assert judgement.design == "row-column"
    assert [c.estimate for c in judgement.comparisons] == pytest.approx(list(gaps))
    assert [c.pooled.se for c in judgement.comparisons] == pytest.approx(list(ses))
    assert {c.pooled.df for c in judgement.comparisons} == {df} == {6}
    for c in judgement.comparisons:
        assert (c.shuffle.deals, c.shuffle.exact, c.shuffle.low) == (432, True, None)
        assert c.shuffle.best_p == pytest.approx(4 / 432)
        assert c.shuffle.p >= 4 / 432 - 1e-12
    clear = judge(latin(4, 0.05, 3.0), Q).comparisons[0]
    assert clear.shuffle.p <= 24 / 432 + 1e-9, "B where it lies, the other letters anyhow"
    assert judge(latin(5, 0.05, 3.0), Q).comparisons[0].shuffle.p <= 0.005
    assert judge(latin(3, 1.0), Q).comparisons[0].shuffle.best_p == pytest.approx(2 / 12)
    lost = [replace(u, value=None) if u.unit == "12" else u for u in units]
    assert judge(lost, Q).comparisons[0].shuffle.deals == 432


def test_rows_alone_are_blocks_and_a_part_of_a_square_is_no_known_deal():
    units = made_up(3, 3, 4, blocks=True)
    rows = [replace(u, row=u.block, block=None) for u in units]
    blocks, in_rows = judge(units, Q), judge(rows, Q)
    assert in_rows.design == "blocks"
    for one, other in zip(blocks.comparisons, in_rows.comparisons, strict=True):
        assert (other.shuffle.p, other.own.p) == pytest.approx((one.shuffle.p, one.own.p))
    part = judge([u for u in latin(4, 1.0) if u.row != "3"], Q)
    assert all("not as a whole Latin square" in c.shuffle_reason for c in part.comparisons)


def test_one_of_each_is_described_and_never_judged():
    judgement = judge([UnitValue("1", "A", 10.0), UnitValue("2", "B", 13.0)], Q)
    (c,) = judgement.comparisons
    assert judgement.design == "one of each"
    assert (c.estimate, c.verdict, c.needed) == (3.0, "seen_not_shown", None)
    assert {c.pooled, c.own, c.p_adjusted, c.shuffle, c.shuffle_p_adjusted} == {None}
    assert [line.level for line in judgement.trust if line.rule == "replication"] == ["cap"]


def test_a_single_unit_does_not_spoil_the_others():
    units = [*made_up(3, 2, 6, effect=4), UnitValue("x", "C", 12.0)]
    judgement = judge(units, Q)
    without = judge(units[:-1], Q)
    assert [c.verdict for c in judgement.comparisons] == [without.comparisons[0].verdict, "seen_not_shown"]
    assert judgement.comparisons[0].carrying.low_adjusted == pytest.approx(without.comparisons[0].carrying.low_adjusted)


def test_treatment_that_is_its_block_is_not_told_apart():
    units = [UnitValue(f"{t}{i}", t, v + i, t) for t, v in (("A", 1.0), ("B", 4.0)) for i in range(4)]
    judgement = judge(units, Q)
    (c,) = judgement.comparisons
    assert (c.verdict, c.carrying, c.estimate) == ("seen_not_shown", None, 3.0)
    assert any(line.rule == "told apart" and line.level == "cap" for line in judgement.trust)


def test_readings_too_coarse_for_noise_give_no_interval_but_a_shuffle_test():
    units = [UnitValue(f"{t}{i}", t, v) for t, v in (("A", 0.0), ("B", 5.0)) for i in range(5)]
    (c,) = judge(units, Q).comparisons
    assert (c.verdict, c.carrying) == ("seen_not_shown", None)
    assert c.shuffle.p == pytest.approx(2 / 252)
    (flat,) = judge([replace(u, value=0.0) for u in units], Q).comparisons
    assert (flat.verdict, flat.estimate, flat.shuffle.p) == ("seen_not_shown", 0.0, 1.0)


def test_a_lost_treatment_is_named():
    units = [replace(u, value=None) if u.treatment == "C" else u for u in made_up(4)]
    judgement = judge(units, Q)
    gone = judgement.comparisons[-1]
    assert (gone.treatment, gone.n, gone.estimate, gone.verdict) == ("C", 0, None, "seen_not_shown")


def test_missing_and_constant_baselines():
    units = made_up(5, 3, 5, baseline=True)
    some = [replace(u, baseline=None) if u.unit == "u4" else u for u in units]
    filled = judge(some, Q)
    mean = sum(u.baseline for u in some if u.baseline is not None) / 14
    by_hand = judge([replace(u, baseline=mean) if u.baseline is None else u for u in some], Q)
    assert filled.comparisons[0].estimate == pytest.approx(by_hand.comparisons[0].estimate)
    assert any(line.rule == "baseline missing" for line in filled.trust)
    constant = judge([replace(u, baseline=7.0) for u in units], Q)
    none = judge([replace(u, baseline=None) for u in units], Q)
    assert constant.comparisons[0].pooled.df == none.comparisons[0].pooled.df == 12


def test_refusals_name_unit_and_field():
    units = made_up(6)
    for broken, field in (
        ([*units, units[0]], "unit"),
        ([replace(units[0], value=math.nan), *units[1:]], "value"),
        ([replace(units[0], block="1"), *units[1:]], "block"),
        ([u for u in units if u.treatment != "A"], "treatment"),
        ([u for u in units if u.treatment == "A"], "treatment"),
        ([replace(u, value=None) if u.treatment == "A" else u for u in units], "value"),
    ):
        with pytest.raises(CannotJudge) as refused:
            judge(broken, Q)
        assert refused.value.field == field
    with pytest.raises(CannotJudge, match="above 0"):
        judge([replace(units[0], value=0.0), *units[1:]], Question("A", "ratio"))
    with pytest.raises(CannotJudge, match="worth"):
        judge(units, Question("A", worth=0.0))


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10**6), st.booleans(), st.floats(0.1, 50), st.randoms(use_true_random=False))
def test_order_and_units_of_measurement_do_not_matter(seed, blocks, factor, rnd):
    """Shuffled lines: the same figures. Ratio scale: other units (cm for inches) change nothing at all."""
    units = made_up(seed, 3, 4, blocks=blocks, level=100)
    mixed = units[:]
    rnd.shuffle(mixed)
    one = {c.treatment: c for c in judge(units, Q).comparisons}
    two = {c.treatment: c for c in judge(mixed, Q).comparisons}
    ratio = judge(units, Question("A", "ratio", 0.1)).comparisons
    scaled = judge([replace(u, value=u.value * factor) for u in units], Question("A", "ratio", 0.1)).comparisons
    for name, c in one.items():
        for field in ("estimate", "p_adjusted", "shuffle_p_adjusted"):
            assert getattr(two[name], field) == pytest.approx(getattr(c, field), rel=1e-6, abs=1e-9)
        for field in ("se", "df", "low_adjusted", "high_adjusted"):
            assert getattr(two[name].own, field) == pytest.approx(getattr(c.own, field), rel=1e-5, abs=1e-6)
        assert two[name].verdict == c.verdict
    for a, b in zip(ratio, scaled, strict=True):
        assert b.estimate == pytest.approx(a.estimate, abs=1e-9)
        assert b.percent.high == pytest.approx(a.percent.high, rel=1e-6)
        assert b.shuffle.p == pytest.approx(a.shuffle.p)


@settings(max_examples=60, deadline=None)
@given(st.floats(-3, 3), st.floats(0.01, 3), st.one_of(st.none(), st.floats(0.05, 2)))
def test_verdicts_cover_and_mirror(low, width, band):
    high = low + width
    up = verdict_of(low, high, band, lower_is_better=False)
    assert verdict_of(-high, -low, band, lower_is_better=True) == up
    assert up.startswith("better") == (low > 0)
    assert up.startswith("worse") == (high < 0)
    if low <= 0 <= high:
        inside = band is not None and -band < low and high < band
        assert up == ("same" if inside else "cannot_tell")
    if band is not None and low > 0:
        suffix = "_matters" if low > band else "_trivial" if high < band else ""
        assert up == f"better{suffix}"


def test_touching_zero_or_the_band_shows_nothing_more():
    assert verdict_of(0.0, 1.0, None, False) == "cannot_tell"
    assert verdict_of(0.5, 1.0, 0.5, False) == "better"
    assert verdict_of(-0.5, 0.2, 0.5, False) == "cannot_tell"
    assert verdict_of(None, None, 0.5, False) == "seen_not_shown"


@pytest.mark.parametrize(("treatments", "blocks"), [(2, False), pytest.param(4, True, marks=pytest.mark.long)])
def test_false_alarms_keep_their_five_percent(treatments, blocks):
    """Any treatment called better or worse in a garden where nothing works; 250 trials, 3 standard errors."""
    alarms = 0
    for seed in range(250):
        judgement = judge(made_up(seed, treatments, 5, blocks=blocks), Question("A", worth=1.0))
        alarms += any(c.verdict.startswith(("better", "worse")) for c in judgement.comparisons)
    assert alarms / 250 <= 0.05 + 3 * math.sqrt(0.05 * 0.95 / 250)


def test_units_needed_is_the_first_that_finds_the_worth_in_eight_of_ten():
    for treatments, blocks in ((1, False), (3, True)):
        n = units_needed(1.0, 1.3, treatments, blocks)
        assert power(n, 1.0, 1.3, treatments, blocks, 0) >= 0.8 > power(n - 1, 1.0, 1.3, treatments, blocks, 0)
    # Two groups, gap 1 SD: 17 of each is the textbook answer (Cohen 1988).
    assert units_needed(1.0, 1.0, 1) == 17
    assert units_needed(0.001, 1.0, 1) is None


def test_together_is_one_by_one():
    series = [made_up(seed, 3, 4) for seed in range(3)] + [
        [replace(made_up(9, 3, 4)[0], value=None), *made_up(9, 3, 4)[1:]]
    ]
    together = judge_together(series, Q)
    for units, both in zip(series, together, strict=True):
        alone = judge(units, Q)
        assert alone.comparisons[1].shuffle.p == both.comparisons[1].shuffle.p
        assert alone.comparisons[1].shuffle.high == pytest.approx(both.comparisons[1].shuffle.high)
        assert alone.comparisons[0].p_adjusted == pytest.approx(both.comparisons[0].p_adjusted)
