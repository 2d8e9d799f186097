"""The calendar: weeks down, weekdays across, each day with its work and minutes."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta


@dataclass(frozen=True)
class WeekTask:
    """One line of a day: its kind (round, pour, pull, brew, choose, know: a CSS class), words, minutes, where it leads,
    and its key."""

    on: date
    kind: str
    words: str
    minutes: float
    address: str = ""
    key: str = ""


@dataclass(frozen=True)
class WeekDay:
    """One square of the calendar."""

    on: date
    tasks: tuple[WeekTask, ...]
    minutes: float
    suits: bool


def weeks(
    tasks: Sequence[WeekTask], first: date, last: date, weekdays: Iterable[int] = range(7)
) -> list[list[WeekDay]]:
    """Whole weeks from Monday on; weeks without work at the ends fall away."""
    suits = set(weekdays)
    monday = first - timedelta(days=first.weekday())
    rows = []
    while monday <= last:
        days = [monday + timedelta(days=i) for i in range(7)]
        rows.append([_day(on, [task for task in tasks if task.on == on], on.weekday() in suits) for on in days])
        monday += timedelta(days=7)
    return rows


def _day(on: date, tasks: list[WeekTask], suits: bool) -> WeekDay:
    return WeekDay(on, tuple(tasks), sum(task.minutes for task in tasks), suits)
