"""Serial measurements → one number a unit.

References
----------
Matthews, J. N. S., Altman, D. G., Campbell, M. J. & Royston, P. (1990). Analysis of serial measurements in medical
research. BMJ 300.
Frison, L. & Pocock, S. J. (1992). Repeated measures in clinical trials. Statistics in Medicine 11.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from eproba.core.stats.series import Scale

Summary = Literal["last", "change", "area", "rate", "time_to"]
SUMMARIES: dict[Summary, str] = {
    "last": "The reading on the decision day, with the start taken into account",
    "change": "How far each unit has come since the start",
    "area": "The mean over all the days after the start",
    "rate": "How fast each unit changes: a straight line through all its readings",
    "time_to": "The day on which each unit reaches a level",
}


@dataclass(frozen=True)
class Point:
    """One unit in one round: the day planned for the round, the day on which it was truly read, and the value."""

    planned: int
    day: int
    value: float


Points = tuple[Point, ...]


def summarise(
    points: Points, summary: Summary, scale: Scale, last_day: int, level: float | None = None
) -> tuple[float | None, float | None]:
    """One unit's course as (value, baseline).

    Parameters
    ----------
    points : one a round; rounds planned for days ≤ 0 are the baseline (the latest counts).
    last_day : the planned day of the last round; without a reading there the unit has no value (never carried forward).
    level : of `time_to`, what is to be reached.

    Notes
    -----
    `last` and `area` bring the baseline as a covariate; `change` uses it up (on the ratio scale as a quotient, so that
    its log is the difference of logs). `area` is the trapezoid mean over the days after day 0, each at its true day.
    `rate` is the least-squares slope over the days, the start included; on the ratio scale that of the logs, given as
    a factor a day, so that its log is the slope. `time_to` is the interpolated day of the first crossing, infinity
    for “not yet”.
    """
    ordered = sorted(points, key=lambda point: point.planned)
    before = [point.value for point in ordered if point.planned <= 0]
    after = [point for point in ordered if 0 < point.planned <= last_day]
    baseline = before[-1] if before else None
    if summary == "time_to":
        return time_to(ordered, last_day, level), None
    if not after or after[-1].planned != last_day:
        return None, baseline
    if summary == "rate":
        return rate([point for point in ordered if point.planned <= last_day], scale), None
    last = after[-1].value
    if summary == "last":
        return last, baseline
    if summary == "area":
        return trapezoid_mean(after), baseline
    if baseline is None or (scale == "ratio" and baseline == 0):
        return None, None
    return (last / baseline if scale == "ratio" else last - baseline), None


def rate(points: Sequence[Point], scale: Scale) -> float | None:
    """The slope a day through two readings or more on different days; on the ratio scale the factor a day.

    None where there are fewer, or where a value has no log.
    """
    days = [float(point.day) for point in points]
    if len(set(days)) < 2 or (scale == "ratio" and min(point.value for point in points) <= 0):
        return None
    values = [math.log(point.value) if scale == "ratio" else point.value for point in points]
    middle, mean = math.fsum(days) / len(days), math.fsum(values) / len(values)
    slope = math.fsum((d - middle) * (v - mean) for d, v in zip(days, values, strict=True)) / math.fsum(
        (d - middle) ** 2 for d in days
    )
    return math.exp(slope) if scale == "ratio" else slope


def time_to(points: Sequence[Point], last_day: int, level: float | None) -> float | None:
    """The day of the first crossing of a level, from either side, between two readings by a straight line.

    Infinity where it has not come by the last round; None where the unit was not read then, or there is no level.
    """
    seen = sorted((point for point in points if point.planned <= last_day), key=lambda point: point.day)
    if level is None or not seen:
        return None
    side = seen[0].value >= level
    for before, after in pairwise(seen):
        if (after.value >= level) != side:
            share = (level - before.value) / (after.value - before.value)
            return before.day + share * (after.day - before.day)
    return math.inf if max(point.planned for point in seen) == last_day else None


def day_of_event(points: Points, last_day: int) -> float | None:
    """The day on which it was first seen to have happened (a value of 1).

    Infinity for “not yet” by the last look, so that it stands behind all that has happened; None where the unit was
    not looked at in the last round.
    """
    ordered = sorted((point for point in points if point.planned <= last_day), key=lambda point: point.day)
    seen = next((point.day for point in ordered if point.value >= 0.5), None)
    if seen is not None:
        return float(seen)
    return math.inf if ordered and ordered[-1].planned == last_day else None


def trapezoid_mean(points: Sequence[Point]) -> float:
    """Area under the course divided by its days; the value itself for a single day."""
    ordered = sorted(points, key=lambda point: point.day)
    days = ordered[-1].day - ordered[0].day
    if days == 0:
        return ordered[-1].value
    return sum((b.day - a.day) * (a.value + b.value) / 2 for a, b in pairwise(ordered)) / days
