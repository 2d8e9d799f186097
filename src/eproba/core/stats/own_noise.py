"""Gaps between treatments where each keeps the noise of its own: what one scatters does not widen the others.

References
----------
MacKinnon, J. G. & White, H. (1985). Some heteroskedasticity-consistent covariance matrix estimators with improved
finite sample properties. Journal of Econometrics 29 (HC2).
Welch, B. L. (1947). The generalization of “Student’s” problem when several different population variances are
involved. Biometrika 34.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from eproba.core.stats.linear import Array, nuisance, projector
from eproba.core.stats.series import UnitValue

NOTHING = 1e-9  # of a whole: a smaller share is rounding
ROUNDING = 1e-12  # of the values: a smaller error is rounding


@dataclass(frozen=True)
class OwnGap:
    """One treatment less another: the gap, its standard error and degrees of freedom on the noise of its own."""

    estimate: float
    se: float
    df: float


def own_gaps(
    units: Sequence[UnitValue], values: Array, baseline: Array | None, pairs: Sequence[tuple[str, str]]
) -> list[OwnGap | None]:
    """The gap of each pair (first less second) in one linear model, with HC2 errors and Satterthwaite's df.

    Parameters
    ----------
    units : the n units judged, with their labels.
    values : (n,) summaries on the scale of the gaps.
    baseline : (n,) covariate or None.
    pairs : names of treatments.

    Returns
    -------
    list
        None for a pair that the design can't tell, and where nothing is left of the noise to measure it with.

    Notes
    -----
    One working variance a treatment, s² = Σe² / Σ(1 − h) over its units. Without blocks and baseline this is exactly
    Welch's test; in pairs it is the paired t.
    """
    model = _Model(units, values, baseline)
    return [model.gap(first, second) for first, second in pairs]


def own_correlation(
    units: Sequence[UnitValue], values: Array, baseline: Array | None, pairs: Sequence[tuple[str, str]]
) -> Array:
    """Correlations between gaps that `own_gaps` tells, by their HC2 covariance: (k, k).

    References
    ----------
    Hasler, M. & Hothorn, L. A. (2008). Multiple contrast tests in the presence of heteroscedasticity. Biometrical
    Journal 50.
    """
    model = _Model(units, values, baseline)
    weights = np.array([model.weights(first, second) for first, second in pairs])
    room = 1 - model.leverage
    share = np.where(room < NOTHING, 0.0, model.residuals**2 / np.where(room < NOTHING, 1.0, room))
    covariance = (weights * share) @ weights.T
    size = np.sqrt(np.diag(covariance))
    return np.asarray(covariance / np.outer(size, size))


class _Model:
    """One linear model with all treatments, and what is left over of each unit."""

    def __init__(self, units: Sequence[UnitValue], values: Array, baseline: Array | None) -> None:
        self.names = list(dict.fromkeys(unit.treatment for unit in units))
        self.indicator = np.array([[unit.treatment == name for name in self.names] for unit in units], dtype=float)
        self.design = np.hstack([nuisance(units, baseline), self.indicator])
        self.left_over = projector(self.design)
        self.leverage = 1 - np.diag(self.left_over)
        self.values, self.residuals = values, self.left_over @ values
        self.inverse = np.linalg.pinv(self.design, rcond=1e-10)
        self.own = _own_variances(self.residuals, self.leverage, self.indicator)

    def _contrast(self, first: str, second: str) -> Array:
        contrast = np.zeros(self.design.shape[1])
        contrast[-len(self.names) :] = indicator_of(first, self.names) - indicator_of(second, self.names)
        return contrast

    def weights(self, first: str, second: str) -> Array:
        """What each unit's value weighs in a gap: (n,)."""
        return np.asarray(self._contrast(first, second) @ self.inverse)

    def gap(self, first: str, second: str) -> OwnGap | None:
        """One gap; None where the design can't tell it, or nothing is left over."""
        weights = self.weights(first, second)
        if not np.allclose(weights @ self.design, self._contrast(first, second), atol=1e-7):
            return None
        size = float(np.abs(self.values).max())
        gap = float(weights @ self.values)
        return _gap(gap, weights, self.residuals, self.leverage, self.left_over, self.indicator, self.own, size)


def indicator_of(name: str, names: Sequence[str]) -> Array:
    """1 at the name's place, else 0."""
    return np.array([each == name for each in names], dtype=float)


def _own_variances(residuals: Array, leverage: Array, indicator: Array) -> Array:
    """One variance a treatment; 0 for one that has nothing left over (no gap rests on it then, see `_gap`)."""
    room = (1 - leverage) @ indicator
    return np.asarray((residuals**2 @ indicator) / np.where(room < NOTHING, np.inf, room))


def _gap(
    gap: float,
    weights: Array,
    residuals: Array,
    leverage: Array,
    left_over: Array,
    indicator: Array,
    own: Array,
    size: float,
) -> OwnGap | None:
    used = np.abs(weights) > NOTHING * np.abs(weights).max()
    if np.any(1 - leverage[used] < NOTHING):
        return None
    share = np.zeros_like(weights)
    share[used] = weights[used] ** 2 / (1 - leverage[used])
    se = math.sqrt(float(share @ residuals**2))
    inner = left_over @ (share[:, None] * left_over)
    expected = own @ (indicator.T @ np.diag(inner))
    spread = float(own @ (indicator.T @ inner**2 @ indicator) @ own)
    return OwnGap(gap, se, float(expected**2 / spread)) if se > ROUNDING * size else None
