"""All pairs of several treatments at once.

References
----------
Tukey, J. W. (1953). The problem of multiple comparisons. Mimeographed, Princeton University.
Games, P. A. & Howell, J. F. (1976). Pairwise multiple comparison procedures with unequal n's and/or variances.
Journal of Educational Statistics 1: each pair with its own error and its own degrees of freedom.
"""

import functools
import math

import numpy as np
from scipy import optimize, special

from eproba.core.stats.linear import Array
from eproba.core.stats.many_to_one import chebyshev, noise_nodes


def all_pairs_p(t: float, treatments: int, df: float) -> float:
    """Chance that any of the pairs of `treatments` groups reaches |t|, where all are alike."""
    s, weights = noise_nodes(df)
    at = np.minimum(abs(t) * math.sqrt(2) * s, WIDEST) * (2 / WIDEST) - 1
    return max(0.0, 1 - float(weights @ np.polynomial.chebyshev.chebval(at, _range_within(treatments))))


@functools.lru_cache(maxsize=512)
def all_pairs_bound(treatments: int, df: float, confidence: float) -> float:
    """The bound that the |t| of all pairs keep with the given confidence."""
    alone = float(-special.stdtrit(df, (1 - confidence) / 2))
    pairs = treatments * (treatments - 1) / 2
    bonferroni = float(-special.stdtrit(df, (1 - confidence) / 2 / pairs))
    if pairs == 1:
        return alone
    return float(
        optimize.brentq(
            lambda bound: all_pairs_p(bound, treatments, df) - (1 - confidence), alone, bonferroni * 1.02, xtol=1e-7
        )
    )


WIDEST, GRID = 14.0, 72


@functools.lru_cache(maxsize=64)
def _range_within(count: int) -> Array:
    """P(range of `count` normals ≤ x), as a polynomial in x: the lowest may stand anywhere, the others within reach."""
    nodes, weights = np.polynomial.legendre.leggauss(120)
    low = 8.5 * nodes
    density = np.exp(-(low**2) / 2) / math.sqrt(2 * math.pi)
    points, turn = chebyshev(WIDEST, GRID)
    reach = special.ndtr(low[None, :] + points[:, None]) - special.ndtr(low)[None, :]
    return np.asarray(turn @ (count * reach ** (count - 1) @ (8.5 * weights * density)))
