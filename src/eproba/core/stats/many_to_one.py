"""Many treatments against one control: the chance that the largest of several |t| stays below a bound.

References
----------
Dunnett, C. W. (1955). A multiple comparison procedure for comparing several treatments with a control. JASA 50.
Genz, A. & Bretz, F. (2009). Computation of Multivariate Normal and t Probabilities. Springer.
Hasler, M. & Hothorn, L. A. (2008). Multiple contrast tests in the presence of heteroscedasticity. Biometrical
Journal 50: gaps on the noise of their own, each with its own degrees of freedom.
Hsu, J. C. (1992). The factor analytic approach to simultaneous inference in the general linear model. Journal of
Computational and Graphical Statistics 1: correlations that are nearly of product form.
"""

import functools
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy import optimize, special

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
        return np.asarray(1 - 2 * special.stdtr(df, -bounds))
    loadings = _product_form(np.round(correlation, 13).tobytes(), k)
    if loadings is not None:
        s, weights = noise_nodes(df)
        within = _over_noise(_inside_of(loadings.tobytes()), bounds.reshape(1, -1), s, weights)
        return np.asarray(within.reshape(bounds.shape))
    cholesky = np.asarray(np.linalg.cholesky(correlation), dtype=np.float64)
    chances = [_by_quasi_monte_carlo(float(bound), cholesky, df) for bound in bounds.ravel()]
    return np.array(chances, dtype=np.float64).reshape(bounds.shape)


def adjusted_p(t: Array, correlation: Array, df: float) -> Array:
    """Chance that any of the |T_i| reaches |t|, for each t; for one comparison the two-sided p of Student's t."""
    if len(correlation) == 1:
        return np.asarray(2 * special.stdtr(df, -np.abs(t)))
    return np.asarray(np.maximum(0.0, 1 - chances_all_within(np.abs(t), correlation, df)))


def critical_value(correlation: Array, df: float, confidence: float) -> float:
    """The bound that all |T_i| keep with the given confidence."""
    key = tuple(np.round(correlation, 12).ravel().tolist())
    return _critical_value(key, len(correlation), df, confidence)


@functools.lru_cache(maxsize=2048)
def _critical_value(key: tuple[float, ...], k: int, df: float, confidence: float) -> float:
    correlation = np.array(key).reshape(k, k)
    alone = _two_sided(1 - confidence, df)
    if k == 1:
        return alone
    bonferroni = _two_sided((1 - confidence) / k, df)
    return float(
        optimize.brentq(
            lambda bound: float(chances_all_within(np.array([bound]), correlation, df)[0]) - confidence,
            alone * 0.999,
            bonferroni * 1.02,
            xtol=1e-5,
        )
    )


def _two_sided(alpha: float, df: float) -> float:
    """The bound that |T| passes with chance alpha."""
    return float(-special.stdtrit(df, alpha / 2))


@functools.lru_cache(maxsize=256)
def _product_form(correlation: bytes, k: int) -> Array | None:
    return product_form(np.frombuffer(correlation).reshape(k, k))


@functools.lru_cache(maxsize=256)
def _inside_of(loadings: bytes) -> Array:
    return _inside(np.frombuffer(loadings)[None])


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


def nearest_product_form(correlations: Array) -> tuple[Array, Array]:
    """Loadings b that make b_i b_j as near as can be to the correlations, and how far off the worst of them is.

    Parameters
    ----------
    correlations : (q, k, k).

    Returns
    -------
    (q, k) loadings and (q,) the largest |ρ_ij − b_i b_j|.
    """
    k = correlations.shape[1]
    off = correlations * (1 - np.eye(k))
    sums = off.sum(axis=2)
    with np.errstate(divide="ignore", invalid="ignore"):  # exact where they are of product form (Spearman's formula)
        squares = (sums**2 - (off**2).sum(axis=2)) / (sums.sum(axis=1)[:, None] - 2 * sums)
    squares = np.where(np.isfinite(squares), squares, np.abs(off).sum(axis=2) / max(1, k - 1))
    loadings = np.clip(np.sqrt(np.maximum(squares, 0.0)), 0, MOST_LOADING)
    if k == 2:
        loadings = np.sqrt(np.abs(off[:, 0, 1]))[:, None] * np.stack([np.ones(len(off)), np.sign(off[:, 0, 1])], axis=1)
    for _ in range(SWEEPS if k > 2 else 0):
        before = loadings.copy()
        for i in range(k):
            others = (loadings**2).sum(axis=1) - loadings[:, i] ** 2
            pull = (off[:, i] * loadings).sum(axis=1)
            loadings[:, i] = np.where(others > 0, pull / np.where(others > 0, others, 1.0), 0.0)
        loadings = np.clip(loadings, -MOST_LOADING, MOST_LOADING)
        if np.abs(loadings - before).max(initial=0.0) < 1e-4:
            break
    fitted = loadings[:, :, None] * loadings[:, None, :] * (1 - np.eye(k))
    return np.clip(loadings, -MOST_LOADING, MOST_LOADING), np.abs(fitted - off).max(axis=(1, 2))


SWEEPS, MOST_LOADING = 30, 0.97


MOST_STEPS, NEARLY = 12, 0.1


class Simultaneous:
    """Gaps judged together for q measures, k gaps each, every gap with its own degrees of freedom.

    Parameters
    ----------
    correlations : (q, k, k) between the gaps of each measure.
    df : (q, k).
    """

    def __init__(self, correlations: Array, df: Array) -> None:
        self.correlations, self.df = correlations, df
        if df.shape[1] > 1:
            loadings, worst = nearest_product_form(correlations)
            self.inside, self.far = _inside(loadings), np.flatnonzero(worst > NEARLY)
            self.nodes = _noise_nodes(df, 32)

    def within(self, bounds: Array) -> Array:
        """P(all |T_i| ≤ bound), for each gap's bound with that gap's degrees of freedom: (q, k)."""
        k = bounds.shape[1]
        if k == 1:
            return np.asarray(1 - 2 * special.stdtr(self.df, -bounds))
        chances = _over_noise(self.inside, bounds, *self.nodes)
        for m in self.far:
            cholesky = np.asarray(np.linalg.cholesky(self.correlations[m] + 1e-9 * np.eye(k)), dtype=np.float64)
            for i in range(k):
                chances[m, i] = _by_quasi_monte_carlo(float(bounds[m, i]), cholesky, float(self.df[m, i]))
        return chances

    def p(self, t: Array) -> Array:
        """Chance that any of the |T_i| reaches |t|, for each measure and gap: (q, k)."""
        return np.asarray(np.clip(1 - self.within(np.abs(t)), 0.0, 1.0))

    def bounds(self, confidence: float) -> Array:
        """The bound of each gap's |t| such that all keep theirs: (q, k).

        Between Student's own bound and Šidák's, by the secant rule on the logarithm of the chance left over.
        """
        k = self.df.shape[1]
        low = -special.stdtrit(self.df, (1 - confidence) / 2)
        if k == 1:
            return np.asarray(low)
        high = -special.stdtrit(self.df, (1 - confidence ** (1 / k)) / 2)
        goal = np.log(1 - confidence)

        def over(bounds: Array) -> Array:
            return np.asarray(np.log(np.maximum(1 - self.within(bounds), 1e-300)) - goal)

        one, two = high, high - 0.25 * (high - low)
        at_one, at_two = over(one), over(two)
        for _ in range(MOST_STEPS):
            step = at_two * (two - one) / np.where(at_two == at_one, np.inf, at_two - at_one)
            one, at_one, two = two, at_two, np.clip(two - step, low * 0.999, high * 1.001)
            if np.abs(two - one).max() <= 1e-5:
                break
            at_two = over(two)
        return np.asarray(two)


@functools.lru_cache(maxsize=8)
def _legendre(count: int) -> tuple[Array, Array]:
    nodes, weights = np.polynomial.legendre.leggauss(count)
    return nodes, weights


@functools.lru_cache(maxsize=256)
def noise_nodes(df: float) -> tuple[Array, Array]:
    """Nodes and weights over s = √(χ²_df / df)."""
    return _noise_nodes(np.asarray(df, dtype=np.float64), 40)


def _noise_nodes(df: Array, count: int) -> tuple[Array, Array]:
    """Nodes and weights over s = √(χ²_df / df) for each df (…): two arrays (…, count)."""
    nodes, weights = _legendre(count)
    low, high = (np.sqrt(special.chdtri(df, tail) / df)[..., None] for tail in (1 - 1e-13, 1e-13))
    y = (nodes + 1) / 2  # denser where s is small: there the chance rises steeply for few degrees of freedom
    s, v = low + (high - low) * y**2, df[..., None]
    # The density of s, by way of its logarithm: the parts alone are too large for many degrees of freedom.
    log_density = (v - 1) * np.log(s) - v * s**2 / 2 + v / 2 * np.log(v / 2) - special.gammaln(v / 2) + np.log(2)
    return s, (high - low) * y * weights * np.exp(log_density)


FARTHEST, GRID, SHARED, AT_ONCE = 9.0, 32, 20, 64  # at once: what stays in the processor's cache


@functools.lru_cache(maxsize=4)
def chebyshev(farthest: float, count: int) -> tuple[Array, Array]:
    """Chebyshev's points on 0 to `farthest`, and the matrix that turns values there into coefficients."""
    angles = np.pi * (np.arange(count) + 0.5) / count
    turn = 2 / count * np.cos(np.outer(np.arange(count), angles))
    turn[0] /= 2
    return farthest / 2 * (np.cos(angles) + 1), turn


def _inside(loadings: Array) -> Array:
    """P(all |X_i| ≤ x) of normal X_i = b_i Z + …, as a polynomial in x: Chebyshev coefficients (GRID, q)."""
    nodes, weights = _legendre(SHARED)
    shared = 4.25 * (nodes + 1)  # by symmetry the upper half, counted twice
    density = 2 * 4.25 * weights * np.exp(-(shared**2) / 2) / np.sqrt(2 * np.pi)
    points, turn = chebyshev(FARTHEST, GRID)
    edge = points[:, None]
    chances = np.empty((len(loadings), GRID))
    for start in range(0, len(loadings), AT_ONCE):
        part = slice(start, start + AT_ONCE)
        inside = np.ones((len(chances[part]), GRID, SHARED))
        for b in loadings[part].T[:, :, None, None]:
            own = 1 / np.sqrt(1 - b**2)
            shift = b * own * shared
            inside *= special.ndtr(edge * own - shift) - special.ndtr(-edge * own - shift)
        chances[part] = inside @ density
    return np.asarray(turn @ chances.T)


def _over_noise(inside: Array, bounds: Array, s: Array, weights: Array) -> Array:
    """P(all |T_i| ≤ bound): bounds (q, k), nodes over the noise (q, k, count)."""
    at = np.minimum(bounds[:, :, None] * s, FARTHEST) * (2 / FARTHEST) - 1
    chances = np.polynomial.chebyshev.chebval(at, inside[:, :, None, None], tensor=False)
    return np.asarray(np.minimum(1.0, (chances * weights).sum(axis=2)))


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
