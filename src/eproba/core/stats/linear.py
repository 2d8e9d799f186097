"""One linear model with all treatments, so that the noise is pooled over every unit.

`value ~ treatment + block (+ row + column) (+ baseline)`, fitted by least squares through the singular value
decomposition, so that aliased columns do no harm and what can't be estimated is known.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from eproba.core.stats.series import UnitValue

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Fit:
    """Least squares of one or more measures on one design.

    Shapes: n units, p columns, m measures, k treatments beside the control.

    Attributes
    ----------
    estimates : (k, m) gaps to the control; NaN where the design can't tell.
    unscaled : (k, k) covariance of the gaps for a noise variance of 1.
    estimable : k flags: the gap can be told from the other columns.
    df : degrees of freedom left for the noise.
    noise_sd : (m,) pooled noise SD; NaN where df is 0.
    residuals : (n, m).
    noiseless : m flags: nothing is left over to estimate the noise from.
    """

    estimates: Array
    unscaled: Array
    estimable: NDArray[np.bool_]
    df: int
    noise_sd: Array
    residuals: Array
    noiseless: NDArray[np.bool_]


@dataclass(frozen=True)
class FitOfOne:
    """The fit of one measure; shapes: k gaps, n units. See `Fit`."""

    estimates: Array
    unscaled: Array
    estimable: NDArray[np.bool_]
    df: int
    noise_sd: float
    residuals: Array
    noiseless: bool

    @property
    def standard_errors(self) -> Array:
        """Standard errors of the gaps: shape (k,)."""
        return np.asarray(np.sqrt(np.diag(self.unscaled)) * self.noise_sd)


def of_one(model: Fit, j: int) -> FitOfOne:
    """One measure's part of a fit of several."""
    return FitOfOne(
        estimates=model.estimates[:, j],
        unscaled=model.unscaled,
        estimable=model.estimable,
        df=model.df,
        noise_sd=float(model.noise_sd[j]),
        residuals=model.residuals[:, j],
        noiseless=bool(model.noiseless[j]),
    )


def dummies(labels: Sequence[str | None]) -> Array:
    """Indicator columns of all labels but the first: shape (n, labels − 1)."""
    names = list(dict.fromkeys(labels))
    return np.array([[label == name for name in names[1:]] for label in labels], dtype=float).reshape(
        len(labels), len(names) - 1
    )


def nuisance(units: Sequence[UnitValue], baseline: Array | None) -> Array:
    """The columns that are not treatments: intercept, block, row, column, baseline. Shape (n, q)."""
    parts = [np.ones((len(units), 1))]
    parts += [dummies([getattr(unit, field) for unit in units]) for field in ("block", "row", "column")]
    if baseline is not None:
        parts.append(baseline.reshape(-1, 1) - baseline.mean())
    return np.hstack(parts)


def basis(columns: Array) -> Array:
    """Orthonormal basis of the column space: shape (n, rank)."""
    size = np.linalg.norm(columns, axis=0)
    left, singular, _ = np.linalg.svd(columns / np.where(size > 0, size, 1.0), full_matrices=False)
    return np.asarray(left[:, singular > 1e-9 * max(singular[0], 1e-300)])


def without(columns: Array, values: Array) -> Array:
    """What is left of `values` (n, …) after the columns' part is taken out."""
    q = basis(columns)
    return np.asarray(values - q @ (q.T @ values))


def projector(columns: Array) -> Array:
    """The matrix that takes the columns' part out: shape (n, n)."""
    q = basis(columns)
    return np.asarray(np.eye(len(columns)) - q @ q.T)


def fit(units: Sequence[UnitValue], treatments: Sequence[str], values: Array, baseline: Array | None) -> Fit:
    """Fit the model.

    Parameters
    ----------
    units : the n units judged, with their labels.
    treatments : the k treatments beside the control, in the order wanted.
    values : (n, m) summaries, on the scale of the estimates.
    baseline : (n,) covariate or None.

    Notes
    -----
    The gaps come from the treatment columns with all other columns taken out (Frisch & Waugh 1933), which gives the
    same figures as the whole model at once.
    """
    others = nuisance(units, baseline)
    indicator = np.array([[unit.treatment == name for name in treatments] for unit in units], dtype=float)
    cleared = without(others, indicator)
    estimable = np.array([_stands_alone(cleared, j) for j in range(len(treatments))])
    inverse = np.linalg.pinv(cleared.T @ cleared, rcond=1e-10, hermitian=True)
    left_over = without(others, values)
    estimates = inverse @ (cleared.T @ left_over)
    everything = np.hstack([others, indicator])
    residuals = without(everything, values)
    df = len(units) - basis(everything).shape[1]
    squares = (residuals**2).sum(axis=0)
    spread = (left_over**2).sum(axis=0) + 1e-20 * (values**2).sum(axis=0)
    noiseless = squares <= 1e-20 * (values**2).sum(axis=0) + 1e-14 * spread
    with np.errstate(divide="ignore", invalid="ignore"):
        noise_sd: Array = np.sqrt(squares / df) if df > 0 else np.full(values.shape[1], np.nan, dtype=np.float64)
    estimates[~estimable] = np.nan
    return Fit(
        np.asarray(estimates, dtype=np.float64), np.asarray(inverse), estimable, df, noise_sd, residuals, noiseless
    )


def _stands_alone(cleared: Array, j: int) -> bool:
    """Whether column j has a part of its own beside the other treatments' columns."""
    own = cleared[:, j]
    rest = np.delete(cleared, j, axis=1)
    if rest.shape[1] and np.any(np.abs(rest) > 1e-9):
        own = without(rest, own)
    return bool(np.linalg.norm(own) > 1e-7)
