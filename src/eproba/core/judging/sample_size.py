"""How many units would settle it: power of the many-against-one t test.

References
----------
Hoenig, J. M. & Heisey, D. M. (2001). The abuse of power. The American Statistician 55: never from the seen gap.
"""

import math

import numpy as np
from scipy import special

from eproba.core.judging.many_to_one import critical_value

MOST_UNITS = 5_000


def power(units: int, gap: float, noise_sd: float, treatments: int, blocks: bool, covariates: int) -> float:
    """Chance that one true `gap` is shown against the control, with `units` units per treatment.

    `treatments` counts those beside the control; the bound is the adjusted one, the chance is by the noncentral t.
    """
    groups = treatments + 1
    df = groups * units - groups - (units - 1 if blocks else 0) - covariates
    if df < 1:
        return 0.0
    correlation = np.full((treatments, treatments), 0.5) + 0.5 * np.eye(treatments)
    bound = critical_value(correlation, df, 0.95)
    shift = abs(gap) / (noise_sd * math.sqrt(2 / units))
    if shift > 30:
        return 1.0
    return float(1 - special.nctdtr(df, shift, bound) + special.nctdtr(df, shift, -bound))


def units_needed(
    gap: float, noise_sd: float, treatments: int, blocks: bool = False, covariates: int = 0, chance: float = 0.8
) -> int | None:
    """Fewest units per treatment that find a true `gap` (the worth) with the given chance; None beyond 5 000."""

    def enough(units: int) -> bool:
        return power(units, gap, noise_sd, treatments, blocks, covariates) >= chance

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
