"""Serial measurements → one number a unit.

References
----------
Matthews, J. N. S., Altman, D. G., Campbell, M. J. & Royston, P. (1990). Analysis of serial measurements in medical
research. BMJ 300.
Frison, L. & Pocock, S. J. (1992). Repeated measures in clinical trials. Statistics in Medicine 11.
"""

from itertools import pairwise
from typing import Literal

from eproba.core.stats.series import Scale

Summary = Literal["last", "change", "area"]
SUMMARIES: dict[Summary, str] = {
    "last": "The reading on the decision day, with the start taken into account",
    "change": "How far each unit has come since the start",
    "area": "The mean over all the days after the start",
}
Points = tuple[tuple[int, float], ...]


def summarise(points: Points, summary: Summary, scale: Scale, last_day: int) -> tuple[float | None, float | None]:
    """One unit's course as (value, baseline).

    Parameters
    ----------
    points : (day, unit value), one per day; days ≤ 0 are the baseline (the latest counts).
    last_day : the day of the last round; without a reading there the unit has no value (never carried forward).

    Notes
    -----
    `last` and `area` bring the baseline as a covariate; `change` uses it up (on the ratio scale as a quotient, so that
    its log is the difference of logs). `area` is the trapezoid mean over the days after day 0.
    """
    before = [value for day, value in sorted(points) if day <= 0]
    after = [(day, value) for day, value in sorted(points) if 0 < day <= last_day]
    baseline = before[-1] if before else None
    if not after or after[-1][0] != last_day:
        return None, baseline
    if summary == "last":
        return after[-1][1], baseline
    if summary == "area":
        return trapezoid_mean(after), baseline
    if baseline is None or (scale == "ratio" and baseline == 0):
        return None, None
    return (after[-1][1] / baseline if scale == "ratio" else after[-1][1] - baseline), None


def trapezoid_mean(points: list[tuple[int, float]]) -> float:
    """Area under the course divided by its days; the value itself for a single day."""
    days = points[-1][0] - points[0][0]
    if days == 0:
        return points[-1][1]
    return sum((b[0] - a[0]) * (a[1] + b[1]) / 2 for a, b in pairwise(points)) / days
