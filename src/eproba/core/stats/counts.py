"""Counts in percent: a quasi-Poisson model with log link, as many times as much as beside the control.

References
----------
McCullagh, P. & Nelder, J. A. (1989). Generalized Linear Models, 2nd ed., ch. 6.2 (over-dispersion).
Ver Hoef, J. M. & Boveng, P. L. (2007). Quasi-Poisson vs. negative binomial regression: how should we model
overdispersed count data? Ecology 88.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from eproba.core.stats.linear import Array, dummies
from eproba.core.stats.many_to_one import critical_value
from eproba.core.stats.series import UnitValue

ROUNDS, ENOUGH = 100, 1e-10


@dataclass(frozen=True)
class LogGap:
    """The log of how many times as much, with the interval among all comparisons."""

    estimate: float
    low: float
    high: float


def log_gaps(units: Sequence[UnitValue], treatments: Sequence[str], confidence: float) -> dict[str, LogGap]:
    """Each treatment against the control by iteratively reweighted least squares.

    Parameters
    ----------
    units : with values ≥ 0; blocks are in the model, a baseline is not.
    treatments : the treatments beside the control.

    Returns
    -------
    dict
        Empty where a group or a block is all zero (no percent can be told of nothing), or nothing is left over.

    Notes
    -----
    Dispersion by Pearson's χ² / df, at least 1, since counts never scatter less than by chance; t on the residual df.
    """
    counts = np.array([unit.value for unit in units], dtype=np.float64)
    labels = [("treatment", unit.treatment) for unit in units] + [("block", unit.block or "") for unit in units]
    totals: dict[tuple[str, str], float] = {}
    for label, count in zip(labels, np.concatenate([counts, counts]), strict=True):
        totals[label] = totals.get(label, 0.0) + float(count)
    if min(totals.values()) <= 0 or counts.min() < 0:
        return {}
    indicator = np.array([[unit.treatment == name for name in treatments] for unit in units], dtype=float)
    columns = np.hstack([np.ones((len(units), 1)), dummies([unit.block for unit in units]), indicator])
    df = len(units) - columns.shape[1]
    if df < 1 or np.linalg.matrix_rank(columns) < columns.shape[1]:
        return {}
    mean = counts + 0.5 * counts.mean() + 1e-9
    for _ in range(ROUNDS):
        worked = np.log(mean) + (counts - mean) / mean
        information = columns.T @ (mean[:, None] * columns)
        change = np.linalg.solve(information, columns.T @ (mean * worked))
        before, mean = mean, np.exp(np.clip(columns @ change, -60, 60))
        if np.abs(mean / before - 1).max() < ENOUGH:
            break
    covariance = max(1.0, float(((counts - mean) ** 2 / mean).sum()) / df) * np.linalg.inv(
        columns.T @ (mean[:, None] * columns)
    )
    k = len(treatments)
    part = covariance[-k:, -k:]
    se = np.sqrt(np.diag(part))
    bound = critical_value(_even(part, se), df, confidence)
    return {
        name: LogGap(gap, gap - bound * error, gap + bound * error)
        for name, gap, error in zip(treatments, change[-k:].tolist(), se.tolist(), strict=True)
    }


def _even(covariance: Array, se: Array) -> Array:
    return np.asarray(covariance / np.outer(se, se))
