"""The shuffle test against SciPy and against its own definition, deal by deal."""

from itertools import combinations, product

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from eproba.core.stats.shuffle import best_p, count_deals, holm, shuffle_tests


def flags(text):
    return np.array([sign == "t" for sign in text])


def every_deal(treated, blocks):
    """All deals by plain enumeration, as flags."""
    names = list(dict.fromkeys(blocks))
    members = [[i for i, b in enumerate(blocks) if b == name] for name in names]
    choices = [list(combinations(m, int(treated[m].sum()))) for m in members]
    for picks in product(*choices):
        deal = np.zeros(len(treated), dtype=bool)
        deal[[i for pick in picks for i in pick]] = True
        yield deal


def statistic(y, deal, columns):
    q, _ = np.linalg.qr(columns)
    z = deal - q @ (q.T @ deal)
    norm = np.linalg.norm(z)
    return 0.0 if norm < 1e-9 else float(z @ y / norm)


def columns_of(blocks, baseline=None):
    names = list(dict.fromkeys(blocks))
    parts = [np.array([[b == name for name in names] for b in blocks], dtype=float)]
    if baseline is not None:
        parts.append(baseline[:, None])
    return np.hstack(parts)


DESIGNS = [
    ("ttttcccc", [None] * 8, False),
    ("tttccccc", [None] * 8, False),
    ("tctctctctc", list("1122334455"), False),
    ("ttctccttc", list("111222333"), False),
    ("ttttcccc", [None] * 8, True),
    ("tctctctctc", list("1122334455"), True),
]


@pytest.mark.parametrize(("treated", "blocks", "with_baseline"), DESIGNS)
def test_p_and_interval_by_definition(treated, blocks, with_baseline):
    """p, and both ends of the interval: just inside a shift is kept, just outside it is rejected."""
    rng = np.random.default_rng(len(treated))
    treated = flags(treated)
    y = rng.normal(0, 1, len(treated)) + 1.4 * treated
    baseline = rng.normal(0, 1, len(treated)) if with_baseline else None
    columns = columns_of(blocks, baseline)
    test = shuffle_tests(y[:, None], treated, blocks, baseline, seed=1, confidence=0.8)[0]
    deals = list(every_deal(treated, blocks))
    seen = statistic(y, treated, columns)
    assert test.deals == len(deals) == count_deals(treated, blocks)
    assert test.p == np.mean([abs(statistic(y, d, columns)) >= abs(seen) - 1e-9 for d in deals])

    def one_sided(shift, upper):
        moved = y - shift * treated
        here = statistic(moved, treated, columns)
        there = [statistic(moved, d, columns) for d in deals]
        return np.mean([t >= here - 1e-9 if upper else t <= here + 1e-9 for t in there])

    for end, upper, outward in ((test.low, True, -1), (test.high, False, 1)):
        assert end is not None
        assert one_sided(end - outward * 1e-6, upper) > 0.1
        assert one_sided(end + outward * 1e-6, upper) <= 0.1


def test_agrees_with_scipy():
    rng = np.random.default_rng(8)
    a, b = rng.normal(0, 1, 6), rng.normal(1, 1, 5)
    theirs = stats.permutation_test(
        (a, b), lambda x, y, axis: x.mean(axis) - y.mean(axis), vectorized=True, n_resamples=np.inf
    )
    ours = shuffle_tests(np.r_[a, b][:, None], flags("t" * 6 + "c" * 5), [None] * 11, None, seed=1)[0]
    assert ours.gap == pytest.approx(theirs.statistic)
    # SciPy doubles the smaller tail, Eproba counts both as they are: compare the share of |gap| as large.
    far = np.abs(theirs.null_distribution) >= abs(theirs.statistic) - 1e-9
    assert ours.p == pytest.approx(far.mean())


def test_ties_count_as_large():
    y = np.array([1, 1, 0, 0, 0, 0.1 + 0.2 - 0.3])
    test = shuffle_tests(y[:, None], flags("ttcccc"), [None] * 6, None, seed=1)[0]
    assert (test.p, test.deals) == (1 / 15, 15)


@pytest.mark.parametrize(
    ("treated", "blocks", "smallest"),
    [
        ("tttccc", [None] * 6, 2 / 20),
        ("ttcccc", [None] * 6, 1 / 15),
        ("tctctctctc", list("1122334455"), 2 / 32),
        ("ttctcc", list("111222"), 1 / 9),
        ("t" * 30 + "c" * 30, [None] * 60, 1 / 20001),
    ],
)
def test_smallest_p_that_lots_can_give(treated, blocks, smallest):
    assert best_p(flags(treated), blocks) == pytest.approx(smallest)


def test_best_p_is_reached_by_the_clearest_data():
    treated = flags("tttccc")
    test = shuffle_tests(np.array([9.0, 8, 7, 1, 2, 3])[:, None], treated, [None] * 6, None, seed=1)[0]
    assert test.p == test.best_p
    assert test.low is None
    assert test.high is None, "twenty deals can't bound a 95 % interval: it is open-ended"


def test_random_deals_keep_their_seed_and_their_fairness():
    rng = np.random.default_rng(2)
    treated = flags("tc" * 16)
    y = rng.normal(0, 1, (32, 1)) + 0.6 * treated[:, None]
    first, again = (shuffle_tests(y, treated, [None] * 32, None, seed=7)[0] for _ in range(2))
    other = shuffle_tests(y, treated, [None] * 32, None, seed=8)[0]
    assert first == again
    assert not first.exact
    assert first.deals == 20_000
    assert first.p != other.p
    assert first.p == pytest.approx(other.p, abs=0.012)
    assert first.p == first.beyond / 20_001, "the seen deal counts too (Phipson & Smyth)"
    t = stats.ttest_ind(y[treated], y[~treated])
    assert first.p == pytest.approx(float(t.pvalue[0]), abs=0.02)


def test_pile_holds_every_deal_and_marks_the_far_ones():
    y = np.random.default_rng(4).normal(0, 1, (12, 1))
    test = shuffle_tests(y, flags("tc" * 6), list("112233445566"), None, seed=1)[0]
    assert sum(bar.deals for bar in test.pile) == test.deals == 64
    assert sum(bar.beyond for bar in test.pile) == test.beyond


def test_many_measures_at_once_are_the_single_ones():
    y = np.random.default_rng(6).normal(0, 1, (10, 3))
    treated, blocks = flags("ttttt" + "ccccc"), [None] * 10
    together = shuffle_tests(y, treated, blocks, None, seed=1)
    for j, test in enumerate(together):
        alone = shuffle_tests(y[:, [j]], treated, blocks, None, seed=1)[0]
        assert (test.p, test.deals) == (alone.p, alone.deals)
        assert (test.gap, test.low, test.high) == pytest.approx((alone.gap, alone.low, alone.high))


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10_000), st.integers(3, 5), st.floats(-3, 3))
def test_shifting_all_treated_units_moves_gap_and_interval(seed, each, shift):
    y = np.random.default_rng(seed).normal(0, 1, (2 * each, 1))
    treated = flags("tc" * each)
    before = shuffle_tests(y, treated, [None] * 2 * each, None, seed=1, confidence=0.7)[0]
    after = shuffle_tests(y + shift * treated[:, None], treated, [None] * 2 * each, None, seed=1, confidence=0.7)[0]
    assert after.gap == pytest.approx(before.gap + shift, abs=1e-9)
    for end in ("low", "high"):
        assert getattr(after, end) == pytest.approx(getattr(before, end) + shift, abs=1e-9)


def test_holm():
    assert holm([0.01, None, 0.04, 0.03]) == [0.03, None, pytest.approx(0.06), pytest.approx(0.06)]
    assert holm([0.6, 0.7]) == [1.0, 1.0]
