"""The days of a trial: a baseline, rounds up to the decision day, applications in between."""

from dataclasses import dataclass

MOST_DAYS = 730


@dataclass(frozen=True)
class Rhythm:
    """Days are counted from day 0, the day of baseline and first application.

    `round_every` days between rounds; `pour_every` days between applications (None: once, on day 0).
    """

    decision_day: int
    round_every: int
    pour_every: int | None


def round_days(rhythm: Rhythm) -> list[int]:
    """Baseline on day 0, every so many days, and the decision day itself last.

    A round less than half a rhythm before the decision day is left out: it would tell the same.
    """
    regular = range(0, rhythm.decision_day, rhythm.round_every)
    kept = [day for day in regular if day == 0 or rhythm.decision_day - day >= rhythm.round_every / 2]
    return [*kept, rhythm.decision_day]


def pour_days(rhythm: Rhythm) -> list[int]:
    """Day 0 and every so many days, but never on the decision day."""
    if rhythm.pour_every is None:
        return [0]
    return list(range(0, rhythm.decision_day, rhythm.pour_every))
