"""Many treatments against one control, all equally noisy: the chance that the largest of several |t| stays below a
bound.

References
----------
Dunnett, C. W. (1955). A multiple comparison procedure for comparing several treatments with a control. JASA 50.
Genz, A. & Bretz, F. (2009). Computation of Multivariate Normal and t Probabilities. Springer.
"""

import functools
import math
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy import optimize, special

from eproba.core.stats.sidak import student_bound, student_p

Array = NDArray[np.float64]
QMC_SEED = 20260501
QMC_POINTS = 2048


def chances_all_within(bounds: Array, correlation: Array, df: float) -> Array:
    """P(all |T_i| ≤ bound) for a central multivariate t, for each bound.

    Parameters
    ----------
    bounds : ≥ 0, any shape.
    correlation : (k, k) the model's own correlations between the gaps.
    df : degrees of freedom of the pooled noise.

    Notes
    -----
    k = 1 is Student's t. Correlations of product form ρ_ij = b_i b_j (completely random and block designs, and any two
    treatments) go by quadrature over the shared part and the noise; others by seeded quasi-Monte-Carlo.
    """
    k = len(correlation)
    if k == 1:
        return np.asarray(1 - student_p(bounds, df))
    loadings = _product_form(np.round(correlation, 13).tobytes(), k)
    if loadings is not None:
        return _by_quadrature(bounds.ravel(), loadings, df).reshape(bounds.shape)
    cholesky = np.asarray(np.linalg.cholesky(correlation), dtype=np.float64)
    chances = [_by_quasi_monte_carlo(float(bound), cholesky, df) for bound in bounds.ravel()]
    return np.array(chances, dtype=np.float64).reshape(bounds.shape)


def adjusted_p(t: Array, correlation: Array, df: float) -> Array:
    """Chance that any of the |T_i| reaches |t|, for each t; for one comparison the two-sided p of Student's t."""
    if len(correlation) == 1:
        return student_p(t, df)
    return np.asarray(np.maximum(0.0, 1 - chances_all_within(np.abs(t), correlation, df)))


def critical_value(correlation: Array, df: float, confidence: float) -> float:
    """The bound that all |T_i| keep with the given confidence."""
    key = tuple(np.round(correlation, 12).ravel().tolist())
    return _critical_value(key, len(correlation), df, confidence)


@functools.lru_cache(maxsize=2048)
def _critical_value(key: tuple[float, ...], k: int, df: float, confidence: float) -> float:
    correlation = np.array(key).reshape(k, k)
    alone = float(student_bound(df, confidence))
    if k == 1:
        return alone
    bonferroni = float(student_bound(df, 1 - (1 - confidence) / k))
    return float(
        optimize.brentq(
            lambda bound: float(chances_all_within(np.array([bound]), correlation, df)[0]) - confidence,
            alone * 0.999,
            bonferroni * 1.02,
            xtol=1e-5,
        )
    )


@functools.lru_cache(maxsize=256)
def _product_form(correlation: bytes, k: int) -> Array | None:
    return product_form(np.frombuffer(correlation).reshape(k, k))


def product_form(correlation: Array) -> Array | None:
    """Loadings b with ρ_ij = b_i b_j for all i ≠ j and |b_i| < 1, or None where there are none."""
    k = len(correlation)
    if np.allclose(correlation, np.eye(k), atol=1e-12):
        return np.zeros(k)
    if k == 2:
        size = np.sqrt(abs(correlation[0, 1]))
        loadings = np.array([size, np.copysign(size, correlation[0, 1])])
    else:
        squares = np.empty(k)
        for i in range(k):
            j, m = next(pair for pair in combinations(range(k), 2) if i not in pair)
            if abs(correlation[j, m]) < 1e-12:
                return None
            squares[i] = correlation[i, j] * correlation[i, m] / correlation[j, m]
        if np.any(squares < 0):
            return None
        loadings = np.sqrt(squares) * np.sign(correlation[0])
    off = ~np.eye(k, dtype=bool)
    fits = np.allclose(np.outer(loadings, loadings)[off], correlation[off], rtol=0, atol=1e-9)
    return loadings if fits and np.all(np.abs(loadings) < 1 - 1e-9) else None


@functools.lru_cache(maxsize=8)
def _legendre(count: int) -> tuple[Array, Array]:
    nodes, weights = np.polynomial.legendre.leggauss(count)
    return nodes, weights


@functools.lru_cache(maxsize=256)
def _noise_nodes(df: float) -> tuple[Array, Array]:
    """Nodes and weights over s = √(χ²_df / df)."""
    nodes, weights = _legendre(OVER_NOISE)
    low, high = (math.sqrt(float(special.chdtri(df, tail)) / df) for tail in (1 - 1e-13, 1e-13))
    y = (nodes + 1) / 2  # denser where s is small: there the chance rises steeply for few degrees of freedom
    s = low + (high - low) * y**2
    # The density of s, by way of its logarithm: the parts alone are too large for many degrees of freedom.
    log_density = (df - 1) * np.log(s) - df * s**2 / 2 + df / 2 * math.log(df / 2) - special.gammaln(df / 2)
    return s, (high - low) * y * weights * np.exp(log_density + math.log(2))


OVER_NOISE, OVER_SHARED, FARTHEST = 40, 24, 9.0


def _by_quadrature(bounds: Array, loadings: Array, df: float) -> Array:
    """P(all |T_i| ≤ bound) of normal X_i = b_i Z + … over a common noise: bounds (q,) → (q,)."""
    s, weights = _noise_nodes(df)
    nodes, shared_weights = _legendre(OVER_SHARED)
    shared = 4.25 * (nodes + 1)  # by symmetry the upper half, counted twice
    density = 2 * 4.25 * shared_weights * np.exp(-(shared**2) / 2) / math.sqrt(2 * math.pi)
    edge = np.minimum(bounds[:, None] * s, FARTHEST)[:, :, None]
    inside = np.ones((*edge.shape[:2], OVER_SHARED))
    for b, times in zip(*np.unique(loadings, return_counts=True), strict=True):
        own = 1 / math.sqrt(1 - b**2)
        shift = b * own * shared
        inside *= (special.ndtr(edge * own - shift) - special.ndtr(-edge * own - shift)) ** times
    return np.asarray(np.minimum(1.0, inside @ density @ weights))


@functools.lru_cache(maxsize=32)
def _even_points(dimensions: int) -> Array:
    """Scrambled Sobol points with a fixed seed: shape (dimensions, points)."""
    from scipy.stats import qmc  # takes most of a second to load, and few designs need it

    sobol = qmc.Sobol(dimensions, seed=np.random.default_rng(QMC_SEED))
    return np.ascontiguousarray(sobol.random(QMC_POINTS).T)


@functools.lru_cache(maxsize=256)
def _even_noise(dimensions: int, df: float) -> Array:
    return np.asarray(np.sqrt(special.chdtri(df, 1 - _even_points(dimensions)[-1]) / df))


def _by_quasi_monte_carlo(bound: float, cholesky: Array, df: float) -> float:
    """Genz's transformation: one T after the other, each within its bounds given those before it."""
    k = len(cholesky)
    points = _even_points(k)
    edge = bound * _even_noise(k, df)
    chance = np.ones_like(edge)
    drawn = np.empty((k, len(edge)))
    for i in range(k):
        before = cholesky[i, :i] @ drawn[:i]
        low = special.ndtr((-edge - before) / cholesky[i, i])
        width = special.ndtr((edge - before) / cholesky[i, i]) - low
        chance *= width
        if i < k - 1:
            drawn[i] = special.ndtri(np.clip(low + points[i] * width, 1e-300, 1 - 1e-16))
    return float(chance.mean())
