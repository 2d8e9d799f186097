"""The same comparison seen several times: how large the gap is on the whole, and where the next garden would lie.

References
----------
Viechtbauer, W. (2005). Bias and efficiency of meta-analytic variance estimators in the random-effects model. Journal of
Educational and Behavioral Statistics 30: restricted maximum likelihood (REML) for the variance between trials.
Knapp, G. & Hartung, J. (2003). Improved tests for a random effects meta-regression with a single covariate. Statistics
in Medicine 22: Student's t with k − 1 degrees of freedom and the standard error that the trials' own scatter gives.
Röver, C., Knapp, G. & Friede, T. (2015). Hartung–Knapp–Sidik–Jonkman approach and its modification for random-effects
meta-analysis with few studies. BMC Medical Research Methodology 15: never below the plain standard error.
Röver, C. et al. (2021). On weakly informative prior distributions for the heterogeneity parameter in Bayesian
random-effects meta-analysis. Research Synthesis Methods 12: a half-normal prior, by numbers.
Higgins, J. P. T., Thompson, S. G. & Spiegelhalter, D. J. (2009). A re-evaluation of random-effects meta-analysis.
Journal of the Royal Statistical Society A 172: the prediction interval, t with k − 2 degrees of freedom.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import optimize, special

from eproba.core.errors import EprobaError

Array = NDArray[np.float64]
LEVEL = 0.95
FEWEST_TO_PREDICT = 3
MOST = 1e100
MOST_UNLIKE = 1e6  # standard errors further apart than that are a slip, and one trial would be all that counts
STEPS = 64  # of the grid on which the likelihood's highest place is looked for before it is refined


class CannotCombine(EprobaError):
    """Gaps that can't be put together; the message says which and what to do."""


@dataclass(frozen=True)
class Combined:
    """What several trials say together; None where there is none.

    `low`, `high`: of the joint gap (95 %), from two trials on; `tau`: how far the true gaps of gardens scatter (an SD);
    `prediction_low`, `prediction_high`: where the true gap of a next garden would lie, from three trials on.
    """

    k: int
    estimate: float
    se: float
    low: float | None
    high: float | None
    tau: float | None
    prediction_low: float | None
    prediction_high: float | None


def combine(gaps: Sequence[float], errors: Sequence[float]) -> Combined:
    """Put gaps of one question together as random effects.

    Parameters
    ----------
    gaps, errors : (k,) each, the gap of a trial and its standard error, all on one scale (logs on the ratio scale).

    Raises
    ------
    CannotCombine
        No trial, numbers that are none, a standard error that is not above 0.

    Examples
    --------
    >>> found = combine([0.20, 0.35, 0.10], [0.10, 0.12, 0.15])
    >>> round(found.estimate, 3), found.k
    (0.225, 3)
    """
    _check(gaps, errors)
    k, unit = len(gaps), max(errors)
    if k == 1:
        return Combined(1, float(gaps[0]), float(errors[0]), None, None, None, None, None)
    y, v = np.array(gaps, dtype=float) / unit, (np.array(errors, dtype=float) / unit) ** 2
    tau2 = between(y, v)
    weights = 1 / (v + tau2)
    middle = float(weights @ y / weights.sum())
    spread = float(weights @ (y - middle) ** 2) / (k - 1)
    se = math.sqrt(max(1.0, spread) / weights.sum())
    half = _t(k - 1) * se
    reach = _t(k - 2) * math.hypot(math.sqrt(tau2), se) if k >= FEWEST_TO_PREDICT else None
    return Combined(
        k,
        unit * middle,
        unit * se,
        unit * (middle - half),
        unit * (middle + half),
        unit * math.sqrt(tau2),
        None if reach is None else unit * (middle - reach),
        None if reach is None else unit * (middle + reach),
    )


def supposed(gaps: Sequence[float], errors: Sequence[float], scatter: float) -> tuple[float, float]:
    """Where the joint gap lies (95 %) if gardens are supposed to scatter by no more than about `scatter` (an SD).

    A half-normal prior of that scale on the scatter, none on the gap; by summing over a grid. Simulated (see
    `benchmarks.honesty`), it holds in 97 of 100 or more where the scatter is half of that at most, in 92 where it is
    all of it, and finds gaps in three trials half as often again as the bound that supposes nothing.
    """
    _check(gaps, errors)
    y, v = np.array(gaps, dtype=float) / scatter, (np.array(errors, dtype=float) / scatter) ** 2
    tau = np.linspace(0.0, MOST_SCATTER, SCATTERS)
    total = v + tau[:, None] ** 2
    weights = 1 / total
    middle = (weights * y).sum(axis=1) / weights.sum(axis=1)
    left = (weights * (y - middle[:, None]) ** 2).sum(axis=1)
    log = -(np.log(total).sum(axis=1) + np.log(weights.sum(axis=1)) + left + tau**2) / 2
    chance = np.exp(log - log.max())
    chance[[0, -1]] /= 2
    chance /= chance.sum()
    sd = 1 / np.sqrt(weights.sum(axis=1))

    def end(share: float) -> float:
        def over(at: float) -> float:
            return float(chance @ special.ndtr((at - middle) / sd)) - share

        return scatter * float(optimize.brentq(over, float((middle - 9 * sd).min()), float((middle + 9 * sd).max())))

    return end((1 - LEVEL) / 2), end((1 + LEVEL) / 2)


MOST_SCATTER, SCATTERS = 4.0, 161  # of the supposed scatter; places of the grid


def one_more(k: int) -> float:
    """What the span of a joint gap comes to, as a share of that of k trials, with one more trial like them."""
    return _t(k) * math.sqrt(k / (k + 1)) / _t(k - 1)


def between(gaps: Array, variances: Array) -> float:
    """The variance between trials by REML: (k,), (k,) → 0 or above, where the restricted likelihood is highest."""
    y = gaps - gaps.mean()

    def deviance(tau2: Array | float) -> Array:
        total = variances + np.asarray(tau2, dtype=float)[..., None]
        weights = 1 / total
        middle = (weights * y).sum(-1) / weights.sum(-1)
        left = (weights * (y - middle[..., None]) ** 2).sum(-1)
        return np.asarray(np.log(total).sum(-1) + np.log(weights.sum(-1)) + left)

    most = float((y**2).sum())
    if most < 1e-9 * float(variances.min()):
        return 0.0  # alike as far as the errors see
    # The likelihood can have more than one hill: first a grid from nothing to more than the gaps can scatter.
    grid = np.concatenate([[0.0], np.geomspace(1e-6 * min(most, float(variances.min())), 4.0 * most, STEPS)])
    at = int(np.argmin(deviance(grid)))
    low, high = grid[max(0, at - 1)], grid[min(len(grid) - 1, at + 1)]
    optimum = optimize.minimize_scalar(
        lambda t: float(deviance(t)), bounds=(low, high), options={"xatol": 1e-12 * high}
    )
    if float(optimum.fun) >= float(deviance(0.0)):
        return 0.0

    def slope(tau2: float) -> float:
        weights = 1 / (variances + tau2)
        middle = weights @ y / weights.sum()
        return float(weights.sum() - weights @ weights / weights.sum() - weights**2 @ (y - middle) ** 2)

    # Where a hill is flat on top its height tells the place to half the digits; where its slope is nothing, to all.
    if slope(low) * slope(high) < 0:
        return float(optimize.brentq(slope, low, high, xtol=1e-15 * high, rtol=1e-14))
    return float(optimum.x)


def apart(gaps: Sequence[float], errors: Sequence[float]) -> tuple[float, float, float]:
    """How far the second of two trials lies from the first, with its 95 % interval (normal, each error as it is)."""
    gap, error = gaps[1] - gaps[0], math.hypot(errors[0], errors[1])
    half = float(special.ndtri((1 + LEVEL) / 2)) * error
    return gap, gap - half, gap + half


def _t(df: int) -> float:
    return float(special.stdtrit(df, (1 + LEVEL) / 2))


def _check(gaps: Sequence[float], errors: Sequence[float]) -> None:
    if not gaps:
        raise CannotCombine("There is no trial to put together: give at least one gap with its standard error.")
    for i, (gap, error) in enumerate(zip(gaps, errors, strict=True), start=1):
        if not abs(gap) < MOST:
            raise CannotCombine(f"Trial {i}: its gap is no number to calculate with.")
        if not 1 / MOST < error < MOST:
            raise CannotCombine(f"Trial {i}: its standard error must be above 0; leave out a trial that has none.")
    if max(errors) > MOST_UNLIKE * min(errors):
        i = list(errors).index(min(errors)) + 1
        raise CannotCombine(f"Trial {i}: its standard error is next to nothing beside the others: is it a slip?")
