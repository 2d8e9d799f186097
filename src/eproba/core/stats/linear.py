"""One linear model with all treatments, so that the noise is pooled over every unit.

`value ~ treatment + block (+ row + column) (+ baseline)`, fitted by least squares through the singular value
decomposition, so that aliased columns do no harm and what can't be estimated is known.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from eproba.core.stats.series import UnitValue

Array = NDArray[np.float64]
ROUNDING = 2e-15  # of a value: what its own digits can't tell


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
    weights : (k, n) what each unit's value weighs in each gap.
    span : (n, rank) orthonormal basis of all columns of the model.
    """

    estimates: Array
    unscaled: Array
    estimable: NDArray[np.bool_]
    df: int
    noise_sd: Array
    residuals: Array
    noiseless: NDArray[np.bool_]
    weights: Array
    span: Array

    @property
    def room(self) -> Array:
        """What a unit does not foretell of itself, 1 − its leverage: shape (n,)."""
        return np.asarray(1 - (self.span**2).sum(axis=1))


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


def one_measure(model: Fit, j: int) -> Fit:
    """The fit of several measures as that of one of them."""
    return replace(
        model,
        estimates=model.estimates[:, [j]],
        noise_sd=model.noise_sd[[j]],
        residuals=model.residuals[:, [j]],
        noiseless=model.noiseless[[j]],
    )


def dummies(labels: Sequence[str | None]) -> Array:
    """Indicator columns of all labels but the first: shape (n, labels − 1)."""
    names = list(dict.fromkeys(labels))
    return np.array([[label == name for name in names[1:]] for label in labels], dtype=float).reshape(
        len(labels), len(names) - 1
    )


def nuisance_span(units: Sequence[UnitValue], baseline: Array | None) -> Array:
    """Orthonormal basis of what is not treatment: intercept, block, row, column, baseline. Shape (n, rank).

    The means of the blocks need no decomposition, however many blocks there are.
    """
    parts = [dummies([getattr(unit, field) for unit in units]) for field in ("row", "column")]
    if baseline is not None:
        parts.append(baseline.reshape(-1, 1) - baseline.mean())
    return joined(means_span([unit.block for unit in units]), np.hstack(parts))


def means_span(labels: Sequence[str | None]) -> Array:
    """Orthonormal basis of the means of labelled groups, the intercept among them: shape (n, labels)."""
    place = {label: i for i, label in enumerate(dict.fromkeys(labels))}
    means = np.zeros((len(labels), len(place)))
    means[np.arange(len(labels)), [place[label] for label in labels]] = 1
    return np.asarray(means / np.sqrt(means.sum(axis=0)))


def basis(columns: Array) -> Array:
    """Orthonormal basis of the column space: shape (n, rank)."""
    size = np.linalg.norm(columns, axis=0)
    left, singular, _ = np.linalg.svd(columns / np.where(size > 0, size, 1.0), full_matrices=False)
    return np.asarray(left[:, singular > 1e-9 * max(singular[:1].max(initial=0.0), 1e-300)])


def joined(span: Array, columns: Array) -> Array:
    """An orthonormal basis and further columns as one basis; columns that it holds already add nothing."""
    own = clear_of(span, columns)
    size, left = np.linalg.norm(columns, axis=0), np.linalg.norm(own, axis=0)
    return np.hstack([span, basis(own[:, left > 1e-9 * size])])


def clear_of(span: Array, values: Array) -> Array:
    """What is left of `values` (n, …) once the part in an orthonormal basis is taken out."""
    return np.asarray(values - span @ (span.T @ values))


def without(columns: Array, values: Array) -> Array:
    """What is left of `values` (n, …) after the columns' part is taken out."""
    return clear_of(basis(columns), values)


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
    others = nuisance_span(units, baseline)
    indicator = np.array([[unit.treatment == name for name in treatments] for unit in units], dtype=float)
    cleared = clear_of(others, indicator)
    cleared[:, np.linalg.norm(cleared, axis=0) <= 1e-7 * np.linalg.norm(indicator, axis=0)] = 0  # rounding is no part
    overlap = cleared.T @ cleared
    inverse = np.linalg.pinv(overlap, rcond=1e-10, hermitian=True)
    estimable = np.diag(inverse @ overlap) > 1 - 1e-7  # it has a part of its own beside the other treatments' columns
    left_over = clear_of(others, values - values[0])  # a level that all share costs digits
    estimates = inverse @ (cleared.T @ left_over)
    span = joined(others, indicator)
    residuals = clear_of(span, left_over)
    df = len(units) - span.shape[1]
    squares = (residuals**2).sum(axis=0)
    rounding = len(units) * (ROUNDING * np.abs(values).max(axis=0)) ** 2
    noiseless = squares <= rounding + 1e-26 * (left_over**2).sum(axis=0)
    with np.errstate(divide="ignore", invalid="ignore"):
        noise_sd: Array = np.sqrt(squares / df) if df > 0 else np.full(values.shape[1], np.nan, dtype=np.float64)
    estimates[~estimable] = np.nan
    return Fit(
        estimates=np.asarray(estimates, dtype=np.float64),
        unscaled=np.asarray(inverse),
        estimable=estimable,
        df=df,
        noise_sd=noise_sd,
        residuals=residuals,
        noiseless=noiseless,
        weights=np.asarray(inverse @ cleared.T),
        span=span,
    )
