"""Advice at the pour: interval, hour, heat, frost, drought, waterlogging, rain to come; each with its reason."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Literal

from eproba.core.brewing.recipe import Recipe
from eproba.core.brewing.weather import Hour, rain_within

Moisture = Literal["dust-dry", "dry", "moist", "wet", "waterlogged"]
MOISTURES: tuple[Moisture, ...] = ("dust-dry", "dry", "moist", "wet", "waterlogged")
HOT, COLD, FROST = 28.0, 8.0, 2.0
HEAVY_RAIN = 10.0  # mm within a day: much of a pour would be washed away
EVENING, MORNING = 16, 10


@dataclass(frozen=True)
class Counsel:
    """One piece of advice; `wait`: better not now."""

    wait: bool
    text: str


def on_pour(
    recipe: Recipe | None,
    at: datetime,
    day: int,
    last_on: date | None,
    measured: Sequence[Hour],
    forecast: Sequence[Hour],
    soil_c: float | None = None,
    moisture: Moisture | None = None,
) -> list[Counsel]:
    """What speaks for or against pouring now; `measured` and `forecast` as far as they are known."""
    found = [*_interval(recipe, at.date(), day, last_on), *_hour_of_day(at)]
    now = measured[-1].temperature if measured else forecast[0].temperature if forecast else None
    found += _warmth(now, [hour.temperature for hour in forecast[:24]], soil_c)
    found += _rain(at, measured, forecast)
    return found + _moisture(moisture)


def _interval(recipe: Recipe | None, on: date, day: int, last_on: date | None) -> list[Counsel]:
    if recipe is None or last_on is None:
        return []
    fewest, passed = recipe.fewest_days(day), (on - last_on).days
    if passed >= fewest:
        return []
    text = (
        f"Only {passed} day{'s' if passed != 1 else ''} since the last pour; {recipe.title.lower()} wants {fewest:g} "
    )
    return [Counsel(True, f"{text}at least ({recipe.interval}).")]


def _hour_of_day(at: datetime) -> list[Counsel]:
    if MORNING <= at.hour < EVENING:
        text = "Early morning or late afternoon is better: at noon more dries off than sinks in, and leaves scorch."
        return [Counsel(False, text)]
    return []


def _warmth(now: float | None, coming: Sequence[float], soil_c: float | None) -> list[Counsel]:
    lines = []
    if now is not None and now >= HOT:
        lines.append(
            Counsel(
                True, f"{now:.0f} °C: heat stresses plants, and warm soil turns sugar airless. Wait for the evening."
            )
        )
    if coming and min(coming) <= FROST:
        lines.append(
            Counsel(True, f"Down to {min(coming):.0f} °C within a day: frost on wet soil. Wait for milder nights.")
        )
    if soil_c is not None and soil_c < COLD:
        lines.append(
            Counsel(
                False, f"Soil at {soil_c:g} °C: what lives in it hardly moves below {COLD:g} °C, so little can show."
            )
        )
    return lines


def _rain(at: datetime, measured: Sequence[Hour], forecast: Sequence[Hour]) -> list[Counsel]:
    lines, day = [], timedelta(days=1)
    coming = rain_within(forecast, at, day)
    if coming >= HEAVY_RAIN:
        lines.append(
            Counsel(
                True,
                f"{coming:.0f} mm of rain foretold within a day: it would wash the pour away, or across the border.",
            )
        )
    week = rain_within(measured, at - 7 * day, 7 * day)
    if len(measured) >= 6 * 24 and week < 2:
        lines.append(
            Counsel(
                False,
                f"{week:.0f} mm of rain in a week: water every unit lightly first, or the pour runs down the cracks.",
            )
        )
    fallen = rain_within(measured, at - 2 * day, 2 * day)
    if fallen >= 25:
        lines.append(Counsel(True, f"{fallen:.0f} mm in two days: waterlogged soil has no air for what you add."))
    return lines


def _moisture(moisture: Moisture | None) -> list[Counsel]:
    if moisture in ("dust-dry", "dry"):
        return [Counsel(False, "Dry soil: water every unit lightly and alike before the pour, the control too.")]
    if moisture == "waterlogged":
        return [Counsel(True, "Waterlogged: wait until a handful no longer drips.")]
    return []
