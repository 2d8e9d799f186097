"""Gaps between treatments where each keeps the noise of its own: what one scatters does not widen the others.

References
----------
MacKinnon, J. G. & White, H. (1985). Some heteroskedasticity-consistent covariance matrix estimators with improved
finite sample properties. Journal of Econometrics 29 (HC2).
Welch, B. L. (1947). The generalization of “Student’s” problem when several different population variances are
involved. Biometrika 34.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from eproba.core.stats.linear import ROUNDING, Array, Fit

NOTHING = 1e-9  # of a whole: a smaller share is rounding
SMALL = 400  # units whose matrix of all by all is quicker made than avoided


@dataclass(frozen=True)
class OwnGaps:
    """Gaps on the noise of their own; shapes: p gaps, m measures.

    Attributes
    ----------
    estimates : (p, m).
    se : (p, m) HC2 standard errors; NaN where the design can't tell the gap, or nothing is left of its noise.
    df : (p, m) Satterthwaite's degrees of freedom; NaN likewise.
    """

    estimates: Array
    se: Array
    df: Array


def own_gaps(model: Fit, treatments: Sequence[str], contrasts: Array, values: Array) -> OwnGaps:
    """Gaps of one linear model, with HC2 errors and Satterthwaite's df.

    Parameters
    ----------
    model : the fit of all treatments.
    treatments : n labels, the units' treatments.
    contrasts : (p, k) each gap as a mixture of the model's gaps to the control: a unit vector for one of them, +1 and
        −1 for two treatments against each other.
    values : (n, m) that the model was fitted to.

    Notes
    -----
    One working variance a treatment, s² = Σe² / Σ(1 − h) over its units. Without blocks and baseline this is exactly
    Welch's test with equal numbers; in pairs it is the paired t. The df are never more than with all working variances
    equal, (Σ tr A_g)² / Σ tr(A_g A_h): a few calm units would else lend theirs to a gap that rests on the noisy ones.
    """
    names = list(dict.fromkeys(treatments))
    indicator = np.array([[label == name for name in names] for label in treatments], dtype=float)
    room = model.room
    weights = contrasts @ model.weights
    used = np.abs(weights) > NOTHING * np.abs(weights).max(axis=1, initial=0.0)[:, None]
    usable = np.all(model.estimable | (contrasts == 0), axis=1) & ~np.any(used & (room < NOTHING), axis=1)
    share = np.where(used, weights**2, 0.0) / np.where(room < NOTHING, np.inf, room)
    size = np.abs(model.residuals).max(axis=0)
    size = np.where(size > 0, size, 1.0)
    squares = (model.residuals / size) ** 2  # of very large or small numbers, squares of squares would be lost
    se = size * np.sqrt(share @ squares)
    told_se = usable[:, None] & (se > ROUNDING * np.abs(values).max(axis=0))
    own = _own_variances(squares, room, indicator)
    df = np.full_like(se, np.nan)
    for i in np.flatnonzero(usable):
        trace, spread = _moments(model.span, share[i], indicator)
        with np.errstate(divide="ignore", invalid="ignore"):
            satterthwaite = (trace @ own) ** 2 / ((spread @ own) * own).sum(axis=0)
        df[i] = np.minimum(satterthwaite, float(trace.sum() ** 2 / spread.sum()))
    estimates = contrasts @ np.where(model.estimable[:, None], model.estimates, 0.0)
    return OwnGaps(
        estimates=estimates,
        se=np.where(told_se, se, np.nan),
        df=np.where(told_se, df, np.nan),
    )


def noise_by_treatment(model: Fit, treatments: Sequence[str], values: Array) -> tuple[list[str], Array, Array]:
    """The working variances behind `own_gaps`: names (g), variances (g, m), and the df of each (g,). NaN where nothing
    is left to tell one from, 0 where there is no more than rounding."""
    names = list(dict.fromkeys(treatments))
    indicator = np.array([[label == name for name in names] for label in treatments], dtype=float)
    left = indicator.T @ model.room
    with np.errstate(divide="ignore", invalid="ignore"):
        variances = np.where(left[:, None] > NOTHING, indicator.T @ model.residuals**2 / left[:, None], np.nan)
    rounding = (len(values) * ROUNDING * np.abs(values).max(axis=0)) ** 2
    return names, np.where(variances <= rounding, 0.0, variances), np.asarray(left)


def _own_variances(squares: Array, room: Array, indicator: Array) -> Array:
    """One variance a treatment and measure: (g, m); 0 for one that has nothing left over (no gap rests on it then)."""
    left = indicator.T @ room
    return np.asarray(indicator.T @ squares / np.where(left < NOTHING, np.inf, left)[:, None])


def _moments(span: Array, share: Array, indicator: Array) -> tuple[Array, Array]:
    """tr A_g (g,) and tr A_g A_h (g, h) of A = M·diag(share)·M, M clearing the model's span.

    A = diag(share) − L Rᵀ with L = [Q, B], R = [B, Q], B = diag(share) Q − Q C / 2, C = Qᵀ diag(share) Q, so that no
    matrix of all units by all units is needed where the units are many.
    """
    scaled = share[:, None] * span
    half = scaled - span @ (span.T @ scaled) / 2
    left, right = np.hstack([span, half]), np.hstack([half, span])
    taken = (left * right).sum(axis=1)
    trace = indicator.T @ (share - taken)
    n, rank = left.shape
    if n <= max(2 * rank, SMALL):
        between = indicator.T @ (left @ right.T) ** 2 @ indicator
    else:
        groups = [row > 0 for row in indicator.T]
        lefts = np.array([(left[group].T @ left[group]).ravel() for group in groups])
        rights = np.array([(right[group].T @ right[group]).ravel() for group in groups])
        between = lefts @ rights.T
    return trace, between + np.diag(indicator.T @ (share**2 - 2 * share * taken))
