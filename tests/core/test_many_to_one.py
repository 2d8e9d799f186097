"""The multivariate t against SciPy's Dunnett, known quantiles and plain simulation."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from eproba.core.stats.many_to_one import (
    adjusted_p,
    chances_all_within,
    critical_value,
    product_form,
)
from eproba.core.stats.sidak import shared_bound, shared_p, student_p


def equal(k):
    return np.full((k, k), 0.5) + 0.5 * np.eye(k)


def within(bound, correlation, df):
    return float(chances_all_within(np.array(bound), correlation, df))


@pytest.mark.parametrize(
    ("k", "df", "value"),
    # Two-sided 5 % points of Dunnett (1964), Biometrics 20, table II.
    [(1, 10, 2.228), (2, 10, 2.57), (3, 12, 2.68), (4, 20, 2.65), (5, 15, 2.82)],
)
def test_published_points(k, df, value):
    assert critical_value(equal(k), df, 0.95) == pytest.approx(value, abs=0.012)


def test_agrees_with_scipy_dunnett_on_unequal_groups():
    rng = np.random.default_rng(3)
    control, groups = rng.normal(0, 1, 7), [rng.normal(0.8, 1, n) for n in (4, 6, 9)]
    theirs = stats.dunnett(*groups, control=control, rng=np.random.default_rng(1))
    n0, sizes = len(control), np.array([len(g) for g in groups])
    b = np.sqrt(sizes / (sizes + n0))
    correlation = np.outer(b, b)
    np.fill_diagonal(correlation, 1)
    df = n0 + sizes.sum() - 4
    for t, p in zip(theirs.statistic, theirs.pvalue, strict=True):
        assert float(adjusted_p(np.array(t), correlation, df)) == pytest.approx(p, abs=0.002)


def test_quasi_monte_carlo_agrees_with_simulation_and_quadrature():
    correlation = np.array([[1, 0.6, 0.1], [0.6, 1, 0.45], [0.1, 0.45, 1.0]])
    assert product_form(correlation) is None
    rng = np.random.default_rng(5)
    draws = stats.multivariate_t(shape=correlation, df=8).rvs(400_000, random_state=rng)
    simulated = np.mean(np.abs(draws).max(axis=1) <= 2.6)
    assert within(2.6, correlation, 8) == pytest.approx(simulated, abs=0.0015)
    bent = equal(4)
    bent[0, 1] = bent[1, 0] = 0.5 + 2e-8  # no longer of product form
    assert product_form(bent) is None
    assert within(2.4, bent, 9) == pytest.approx(within(2.4, equal(4), 9), abs=3e-4)


@settings(max_examples=25, deadline=None)
@given(st.lists(st.floats(-0.95, 0.95), min_size=2, max_size=5), st.integers(1, 40), st.floats(0.5, 6))
def test_product_form_bounds(loadings, df, bound):
    """Between Bonferroni and independence-free single t; never below, never above; and the loadings are found again."""
    correlation = np.outer(loadings, loadings)
    np.fill_diagonal(correlation, 1)
    k = len(loadings)
    alone = 1 - 2 * stats.t.sf(bound, df)
    chance = within(bound, correlation, df)
    assert chance <= alone + 2e-4
    assert chance >= 1 - k * (1 - alone) - 2e-4


@pytest.mark.parametrize("gaps", [1, 2, 3, 6, 40])
@pytest.mark.parametrize("df", [1.4, 4.0, 30.0])
def test_shared_bounds_cover_what_hangs_together_and_p_turns_at_the_bound(gaps, df):
    """At the bound the shared p is 1 in 20; gaps to one control keep it at least that often, apart ones just so."""
    bound = shared_bound(df, gaps, 0.95)
    assert float(shared_p(student_p(bound, df), gaps)) == pytest.approx(0.05, rel=1e-9)
    assert within(bound, equal(gaps), df) >= 0.95 - 1e-4
    assert 1 - (1 - student_p(bound, df)) ** gaps == pytest.approx(0.05, rel=1e-9)
    assert float(shared_p(np.array(1.0), gaps)) == pytest.approx(1.0)
    assert float(shared_p(np.array(1e-30), gaps)) == pytest.approx(gaps * 1e-30)


def test_one_comparison_is_students_t_however_small():
    assert float(adjusted_p(np.array(40.0), np.eye(1), 30)) == pytest.approx(2 * stats.t.sf(40.0, 30), rel=1e-12)
