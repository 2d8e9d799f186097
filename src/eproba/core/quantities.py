"""Amounts as gardeners write them: mass, volume, counts and kitchen measures, metric and US, by Pint.

Words that mean different things in different kitchens (cup, ounce, pint …) are never guessed: the message asks.
"""

import functools
import math
import re
from dataclasses import dataclass
from typing import Any, Literal

from eproba.core.errors import EprobaError
from eproba.core.words import NumberError, figure_or_whole, parse_number

Dimension = Literal["mass", "volume", "count"]
System = Literal["metric", "US"]
# What is kept (SI) → the unit of a US household, as shown and as Pint names both.
US_UNITS: dict[str, tuple[str, str, str]] = {
    "mm": ("in", "millimetre", "inch"), "cm": ("in", "centimetre", "inch"), "m": ("ft", "metre", "foot"),
    "g": ("oz", "gram", "ounce"), "kg": ("lb", "kilogram", "pound"), "mL": ("fl oz", "millilitre", "fluid_ounce"),
    "L": ("gal", "litre", "gallon"), "°C": ("°F", "degree_Celsius", "degree_Fahrenheit"),
    "m²": ("sq ft", "metre ** 2", "foot ** 2"), "L/m²": ("gal/sq ft", "litre / metre ** 2", "gallon / foot ** 2"),
    "mL/m²": ("fl oz/sq ft", "millilitre / metre ** 2", "fluid_ounce / foot ** 2"),
    "kg/m²": ("lb/sq ft", "kilogram / metre ** 2", "pound / foot ** 2"),
    "g/m²": ("oz/sq ft", "gram / metre ** 2", "ounce / foot ** 2"),
}  # fmt: skip
# Units that may stand behind a number, whatever the household's: as written → Pint's name.
WRITTEN: dict[str, str] = {
    "mm": "millimetre", "cm": "centimetre", "m": "metre", "in": "inch", "inch": "inch", "inches": "inch", "″": "inch",
    '"': "inch", "ft": "foot", "feet": "foot", "mg": "milligram", "g": "gram", "kg": "kilogram", "oz": "ounce",
    "lb": "pound", "ml": "millilitre", "l": "litre", "fl oz": "fluid_ounce", "gal": "gallon", "°c": "degree_Celsius",
    "°f": "degree_Fahrenheit", "c": "degree_Celsius", "f": "degree_Fahrenheit", "m²": "metre ** 2", "m2": "metre ** 2",
    "sq ft": "foot ** 2",
}  # fmt: skip
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


def litres(text: str, system: System = "metric") -> float:
    """A volume as typed, “2.5 L” or “1 US gallon”; a bare number is litres, in a US household gallons. Raises
    QuantityError."""
    amount, unit = _split(text, "L" if system == "metric" else "US gallon")
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


def _clean(number: float, figures: int = 11) -> float:
    """Without what the arithmetic of computers alone adds; what is shown has two figures more, so it leads back."""
    return float(f"{number:.{figures}g}")


@dataclass(frozen=True)
class Conversion:
    """From what is kept to what is shown: `value * factor + offset`, in `unit`."""

    unit: str
    factor: float = 1.0
    offset: float = 0.0

    def shown(self, kept: float) -> float:
        return _clean(kept * self.factor + self.offset, 13)

    def kept(self, shown: float) -> float:
        return _clean((shown - self.offset) / self.factor)

    def apart_shown(self, kept: float) -> float:
        """A difference."""
        return _clean(kept * self.factor, 13)

    def apart_kept(self, shown: float) -> float:
        return _clean(shown / self.factor)


def conversion(unit: str, system: System) -> Conversion:
    """How a household shows a kept unit; what it does not know otherwise stays as it is."""
    if system == "metric" or unit not in US_UNITS:
        return Conversion(unit)
    return _to_us(unit)


@functools.cache
def _to_us(unit: str) -> Conversion:
    name, kept, shown = US_UNITS[unit]
    registry = _registry()
    zero, one = (float(registry.Quantity(value, kept).to(shown).magnitude) for value in (0.0, 1.0))
    return Conversion(name, _clean(one - zero, 14), _clean(zero, 14))


def number_typed(text: str, unit: str, system: System) -> float:
    """“40”, “40 cm” or “16 in” as the metric amount in `unit`: a bare number is in the household's own unit.

    Raises
    ------
    NumberError, QuantityError
        No number, or another kind of unit.
    """
    typed = text.strip()
    found = re.fullmatch(r"([+\-−]?[\d.,]+)\s*([^\d\s.,].*)", typed)
    if found is None:
        return conversion(unit, system).kept(parse_number(typed))
    return converted(parse_number(found[1]), found[2], unit)


def converted(number: float, written: str, unit: str) -> float:
    """A number in a unit as somebody wrote it (“5 in”), in the unit that is asked (“cm”).

    Raises
    ------
    QuantityError
        A unit that is unknown, or measures something else.
    """
    here, wanted = WRITTEN.get(" ".join(written.lower().split())), WRITTEN.get(unit.lower())
    if here is None or wanted is None:
        raise QuantityError(f"“{written}” does not fit here: write {unit}.")
    registry = _registry()
    quantity = registry.Quantity(number, here)
    if not quantity.is_compatible_with(wanted):
        raise QuantityError(f"“{written}” does not fit here: write {unit}.")
    return _clean(float(quantity.to(wanted).magnitude))


_NUMBER = r"[−-]?\d+(?:\.\d+)?"
# What stands in quotes was typed, and the kitchen tells the metric amount in brackets: both stay.
_KEPT = r"“[^”]*”|\b(?:oz|lb|gal|qt|cups?|tsp|tbsp)\b[^()]{0,20}\([^)]*\)"
_AMOUNT = re.compile(
    rf"{_KEPT}|(?<![\w.,−-])(?P<numbers>{_NUMBER}(?:(?: to |–|\s?×\s?){_NUMBER})*)"
    r"[ \u00a0](?P<unit>(?:mL|L|kg|g)/m²|mm|cm|m²|mL|L|kg|g|°C|m)(?![\w/²°])"
)


def in_words_of(text: str, system: System) -> str:
    """A sentence of ours, whose amounts are metric, with amounts as the household has them; all else stays."""
    return text if system == "metric" else _AMOUNT.sub(_reworded, text)


def _reworded(found: re.Match[str]) -> str:
    if found["unit"] is None:
        return found[0]
    how = _to_us(found["unit"])
    numbers = re.sub(_NUMBER, lambda each: _three(how.shown(float(each[0].replace("−", "-")))), found["numbers"])
    return f"{numbers} {how.unit}"


def _three(number: float) -> str:
    """Three figures, never as a power of ten."""
    shown = figure_or_whole(float(f"{abs(number):.3g}"))
    return f"−{shown}" if number < 0 and float(shown) else shown


def celsius(number: float) -> float:
    """A temperature that a brew, a soil or a day can have. Raises QuantityError elsewhere."""
    if not COLDEST <= number <= HOTTEST:
        raise QuantityError(f"{number:g} °C can't be: from {COLDEST:g} to {HOTTEST:g} °C fits. Was it °F, or a slip?")
    return number
