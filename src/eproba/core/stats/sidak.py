"""Several gaps answered together, each with degrees of freedom of its own: all in closed form.

References
----------
Dunnett, C. W. (1980). Pairwise multiple comparisons in the unequal variance case. JASA 75: the T3 procedure, which
shares the risk as if the gaps were apart from each other.
Šidák, Z. (1967). Rectangular confidence regions for the means of multivariate normal distributions. JASA 62: gaps that
hang together are covered at least so often.
"""

import numpy as np
from numpy.typing import NDArray
from scipy import special

Array = NDArray[np.float64]


def student_bound(df: Array | float, confidence: float) -> Array:
    """The bound that one |T| keeps with the given confidence, for each df."""
    return np.asarray(-special.stdtrit(df, (1 - confidence) / 2))


def student_p(t: Array | float, df: Array | float) -> Array:
    """Two-sided p of Student's t."""
    return np.asarray(2 * special.stdtr(df, -np.abs(t)))


def shared_bound(df: Array | float, gaps: int, confidence: float) -> Array:
    """The bound that each |T| of so many `gaps` keeps, so that all keep theirs with the given confidence.

    Examples
    --------
    >>> shared_bound(10.0, 3, 0.95).round(3), shared_bound(10.0, 1, 0.95).round(3)
    (array(2.865), array(2.228))
    """
    return student_bound(df, confidence ** (1 / gaps))


def shared_p(p: Array, gaps: int) -> Array:
    """The chance that any of so many `gaps` reaches what one alone reaches with chance p."""
    return np.asarray(-np.expm1(gaps * np.log1p(-np.minimum(p, 1 - 1e-16))))
