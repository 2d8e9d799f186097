"""Amounts as gardeners write them: mass, volume, counts and kitchen measures, metric and US, by Pint.

Words that mean different things in different kitchens (cup, ounce, pint …) are never guessed: the message asks.
"""

import functools
import math
from typing import Any, Literal

from eproba.core.errors import EprobaError
from eproba.core.words import NumberError, parse_number

Dimension = Literal["mass", "volume", "count"]
UNITS: dict[str, str] = {  # as written (lower case) → Pint's name
    "g": "gram", "kg": "kilogram", "mg": "milligram", "lb": "pound", "ounce mass": "ounce", "oz mass": "ounce",
    "ml": "millilitre", "l": "litre", "us cup": "cup", "metric cup": "metric_cup", "uk cup": "uk_cup",
    "us fl oz": "fluid_ounce", "uk fl oz": "imperial_fluid_ounce", "us pint": "pint", "us quart": "quart",
    "us gallon": "gallon", "uk pint": "imperial_pint", "uk gallon": "imperial_gallon", "bucket": "garden_bucket",
    "tbsp": "metric_tablespoon", "tsp": "metric_teaspoon", "us tbsp": "tablespoon", "us tsp": "teaspoon",
}  # fmt: skip
AMBIGUOUS: dict[str, str] = {
    "cup": "US cup (237 mL), metric cup (250 mL) or UK cup (284 mL)",
    "cups": "US cup (237 mL), metric cup (250 mL) or UK cup (284 mL)",
    "oz": "oz mass (28.3 g), US fl oz (29.6 mL) or UK fl oz (28.4 mL)",
    "ounce": "oz mass (28.3 g), US fl oz (29.6 mL) or UK fl oz (28.4 mL)",
    "ounces": "oz mass (28.3 g), US fl oz (29.6 mL) or UK fl oz (28.4 mL)",
    "fl oz": "US fl oz (29.6 mL) or UK fl oz (28.4 mL)",
    "pint": "US pint (473 mL) or UK pint (568 mL)",
    "quart": "US quart (946 mL)",
    "gallon": "US gallon (3.79 L) or UK gallon (4.55 L)",
}
PIECES = ("piece", "pieces", "slice", "slices", "handful", "handfuls", "seed", "seeds")
COLDEST, HOTTEST = -40.0, 110.0


class QuantityError(EprobaError):
    """An amount that can't be; the message says what to write instead."""


@functools.cache
def _registry() -> Any:
    import pint  # slow to import, and most pages do without it

    registry: Any = pint.UnitRegistry()
    registry.define("metric_cup = 250 * millilitre")
    registry.define("uk_cup = 0.5 * imperial_pint")
    registry.define("metric_tablespoon = 15 * millilitre")
    registry.define("metric_teaspoon = 5 * millilitre")
    registry.define("garden_bucket = 10 * litre")
    return registry


@functools.cache
def _factor(name: str) -> tuple[float, Dimension]:
    unit = _registry().Quantity(1.0, name)
    if unit.check("[mass]"):
        return float(unit.to("gram").magnitude), "mass"
    return float(unit.to("litre").magnitude), "volume"


def in_base(amount: float, unit: str) -> tuple[float, Dimension]:
    """Grams, litres or pieces of an amount.

    Raises
    ------
    QuantityError
        A unit that is unknown, or that means different things; an amount below 0 or not finite.
    """
    if not math.isfinite(amount) or amount < 0:
        raise QuantityError(f"{amount:g} {unit} can't be: an amount is 0 or more.")
    known = " ".join(unit.strip().lower().split())
    if known in AMBIGUOUS:
        raise QuantityError(f"“{unit.strip()}” means different things: write {AMBIGUOUS[known]}.")
    if known in PIECES:
        return amount, "count"
    if known not in UNITS:
        raise QuantityError(
            f"“{unit.strip()}” is no unit known here: write g, kg, mL, L, tsp, tbsp, US cup or metric cup."
        )
    factor, dimension = _factor(UNITS[known])
    return amount * factor, dimension


def litres(text: str) -> float:
    """A volume as typed, “2.5 L” or “1 US gallon”; a bare number is litres. Raises QuantityError."""
    amount, unit = _split(text, "L")
    value, dimension = in_base(amount, unit)
    if dimension != "volume":
        raise QuantityError(f"“{text.strip()}” is no volume: write it in L or mL.")
    return value


def _split(text: str, usual: str) -> tuple[float, str]:
    typed = text.strip()
    end = next((i for i, letter in enumerate(typed) if letter.isalpha()), len(typed))
    try:
        return parse_number(typed[:end]), typed[end:].strip() or usual
    except NumberError as error:
        raise QuantityError(f"{error}, with its unit, e.g. 2.5 L.") from error


def celsius(number: float) -> float:
    """A temperature that a brew, a soil or a day can have. Raises QuantityError elsewhere."""
    if not COLDEST <= number <= HOTTEST:
        raise QuantityError(f"{number:g} °C can't be: from {COLDEST:g} to {HOTTEST:g} °C fits. Was it °F, or a slip?")
    return number
