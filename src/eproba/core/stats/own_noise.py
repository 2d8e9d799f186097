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
    names = list(dict.fromkeys(unit.treatment for unit in units))
    indicator = np.array([[unit.treatment == name for name in names] for unit in units], dtype=float)
    design = np.hstack([nuisance(units, baseline), indicator])
    left_over = projector(design)
    leverage = 1 - np.diag(left_over)
    residuals = left_over @ values
    inverse = np.linalg.pinv(design, rcond=1e-10)
    size = float(np.abs(values).max())
    own = _own_variances(residuals, leverage, indicator)
    found: list[OwnGap | None] = []
    for first, second in pairs:
        contrast = np.zeros(design.shape[1])
        contrast[-len(names) :] = indicator_of(first, names) - indicator_of(second, names)
        weights = contrast @ inverse
        told = np.allclose(weights @ design, contrast, atol=1e-7)
        gap = float(weights @ values)
        found.append(_gap(gap, weights, residuals, leverage, left_over, indicator, own, size) if told else None)
    return found


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
