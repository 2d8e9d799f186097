"""How many units would settle it: power of the many-against-one t test.

References
----------
Hoenig, J. M. & Heisey, D. M. (2001). The abuse of power. The American Statistician 55: never from the seen gap.
"""

import math

import numpy as np
from numpy.typing import NDArray
from scipy import special

from eproba.core.stats.sidak import shared_bound

MOST_UNITS = 5_000
NORMAL_BOTH = 2.8  # 1.96 + 0.84: the bound of 1 in 20 and 8 of 10


def noise_df(groups: int, units: int, blocks: bool, covariates: int = 0) -> int:
    """Degrees of freedom left for the noise: `groups` treatments (control included) × `units` each."""
    return groups * units - groups - (units - 1 if blocks else 0) - covariates


def own_noise_df(groups: int, units: int, blocks: bool, covariates: int = 0) -> float:
    """Degrees of freedom of one gap on the noise of its own two treatments, all of them equally noisy in truth.

    Satterthwaite's by HC2 (design as in `stats.own_noise`): 2 (n − 1) without blocks (Welch); in complete blocks
    (n − 1) (2 − 2/g)² / (1 + (1 − 2/g)²), n − 1 in pairs. A covariate takes the part of it that falls to two of the
    groups.
    """
    if not blocks:
        return 2 * (units - 1) - 2 * covariates / groups
    share = 1 - 2 / groups
    return (units - 1) * (1 + share) ** 2 / (1 + share**2) - 2 * covariates / groups


def bound_df(df: float, units: int, blocks: bool) -> float:
    """The degrees of freedom that a trial of two free groups will find for itself, on average: with ν = n − 1,
    2ν (ν + 1) / (ν + 2), since groups as noisy in truth seldom look it. In blocks it is what it is."""
    return df if blocks else df * units / (units + 1)


def noise_range(sd: float, df: float, likely: float = 0.8) -> tuple[float, float, float]:
    """The noise that may be behind an SD seen with so many degrees of freedom (χ²): low, as seen, high."""
    tail = (1 - likely) / 2
    low, high = (math.sqrt(df / float(special.chdtri(df, chance))) for chance in (tail, 1 - tail))
    return sd * low, sd, sd * high


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
    units: int,
    gap: float,
    noise_sd: float,
    treatments: int,
    blocks: bool,
    covariates: int,
    no_worse: bool = False,
    at_once: int | None = None,
) -> float:
    """Chance that one true `gap` is shown against the control, with `units` units per treatment.

    `treatments` counts those beside the control, `at_once` all gaps that share the 5 % (None: these); the bound is the
    shared one on the noise of these two treatments alone, the chance is by the noncentral t.
    With `no_worse`: chance that a treatment truly equal is shown to be no worse by `gap`.
    """
    df = own_noise_df(treatments + 1, units, blocks, covariates)
    if df < 1 or noise_df(treatments + 1, units, blocks, covariates) < 1:
        return 0.0
    bound = float(shared_bound(bound_df(df, units, blocks), at_once or treatments, 0.95))
    return chance_beyond(shift_of(gap, noise_sd, units), df, bound, both_sides=not no_worse)


def units_needed(
    gap: float,
    noise_sd: float,
    treatments: int,
    blocks: bool = False,
    covariates: int = 0,
    chance: float = 0.8,
    no_worse: bool = False,
    at_once: int | None = None,
) -> int | None:
    """Fewest units per treatment that find a true `gap` (the worth) with the given chance; None beyond 5 000."""

    def enough(units: int) -> bool:
        return power(units, gap, noise_sd, treatments, blocks, covariates, no_worse, at_once) >= chance

    high = _guess(gap, noise_sd, at_once or treatments, chance)
    while not enough(high):
        high += max(1, high // 8)
        if high > MOST_UNITS:
            return None
    low = high - 1
    while low > 1 and enough(low):
        low -= max(1, (high - low) // 2)
    low = max(1, low)
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if enough(middle) else (middle, high)
    return high


def _guess(gap: float, noise_sd: float, at_once: int, chance: float) -> int:
    """Near the fewest units that do: twice over, by Student's t on 2 (n − 1) degrees of freedom."""
    units = 2.0 * (NORMAL_BOTH * noise_sd / gap) ** 2
    for _ in range(3):
        df = 2 * max(1.0, min(units, MOST_UNITS) - 1)
        both = float(shared_bound(df, at_once, 0.95)) + float(special.stdtrit(df, chance))
        units = 2 * (both * noise_sd / gap) ** 2
    return max(2, min(MOST_UNITS, math.ceil(units)))
