"""Weather as the pour needs it: hours and days apart, measured, typed or foretold; one interface for all."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Protocol

MOST_RAIN = 200.0
STILL_NOW = timedelta(hours=3)  # so long a measured temperature speaks for the moment
ONE_DAY = timedelta(days=1)
FEWEST_DAYS = 3  # that make a season


@dataclass(frozen=True)
class Hour:
    """One hour's weather: °C, mm of rain in it, relative humidity in percent (None: not measured)."""

    at: datetime
    temperature: float
    rain_mm: float
    humidity: float | None = None


@dataclass(frozen=True)
class Day:
    """One day's weather in short, by the gardener’s own calendar."""

    on: date
    low: float
    high: float
    rain_mm: float


class Station(Protocol):
    """Where weather comes from: a logger, a gardener's notes, or a simulated station."""

    @property
    def name(self) -> str:
        """How it is called on a page."""

    def hours(self, start: datetime, end: datetime) -> list[Hour]:
        """Measured hours from start (included) to end (not included)."""

    def days(self, first: date, last: date) -> list[Day]:
        """Days that were measured or typed as days, first and last included."""

    def forecast(self, now: datetime, hours: int) -> list[Hour]:
        """Foretold hours from now on; empty where nobody foretells."""

    def foretold(self, first: date, last: date) -> list[Day]:
        """Foretold days, first and last included."""


@dataclass(frozen=True)
class Weather:
    """What is known of the weather around a moment: measured hours and days, foretold hours and days."""

    hours: Sequence[Hour] = ()
    days: Sequence[Day] = ()
    coming: Sequence[Hour] = ()
    foretold: Sequence[Day] = ()


def weather_at(station: Station, now: datetime, past: timedelta, ahead: timedelta) -> Weather:
    """What a station knows around a moment; `now` in the gardener’s own zone, whose days count."""
    hours = station.hours(now - past, now)
    days = station.days((now - past).date(), now.date())
    coming = station.forecast(now, int(ahead.total_seconds() // 3600))
    return Weather(hours, days, coming, station.foretold(now.date(), (now + ahead).date()))


def temperature_now(weather: Weather, at: datetime) -> float | None:
    """The temperature of the moment: measured or foretold within three hours of it, never older."""
    measured = [hour for hour in weather.hours if at - STILL_NOW <= hour.at <= at]
    if measured:
        return max(measured, key=lambda hour: hour.at).temperature
    coming = [hour for hour in weather.coming if abs(hour.at - at) <= STILL_NOW]
    return min(coming, key=lambda hour: abs(hour.at - at)).temperature if coming else None


def season_of(weather: Weather) -> float | None:
    """The mean of the last week’s nights and days, °C; None where fewer than three days are known."""
    known = days(weather.hours, weather.days)
    return sum((day.low + day.high) / 2 for day in known) / len(known) if len(known) >= FEWEST_DAYS else None


def warmest_ahead(weather: Weather, at: datetime) -> float | None:
    """The high that is foretold for the day of a moment."""
    return max((day.high for day in weather.foretold if day.on == at.date()), default=None)


def coldest_ahead(weather: Weather, at: datetime) -> float | None:
    """The low that is foretold within a day of a moment."""
    hours = [hour.temperature for hour in weather.coming if at <= hour.at < at + ONE_DAY]
    nights = [day.low for day in weather.foretold if at.date() <= day.on <= (at + ONE_DAY).date()]
    return min([*hours, *nights], default=None)


def rain_ahead(weather: Weather, at: datetime) -> float:
    """Millimetres that are foretold within a day of a moment; a whole day counts with what is left of it."""
    hours = rain_within(weather.coming, at, ONE_DAY)
    if hours > 0:
        return hours
    gone = (at - at.replace(hour=0, minute=0, second=0, microsecond=0)) / ONE_DAY
    shares = {at.date(): 1 - gone, (at + ONE_DAY).date(): gone}
    return sum(day.rain_mm * shares[day.on] for day in weather.foretold if day.on in shares)


def rain_fallen(weather: Weather, at: datetime, span: timedelta) -> tuple[float, int]:
    """Millimetres that fell in the span before a moment, and of how many of its days something is known. A day with
    measured hours is told by them alone, so that nothing counts twice."""
    since = at - span
    hours = [hour for hour in weather.hours if since <= hour.at < at]
    days_recorded = {hour.at.astimezone(at.tzinfo).date() for hour in hours}
    days = [day for day in weather.days if since.date() < day.on <= at.date() and day.on not in days_recorded]
    rain = sum(hour.rain_mm for hour in hours) + sum(day.rain_mm for day in days)
    return rain, len(days_recorded | {day.on for day in days})


def days(hours: Sequence[Hour], whole: Iterable[Day] = ()) -> list[Day]:
    """Every day once, in order: gathered from its hours, else as it was told whole."""
    by_day: dict[date, list[Hour]] = {}
    for hour in hours:
        by_day.setdefault(hour.at.date(), []).append(hour)
    gathered = {
        on: Day(
            on,
            min(h.temperature for h in hours_of_day),
            max(h.temperature for h in hours_of_day),
            sum(h.rain_mm for h in hours_of_day),
        )
        for on, hours_of_day in by_day.items()
    }
    return [whole_day for _, whole_day in sorted(({day.on: day for day in whole} | gathered).items())]


def rain_within(hours: Sequence[Hour], start: datetime, span: timedelta) -> float:
    """Millimetres of rain in a span."""
    return sum(hour.rain_mm for hour in hours if start <= hour.at < start + span)
