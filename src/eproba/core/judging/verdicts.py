"""From an interval to a word."""

import math
from typing import Literal, get_args

Verdict = Literal[
    "better_matters",
    "better",
    "better_trivial",
    "same",
    "cannot_tell",
    "worse_trivial",
    "worse",
    "worse_matters",
    "seen_not_shown",
    "no_worse",
]
VERDICTS: tuple[Verdict, ...] = get_args(Verdict)

_MIRROR: dict[Verdict, Verdict] = {
    "better_matters": "worse_matters",
    "better": "worse",
    "better_trivial": "worse_trivial",
    "worse_trivial": "better_trivial",
    "worse": "better",
    "worse_matters": "better_matters",
}


Cap = Literal["direction", "described"]


def capped(verdict: Verdict, cap: Cap) -> Verdict:
    """The most that may be said under a cap: the direction alone (how much of it is left open), or a description."""
    if cap == "described" or verdict == "seen_not_shown":
        return "seen_not_shown"
    if verdict in ("better_matters", "better", "better_trivial"):
        return "better"
    return "worse" if verdict in ("worse_matters", "worse", "worse_trivial") else "cannot_tell"


def verdict_of(
    low: float | None, high: float | None, band: float | None, lower_is_better: bool, no_worse: bool = False
) -> Verdict:
    """Judge the simultaneous interval against 0 and ± band (both on the scale of the estimates).

    Shown means strictly beyond: an interval that ends at 0 or at the band shows nothing more. With `no_worse` the band
    is the margin that may be given away: what lies wholly above its lower end, and is not shown to be better or worse,
    is `no_worse` (Piaggio et al. 2012, JAMA 308: the same interval answers both questions); shown to be worse, but by
    less than the margin, it is `worse_trivial`.
    """
    if low is None or high is None:
        return "seen_not_shown"
    if lower_is_better:
        low, high = -high, -low
    if no_worse and band is not None and low <= 0 <= high and low > -band:
        return "no_worse"
    return _upward(low, high, band)


def _upward(low: float, high: float, band: float | None) -> Verdict:
    if low > 0:
        return _beyond_zero(low, high, band)
    if high < 0:
        return _MIRROR[_beyond_zero(-high, -low, band)]
    inside = band is not None and -band < low and high < band
    return "same" if inside else "cannot_tell"


def _beyond_zero(near: float, far: float, band: float | None) -> Verdict:
    if band is None:
        return "better"
    if near > band:
        return "better_matters"
    return "better_trivial" if far < band else "better"


MOST_LOG = 230.0  # a hundred digits: what lies beyond is no number of a garden, and would overflow


def percent(estimate: float) -> float:
    """A gap on the log scale as percent (0.0953 → 10)."""
    return 100 * math.expm1(min(estimate, MOST_LOG))
