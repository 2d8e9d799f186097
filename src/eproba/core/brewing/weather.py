"""Weather as the pour needs it: hours of temperature and rain, measured, typed or foretold; one interface for all."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Protocol

MOST_RAIN = 200.0


@dataclass(frozen=True)
class Hour:
    """One hour's weather: °C, mm of rain in it, relative humidity in percent (None: not measured)."""

    at: datetime
    temperature: float
    rain_mm: float
    humidity: float | None = None


class Station(Protocol):
    """Where weather comes from: a logger, a gardener's notes, or a simulated station."""

    @property
    def name(self) -> str:
        """How it is called on a page."""

    def hours(self, start: datetime, end: datetime) -> list[Hour]:
        """Measured hours from start (included) to end (not included)."""

    def forecast(self, now: datetime, hours: int) -> list[Hour]:
        """Foretold hours from now on; empty where nobody foretells."""


@dataclass(frozen=True)
class Day:
    """One day's weather in short."""

    on: date
    low: float
    high: float
    rain_mm: float


def days(hours: Sequence[Hour]) -> list[Day]:
    """Hours gathered by their day, in order."""
    by_day: dict[date, list[Hour]] = {}
    for hour in hours:
        by_day.setdefault(hour.at.date(), []).append(hour)
    return [
        Day(on, min(h.temperature for h in found), max(h.temperature for h in found), sum(h.rain_mm for h in found))
        for on, found in sorted(by_day.items())
    ]


def rain_within(hours: Sequence[Hour], start: datetime, span: timedelta) -> float:
    """Millimetres of rain in a span."""
    return sum(hour.rain_mm for hour in hours if start <= hour.at < start + span)
