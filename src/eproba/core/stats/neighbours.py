"""Whether neighbours are more alike than chance makes them.

References
----------
Moran, P. A. P. (1950). Notes on continuous stochastic phenomena. Biometrika 37 (the index, here by shuffling).
"""

from collections.abc import Sequence

import numpy as np

SHUFFLES, SEED, BESIDE = 499, 1, 1.5  # beside: within so many times the nearest distance


def neighbours_alike(places: Sequence[tuple[int, float, float]], values: Sequence[float]) -> float | None:
    """One-sided p of Moran's index among shuffled values.

    Parameters
    ----------
    places : n times (which bed or row, x, y in cm); units of two beds are no neighbours.
    values : n numbers whose mean is taken out.

    Returns
    -------
    float or None
        None where no two are neighbours, or all values are one.
    """
    at, x = np.asarray(places, dtype=np.float64), np.asarray(values, dtype=np.float64)
    x = x - x.mean()
    away = np.hypot(*(at[:, None, axis] - at[None, :, axis] for axis in (1, 2)))
    away[at[:, None, 0] != at[None, :, 0]] = np.inf
    np.fill_diagonal(away, np.inf)
    beside = (away <= BESIDE * away.min()).astype(float) if np.isfinite(away.min()) else np.zeros_like(away)
    if not beside.any() or not (x**2).sum() > 0:
        return None
    rng = np.random.default_rng(SEED)
    shuffled = rng.permuted(np.tile(x, (SHUFFLES, 1)), axis=1)
    seen = float(x @ beside @ x)
    dealt = ((shuffled @ beside) * shuffled).sum(axis=1)
    return float((1 + (dealt >= seen - 1e-9 * abs(seen)).sum()) / (SHUFFLES + 1))
