"""A simulated weather station: seeded, plausible days and hours, and a forecast that errs as a real one does.

Each day's own random numbers come from the seed and the date alone, so any span can be asked for in any order.
"""

import math
import random
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from functools import cache

from eproba.core.brewing.weather import Day, Hour

YEAR_MEAN, YEAR_SWING, DAY_SWING = 11.0, 8.5, 5.5  # °C, a mild inland garden
WET_DAYS, WET_AFTER_WET = 0.28, 0.55
FORECAST_ERROR = 1.5  # °C after a day, growing with its square root


@dataclass(frozen=True)
class SimulatedStation:
    """The stand-in for a station in the garden."""

    seed: int = 1
    name: str = "simulated station"

    def hours(self, start: datetime, end: datetime) -> list[Hour]:
        """Measured hours from start (included) to end (not included)."""
        first = start.replace(minute=0, second=0, microsecond=0)
        first += timedelta(hours=1) if first < start else timedelta()
        count = max(0, math.ceil((end - first).total_seconds() / 3600))
        return [self._hour(first + timedelta(hours=n)) for n in range(count)]

    def days(self, first: date, last: date) -> list[Day]:
        """It measures hours alone."""
        return []

    def foretold(self, first: date, last: date) -> list[Day]:
        """It foretells hours alone."""
        return []

    def forecast(self, now: datetime, hours: int) -> list[Hour]:
        """The truth, blurred: warmer or colder by a little more each day, showers moved by some hours."""
        rng = _random(self.seed, now.date(), "forecast")
        drift, shift = rng.gauss(0, FORECAST_ERROR), rng.choice((-3, -1, 0, 0, 1, 3))
        foretold = []
        for n, hour in enumerate(self.hours(now, now + timedelta(hours=hours))):
            rain = self._hour(hour.at + timedelta(hours=shift)).rain_mm
            warmer = drift * math.sqrt(n / 24)
            foretold.append(Hour(hour.at, round(hour.temperature + warmer, 1), rain, hour.humidity))
        return foretold

    def _hour(self, at: datetime) -> Hour:
        on = at.date()
        sky = _sky(self.seed, on)
        season = -math.cos(2 * math.pi * (on.timetuple().tm_yday - 20) / 365.25)
        swing = DAY_SWING * (0.45 if sky.wet else 1.0)
        daily = -math.cos(2 * math.pi * (at.hour - 4) / 24)
        temperature = YEAR_MEAN + YEAR_SWING * season + sky.mood + swing * daily
        raining = sky.wet and sky.start <= at.hour < sky.start + sky.length
        humidity = min(100.0, max(30.0, 72 - 2.2 * swing * daily + (15 if sky.wet else 0)))
        return Hour(at, round(temperature, 1), round(sky.fall / sky.length, 1) if raining else 0.0, round(humidity))


@dataclass(frozen=True)
class DaysWeather:
    """One day’s chance: wet or not, how much warmer than the season, when and how long a shower is, mm in it."""

    wet: bool
    mood: float
    start: int
    length: int
    fall: float


@cache
def _sky(seed: int, on: date) -> DaysWeather:
    rng = _random(seed, on, "day")
    mood, start = rng.gauss(0, 2.5), rng.randrange(0, 20)
    return DaysWeather(_is_wet(seed, on), mood, start, rng.randrange(2, 9), rng.expovariate(1 / 7.0))


def _random(seed: int, on: date, what: str) -> random.Random:
    return random.Random(f"{seed}:{on.isoformat()}:{what}")


def _is_wet(seed: int, on: date) -> bool:
    """A wet day; wet days come in spells."""
    wet = False
    for back in range(4, -1, -1):
        chance = WET_AFTER_WET if wet else WET_DAYS
        wet = _random(seed, on - timedelta(days=back), "wet").random() < chance
    return wet
