"""Advice at the pour: interval, hour, heat, frost, drought, waterlogging, rain to come; each with its reason."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Literal

from eproba.core.brewing.recipe import Ground, Recipe
from eproba.core.brewing.weather import Weather, coldest_ahead, rain_ahead, rain_fallen, temperature_now, warmest_ahead
from eproba.core.quantities import METRIC, Amount, Units
from eproba.core.words import lower_first

Moisture = Literal["dust-dry", "dry", "moist", "wet", "waterlogged"]
MOISTURES: tuple[Moisture, ...] = ("dust-dry", "dry", "moist", "wet", "waterlogged")
HOT, COLD, FROST = 28.0, 8.0, 2.0
HEAVY_RAIN = 10.0  # mm within a day: much of a pour would be washed away
SOAKED = 25.0  # mm in two days: the soil has no air left
DRY_WEEK, KNOWN_DAYS = 2.0, 6  # mm in a week of which so many days are known
EVENING, MORNING = 16, 10


@dataclass(frozen=True)
class Counsel:
    """One piece of advice; `wait`: better not now; `first`: it is to be read before the pour is put on record."""

    wait: bool
    text: str
    first: bool = False


def on_pour(
    recipe: Recipe | None,
    at: datetime,
    day: int,
    last_on: date | None,
    weather: Weather,
    ground: Ground | None = None,
    units: Units = METRIC,
    accepted: float | None = None,
) -> list[Counsel]:
    """What speaks for or against pouring at a moment (in the gardener’s own zone), as far as the weather is known.

    `accepted`: the days between two pours that the plan was dealt with; who accepted fewer than the recipe wants was
    told so then.
    """
    counsel = [*_interval(recipe, at.date(), day, last_on, ground, accepted), *_hour_of_day(at)]
    return [*counsel, *from_the_weather(weather, at, units)]


def from_the_weather(weather: Weather, at: datetime, units: Units = METRIC) -> list[Counsel]:
    """What the weather has for or against a pour at a moment."""
    return [*_warmth(weather, at, units), *_rain(weather, at, units)]


def _interval(
    recipe: Recipe | None, on: date, day: int, last_on: date | None, ground: Ground | None, accepted: float | None
) -> Iterator[Counsel]:
    if recipe is None or last_on is None:
        return
    fewest, passed = recipe.fewest_days(day, ground), (on - last_on).days
    if passed < (fewest if accepted is None else min(fewest, accepted)):
        since = f"Only {passed} day{'s' if passed != 1 else ''} since the last pour"
        wants = f"{lower_first(recipe.title)} wants {fewest:g} at least: {recipe.interval}"
        yield Counsel(True, f"{since}; {wants}.")


def _hour_of_day(at: datetime) -> Iterator[Counsel]:
    if MORNING <= at.hour < EVENING:
        text = "Early morning or late afternoon is better: at noon more evaporates than soaks in, and leaves can "
        text += "scorch."
        yield Counsel(False, text)


def _warmth(weather: Weather, at: datetime, units: Units) -> Iterator[Counsel]:
    now, high, low = temperature_now(weather, at), warmest_ahead(weather, at), coldest_ahead(weather, at)
    if now is not None and now >= HOT:
        text = "heat stresses plants, and warm soil turns sugar airless. Wait for the evening."
        yield Counsel(True, f"{units(Amount(round(now), '°C'))}: {text}")
    elif now is None and high is not None and high >= HOT:
        text = "expected today: pour in the early morning, or when it has cooled."
        yield Counsel(False, f"Up to {units(Amount(round(high), '°C'))} {text}")
    if low is not None and low <= FROST:
        text = "expected within a day: wet soil may freeze. Wait for milder nights."
        yield Counsel(True, f"{units(Amount(round(low), '°C'))} {text}")


def _rain(weather: Weather, at: datetime, units: Units) -> Iterator[Counsel]:
    coming, day = rain_ahead(weather, at), timedelta(days=1)
    if coming >= HEAVY_RAIN:
        text = "of rain foretold within a day: it would wash the pour away, or across the border."
        yield Counsel(True, f"{units(Amount(round(coming), 'mm'))} {text}")
    week, known = rain_fallen(weather, at, 7 * day)
    if known >= KNOWN_DAYS and week < DRY_WEEK:
        text = "of rain in a week: water every unit lightly first, or the pour runs down the cracks."
        yield Counsel(False, f"{units(Amount(round(week), 'mm'))} {text}")
    fallen, _ = rain_fallen(weather, at, 2 * day)
    if fallen >= SOAKED:
        text = "in two days: waterlogged soil has no air for what you add."
        yield Counsel(True, f"{units(Amount(round(fallen), 'mm'))} {text}")


def on_soil(soil_c: float | None, moisture: str, units: Units = METRIC) -> list[Counsel]:
    """What the soil says, as it was felt and measured at the pour."""
    counsel = []
    if soil_c is not None and soil_c < COLD:
        text = f"what lives in it hardly moves below {units(Amount(COLD, '°C'))}, so little can show."
        counsel.append(Counsel(False, first=True, text=f"Soil at {units(Amount(soil_c, '°C'))}: {text}"))
    if moisture in ("dust-dry", "dry"):
        text = "Dry soil: water every unit lightly and alike before the pour, the control too."
        counsel.append(Counsel(False, text))
    if moisture == "waterlogged":
        counsel.append(Counsel(True, "Waterlogged: wait until a handful no longer drips.", first=True))
    return counsel
