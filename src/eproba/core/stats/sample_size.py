"""How many units would settle it: power of the many-against-one t test.

References
----------
Hoenig, J. M. & Heisey, D. M. (2001). The abuse of power. The American Statistician 55: never from the seen gap.
"""

import math

import numpy as np
from numpy.typing import NDArray
from scipy import special

from eproba.core.stats.many_to_one import critical_value

MOST_UNITS = 5_000


def noise_df(groups: int, units: int, blocks: bool, covariates: int = 0) -> int:
    """Degrees of freedom left for the noise: `groups` treatments (control included) × `units` each."""
    return groups * units - groups - (units - 1 if blocks else 0) - covariates


def even_correlation(treatments: int) -> NDArray[np.float64]:
    """Correlations between the gaps of `treatments` equally large groups to one shared control: 1/2."""
    return np.asarray(np.full((treatments, treatments), 0.5) + 0.5 * np.eye(treatments))


def chance_beyond(shift: float, df: float, bound: float, both_sides: bool = True) -> float:
    """Chance that a noncentral t with `shift` passes ± bound (or + bound alone).

    The far side needs a normal deviate below −shift, so it is less than 3e-7 beyond a shift of 5 (and there SciPy's
    function may give no number).
    """
    if shift > 30:
        return 1.0
    far = special.nctdtr(df, shift, -bound) if both_sides and shift <= 5 else 0.0
    return float(1 - special.nctdtr(df, shift, bound) + far)


def shift_of(gap: float, noise_sd: float, units: int) -> float:
    """A true gap in standard errors, with `units` units in each of two groups."""
    return abs(gap) / (noise_sd * math.sqrt(2 / units))


def power(
    units: int, gap: float, noise_sd: float, treatments: int, blocks: bool, covariates: int, no_worse: bool = False
) -> float:
    """Chance that one true `gap` is shown against the control, with `units` units per treatment.

    `treatments` counts those beside the control; the bound is the adjusted one, the chance is by the noncentral t.
    With `no_worse`: chance that a treatment truly equal is shown to be no worse by `gap`.
    """
    df = noise_df(treatments + 1, units, blocks, covariates)
    if df < 1:
        return 0.0
    bound = critical_value(even_correlation(treatments), df, 0.95)
    return chance_beyond(shift_of(gap, noise_sd, units), df, bound, both_sides=not no_worse)


def units_needed(
    gap: float,
    noise_sd: float,
    treatments: int,
    blocks: bool = False,
    covariates: int = 0,
    chance: float = 0.8,
    no_worse: bool = False,
) -> int | None:
    """Fewest units per treatment that find a true `gap` (the worth) with the given chance; None beyond 5 000."""

    def enough(units: int) -> bool:
        return power(units, gap, noise_sd, treatments, blocks, covariates, no_worse) >= chance

    high = 2
    while not enough(high):
        high *= 2
        if high > MOST_UNITS:
            return None
    low = high // 2
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if enough(middle) else (middle, high)
    return high
