"""Amounts as gardeners write them: mass, volume, counts and kitchen measures, metric and US.

The sizes are exact by agreement (inch and pound 1959; US gallon 231 cubic inches; UK gallon 1985) and few, so they
stand here: a library of units takes longer to load than a page to make. A test holds them against one.

Words that mean different things in different kitchens (cup, ounce, pint …) are never guessed: the message asks.
"""

import functools
import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from eproba.core.errors import EprobaError
from eproba.core.words import parse_number

Dimension = Literal["mass", "volume", "count"]
Kind = Literal["length", "area", "mass", "volume", "time", "temperature"]
INCH, POUND, GALLON, UK_GALLON = 2.54, 453.59237, 3785.411784, 4546.09  # cm, g, mL
SIZES: dict[str, tuple[Kind, float]] = {  # in cm, cm², g, mL, hours; a degree is a degree
    "millimetre": ("length", 0.1), "centimetre": ("length", 1.0), "metre": ("length", 100.0), "inch": ("length", INCH),
    "foot": ("length", 12 * INCH), "centimetre ** 2": ("area", 1.0), "metre ** 2": ("area", 10_000.0),
    "inch ** 2": ("area", INCH**2), "foot ** 2": ("area", (12 * INCH) ** 2), "milligram": ("mass", 0.001),
    "gram": ("mass", 1.0), "kilogram": ("mass", 1000.0), "ounce": ("mass", POUND / 16), "pound": ("mass", POUND),
    "millilitre": ("volume", 1.0), "litre": ("volume", 1000.0), "teaspoon": ("volume", GALLON / 768),
    "tablespoon": ("volume", GALLON / 256), "fluid_ounce": ("volume", GALLON / 128), "cup": ("volume", GALLON / 16),
    "pint": ("volume", GALLON / 8), "quart": ("volume", GALLON / 4), "gallon": ("volume", GALLON),
    "metric_cup": ("volume", 250.0), "metric_tablespoon": ("volume", 15.0), "metric_teaspoon": ("volume", 5.0),
    "uk_cup": ("volume", UK_GALLON / 16), "imperial_fluid_ounce": ("volume", UK_GALLON / 160),
    "imperial_pint": ("volume", UK_GALLON / 8), "imperial_gallon": ("volume", UK_GALLON),
    "garden_bucket": ("volume", 10_000.0), "hour": ("time", 1.0), "degree_Celsius": ("temperature", 1.0),
    "degree_Fahrenheit": ("temperature", 5 / 9),
}  # fmt: skip
FREEZING_F = 32.0
System = Literal["metric", "US"]
SPOON = " of a spoon"  # an amount so small that a US household has another unit for it
US_UNITS: dict[str, tuple[str, str, str]] = {  # as kept → as a US household has it, and the names of both
    "mm": ("in", "millimetre", "inch"), "cm": ("in", "centimetre", "inch"), "m": ("ft", "metre", "foot"),
    "g": ("oz", "gram", "ounce"), "kg": ("lb", "kilogram", "pound"), "mL": ("fl oz", "millilitre", "fluid_ounce"),
    "L": ("gal", "litre", "gallon"), "°C": ("°F", "degree_Celsius", "degree_Fahrenheit"),
    "m²": ("sq ft", "metre ** 2", "foot ** 2"), "cm²": ("sq in", "centimetre ** 2", "inch ** 2"),
    "L/m²": ("fl oz/sq ft", "litre / metre ** 2", "fluid_ounce / foot ** 2"),
    "mL/m²": ("fl oz/sq ft", "millilitre / metre ** 2", "fluid_ounce / foot ** 2"),
    "kg/m²": ("oz/sq ft", "kilogram / metre ** 2", "ounce / foot ** 2"),
    "g/m²": ("oz/sq ft", "gram / metre ** 2", "ounce / foot ** 2"),
    "mm/h": ("in/h", "millimetre / hour", "inch / hour"), "kg/L": ("lb/gal", "kilogram / litre", "pound / gallon"),
    f"mL{SPOON}": ("tsp", "millilitre", "teaspoon"),
}  # fmt: skip
# Units that may stand behind a number, whatever the household's: as written → its name.
WRITTEN: dict[str, str] = {
    "mm": "millimetre", "cm": "centimetre", "m": "metre", "in": "inch", "inch": "inch", "inches": "inch", "″": "inch",
    '"': "inch", "ft": "foot", "feet": "foot", "mg": "milligram", "g": "gram", "kg": "kilogram", "oz": "ounce",
    "lb": "pound", "ml": "millilitre", "l": "litre", "fl oz": "fluid_ounce", "gal": "gallon", "°c": "degree_Celsius",
    "°f": "degree_Fahrenheit", "c": "degree_Celsius", "f": "degree_Fahrenheit", "m²": "metre ** 2", "m2": "metre ** 2",
    "sq ft": "foot ** 2", "cm²": "centimetre ** 2", "sq in": "inch ** 2", "qt": "quart", "litre": "litre",
    "gallon": "gallon", "h": "hour",
}  # fmt: skip
KITCHEN: dict[System, dict[str, str]] = {  # spoons and cups of the household
    "metric": {"tbsp": "metric_tablespoon", "tsp": "metric_teaspoon", "metric cup": "metric_cup"},
    "US": {"tbsp": "tablespoon", "tsp": "teaspoon", "cup": "cup", "cups": "cup", "pint": "pint", "quart": "quart"},
}
UNITS: dict[str, str] = {  # as written (lower case) → its name
    "g": "gram", "kg": "kilogram", "mg": "milligram", "lb": "pound", "ounce mass": "ounce", "oz mass": "ounce",
    "ml": "millilitre", "l": "litre", "us cup": "cup", "metric cup": "metric_cup", "uk cup": "uk_cup",
    "us fl oz": "fluid_ounce", "uk fl oz": "imperial_fluid_ounce", "us pint": "pint", "us quart": "quart",
    "us gallon": "gallon", "uk pint": "imperial_pint", "uk gallon": "imperial_gallon", "bucket": "garden_bucket",
    "tbsp": "metric_tablespoon", "tsp": "metric_teaspoon", "us tbsp": "tablespoon", "us tsp": "teaspoon",
}  # fmt: skip
_PIECES_TOO = {"handful": "handful", "bucket": "bucket", "slice": "slice", "seed": "seed"}
# What a portion of a recipe is written in, by household: as it chooses → as it is kept, so that no cup is another's.
PORTIONS: dict[System, dict[str, str]] = {
    "metric": {unit: unit for unit in ("g", "kg", "mL", "L", "tsp", "tbsp", "US cup", "metric cup")} | _PIECES_TOO,
    "US": {
        "oz": "oz mass", "lb": "lb", "fl oz": "US fl oz", "cup": "US cup", "qt": "US quart", "gal": "US gallon",
        "tsp": "US tsp", "tbsp": "US tbsp",
    } | _PIECES_TOO,
}  # fmt: skip
# What a measure without marks holds, as shares of what is counted for one: hands and buckets differ.
LOOSE: dict[str, tuple[float, float]] = {"handful": (0.7, 1.4), "handfuls": (0.7, 1.4), "bucket": (0.9, 1.2)}
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
SPOONS_ALIKE = {"tsp": "tsp", "tbsp": "tbsp", "US tsp": "tsp", "US tbsp": "tbsp"}  # they differ by 1.4 %
KEPT_AS: dict[tuple[System, Dimension], tuple[str, str, float]] = {  # a little, much of it, and from where on (g, L)
    ("metric", "mass"): ("g", "kg", 1000.0), ("metric", "volume"): ("mL", "L", 1.0),
    ("US", "mass"): ("oz", "lb", 453.592), ("US", "volume"): ("fl oz", "gal", 3.785),
}  # fmt: skip
PIECES = ("piece", "pieces", "slice", "slices", "handful", "handfuls", "seed", "seeds")
COLDEST, HOTTEST = -40.0, 110.0
_WITH_UNIT = re.compile(r"([+\-−]?[\d.,]+(?:[eE][+\-]?\d+)?+)\s*([^\d\s.,].*)")


class QuantityError(EprobaError):
    """An amount that can't be; the message says what to write instead."""


def in_base(amount: float, unit: str) -> tuple[float, Dimension]:
    """Grams, litres or pieces of an amount.

    Raises
    ------
    QuantityError
        A unit that is unknown, or that means different things; an amount below 0 or not finite.
    """
    if not math.isfinite(amount) or amount < 0:
        raise QuantityError(f"{amount:g} {unit} doesn’t fit: an amount is 0 or more.")
    known = " ".join(unit.strip().lower().split())
    if known in AMBIGUOUS:
        raise QuantityError(f"“{unit.strip()}” means different things: write {AMBIGUOUS[known]}.")
    if known in PIECES:
        return amount, "count"
    if known not in UNITS:
        raise QuantityError(
            f"“{unit.strip()}” is no unit known here: write g, kg, mL, L, tsp, tbsp, US cup or metric cup."
        )
    kind, size = SIZES[UNITS[known]]
    return (amount * size, "mass") if kind == "mass" else (amount * size / 1000, "volume")


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
        if self.factor == 1.0 and self.offset == 0.0:
            return shown
        return _clean((shown - self.offset) / self.factor)

    def apart_shown(self, kept: float) -> float:
        """A difference."""
        return _clean(kept * self.factor, 13)

    def apart_kept(self, shown: float) -> float:
        return _clean(shown / self.factor)


def conversion(unit: str, system: System) -> Conversion:
    """How a household shows a kept unit; what it does not know otherwise stays as it is."""
    if system == "metric" or unit not in US_UNITS:
        return Conversion(unit.partition(SPOON)[0])
    return _to_us(unit)


@functools.cache
def _to_us(unit: str) -> Conversion:
    name, kept, shown = US_UNITS[unit]
    if name == "°F":
        return Conversion(name, 9 / 5, FREEZING_F)
    return Conversion(name, _clean(_ratio(kept, shown), 14))


def number_typed(text: str, unit: str, system: System = "metric") -> float:
    """“40”, “0,5 kg” or “16 in” as the metric amount in `unit`: a bare number is in the household's own unit.

    Raises
    ------
    NumberError, QuantityError
        No number, or another kind of unit.
    """
    number, written = split_typed(text)
    return converted(number, written, unit, system) if written else conversion(unit, system).kept(number)


def split_typed(text: str) -> tuple[float, str]:
    """“5 kg” as its number and its unit; the unit is empty where there is none. Raises NumberError."""
    typed = _WITH_UNIT.fullmatch(text.strip())
    return (parse_number(text), "") if typed is None else (parse_number(typed[1]), " ".join(typed[2].split()))


def is_convertible(unit: str) -> bool:
    """Whether numbers of a unit can be typed in another one."""
    return _name_of(unit, "metric") is not None


def converted(number: float, written: str, unit: str, system: System = "metric") -> float:
    """A number in a unit as somebody wrote it (“5 in”), in the unit that is asked (“cm”).

    Where so much is given to each square metre, the household's own measure of ground is meant, unless it is written.

    Raises
    ------
    QuantityError
        A unit that is unknown, or measures something else.
    """
    wanted = _name_of(unit, system)
    name = _name_of(written, system)
    if name is not None and "/" in unit and "/" not in name:
        name = _name_of(f"{written}/{conversion('m²', system).unit}" if "m²" in unit else "", system)
    if written.lower() in AMBIGUOUS and name is None:
        raise QuantityError(f"“{written}” means different things: write {AMBIGUOUS[written.lower()]}.")
    does_not_fit = QuantityError(f"“{written}” does not fit here: write {conversion(unit, system).unit}.")
    if name is None or wanted is None:
        raise does_not_fit
    if name == wanted:
        return number
    if _size(name)[0] != _size(wanted)[0]:
        raise does_not_fit
    if "degree_Fahrenheit" in (name, wanted):
        return _to_us("°C").kept(number) if name == "degree_Fahrenheit" else _to_us("°C").shown(number)
    return _clean(number * _ratio(name, wanted))


def _name_of(written: str, system: System) -> str | None:
    """The name of a unit as somebody wrote it: “fl oz”, “L/m²”, “fl oz a sq ft”; None where nobody knows it."""
    text = " ".join(written.lower().replace("_", " ").split()).removesuffix(" each").removesuffix(SPOON)
    top, slash, bottom = re.sub(r"\s?(?:/|\b(?:a|per)\b)\s?", "/", text).partition("/")
    known = UNITS | WRITTEN | KITCHEN[system]
    if top not in known or (slash and bottom not in known):
        return None
    return f"{known[top]} / {known[bottom]}" if slash else known[top]


Per = Literal["", "m²", "L", "kg"]
# What a US household calls what is kept: for each kind of unit from which amount on, as called, its name.
US_SAID: dict[str, tuple[tuple[float, str, str], ...]] = {
    "volume": ((0.0, "tsp", "teaspoon"), (25.0, "fl oz", "fluid_ounce"), (940.0, "qt", "quart"),
               (3750.0, "gal", "gallon")),
    "mass": ((0.0, "oz", "ounce"), (450.0, "lb", "pound")),
}  # fmt: skip
# Units of portions that the other kind of household writes, or that have a shorter name here.
STRANGE: dict[System, tuple[str, ...]] = {
    "metric": tuple(unit for unit in PORTIONS["US"].values() if unit not in PORTIONS["metric"]),
    "US": (*(unit for unit in PORTIONS["US"].values() if unit not in _PIECES_TOO), "metric cup"),
}
METRIC_PER: dict[Per, str] = {"": "", "m²": "/m²", "L": " a litre", "kg": " a kg"}
US_PER: dict[Per, tuple[str, str, str]] = {  # as kept → as said, and the names of both units
    "m²": (" a sq ft", "metre ** 2", "foot ** 2"), "L": (" a gallon", "litre", "gallon"),
    "kg": (" a lb", "kilogram", "pound"),
}  # fmt: skip
THINLY = 0.5  # oz a sq ft: less is said of 100 sq ft
AS_GOOD = 0.025  # of an amount: what a person rounds away
STEPS = (1.0, 0.5, 0.1, 0.05, 0.01)


@dataclass(frozen=True)
class Amount:
    """An amount, or a range of it up to `high`, in a kept (metric) unit, of each `per`: a value until it is shown."""

    low: float
    unit: str
    per: Per = ""
    high: float | None = None

    @classmethod
    def of(cls, number: float, unit: str, high: float | None = None) -> "Amount":
        """An amount in a unit as the record writes it: “L/m²”, “mL/L”, “cm”."""
        plain, _, per = unit.partition("/")
        return cls(number, plain, per, high) if per in METRIC_PER else cls(number, unit, "", high)

    @property
    def numbers(self) -> tuple[float, ...]:
        return (self.low,) if self.high is None or self.high == self.low else (self.low, self.high)

    def __str__(self) -> str:
        return METRIC(self)


@dataclass(frozen=True)
class Way:
    """How the numbers of a kept unit are said: each `* factor + offset`, rounded by `say`; then what stands behind."""

    behind: str
    say: Callable[[float], str]
    factor: float = 1.0
    offset: float = 0.0

    def __call__(self, amount: Amount) -> str:
        return " to ".join(self.say(number * self.factor + self.offset) for number in amount.numbers)


@dataclass(frozen=True)
class Units:
    """How a household is told amounts: in its own units, rounded as one says them."""

    system: System = "metric"

    def __call__(self, amount: Amount) -> str:
        """“2.5 L”, “15 to 20 °C”, “6.3 fl oz a sq ft”."""
        way = self.way(amount)
        return f"{way(amount)}{way.behind}"

    def together(self, amounts: Sequence[Amount]) -> tuple[list[str], str]:
        """Amounts beside each other, as numbers in the unit that suits the largest: ([“1.2”, “0.3 to 0.5”], “oz”)."""
        way = self.way(max(amounts, key=lambda amount: max(amount.numbers)))
        return [way(amount) for amount in amounts], way.behind.strip()

    def sides(self, width_cm: float, length_cm: float) -> str:
        """“40 × 60 cm”."""
        (width, length), unit = self.together([Amount(width_cm, "cm"), Amount(length_cm, "cm")])
        return f"{width} × {length} {unit}"

    def out_of(self, part: Amount, whole: Amount) -> str:
        """“3.52 of 5 L”: what is left, to what a ledger needs."""
        exactly = [replace(amount, low=float(f"{amount.low:.3g}")) for amount in (part, whole)]
        (left, all_of_it), unit = self.together(exactly)
        return f"{left} of {all_of_it} {unit}"

    def unit(self, kept: str) -> str:
        """What a field of a kept unit is typed in: “cm” or “in”, “kg of compost” or “lb of compost”."""
        plain, slash, per = kept.partition("/")
        unit, of, what = plain.partition(" of ")
        return conversion(unit + slash + per, self.system).unit + of + what

    def way(self, amount: Amount) -> Way:
        """How an amount is said, and others beside it."""
        unit, of, what = amount.unit.partition(" of ")
        if unit in STRANGE[self.system]:
            shown, name = portion_shown(amount.low, unit, self.system)
            return Way(f" {name}", as_said, shown / amount.low if amount.low else 1.0)
        if self.system == "US":
            way = _us_way(replace(amount, unit=unit))
            return replace(way, behind=way.behind + of + what)
        behind = (f" {unit}" if unit else "") + METRIC_PER[amount.per] + of + what
        return Way(behind, _degrees if unit == "°C" else as_kept)


def _us_way(amount: Amount) -> Way:
    per, of_each = "", 1.0
    if amount.per:
        per, kept, shown = US_PER[amount.per]
        of_each = _ratio(shown, kept)
    kind, size = _kind_and_size(amount.unit)
    if kind not in US_SAID:
        how = conversion(amount.unit, "US")
        say = _whole_degrees if how.unit == "°F" else as_said
        return Way(f" {how.unit}{per}" if how.unit else per, say, how.factor * of_each, how.offset)
    most = max(abs(number) for number in amount.numbers) * size * of_each
    name, one = _us_unit(kind, most)
    thinly = amount.per == "m²" and name == "oz" and 0 < most / one < THINLY
    factor = (100.0 if thinly else 1.0) * size * of_each / one
    return Way(f" {name}{' per 100 sq ft' if thinly else per}", as_said, factor)


def loosely(total: float, unit: str, measure: str) -> Amount | None:
    """What a loose measure really holds: from the smallest hand or bucket to the largest, of a `total` in a unit; None
    where the measure has marks."""
    if measure not in LOOSE:
        return None
    low, high = (float(f"{total * share:.2g}") for share in LOOSE[measure])
    return Amount(low, unit, high=high)


METRIC = Units()
SQUARES: dict[System, str] = {"metric": "square metre", "US": "square foot"}


def portion_shown(amount: float, unit: str, system: System) -> tuple[float, str]:
    """A portion as a household writes it: in the unit it is kept in where it knows that, else in one of its own."""
    names = {kept: name for name, kept in PORTIONS[system].items()} | SPOONS_ALIKE
    if unit in names:
        return amount, names[unit]
    base, kind = in_base(amount, unit)
    small, large, much = KEPT_AS[system, kind] if kind != "count" else (unit, unit, 1.0)
    name = large if base >= much else small
    one, _ = in_base(1.0, PORTIONS[system].get(name, name))
    return base / one, name


def as_said(number: float) -> str:
    """A number that was worked out, as a person says it: no further than it is worth measuring."""
    size = abs(number)
    if size >= 1000:
        size = float(round(size)) if size < 10_000 else float(f"{size:.3g}")
    else:
        near = (round(size / step) * step for step in STEPS)
        size = next((said for said in near if abs(said - size) <= AS_GOOD * size), float(f"{size:.2g}"))
    return _plainly(-size if number < 0 else size)


def as_kept(number: float) -> str:
    """A number in the unit it was given in: as it is, unless it has more figures than anybody gives."""
    as_given = number == round(number) or float(f"{number:.3g}") == number
    return _plainly(number) if as_given else as_said(number)


def _degrees(number: float) -> str:
    return _plainly(round(number, 1))


def _whole_degrees(number: float) -> str:
    return _plainly(round(number))


def _plainly(number: float) -> str:
    shown = f"{abs(number):.10f}".rstrip("0").rstrip(".")
    return f"−{shown}" if number < 0 and float(shown) else shown


def _size(name: str) -> tuple[str, float]:
    """What a unit measures, and how large it is: of “litre / metre ** 2” volume for area."""
    top, _, bottom = name.partition(" / ")
    kind, size = SIZES[top]
    if not bottom:
        return kind, size
    of, per = SIZES[bottom]
    return f"{kind} for {of}", size / per


def _ratio(one: str, other: str) -> float:
    """How many of another unit one of a unit is."""
    return _size(one)[1] / _size(other)[1]


@functools.cache
def _kind_and_size(unit: str) -> tuple[str, float]:
    """Volumes in mL and masses in g; anything else as it is."""
    sizes = {"mL": ("volume", 1.0), "L": ("volume", 1000.0), "g": ("mass", 1.0), "kg": ("mass", 1000.0)}
    return sizes.get(unit, ("", 1.0))


def _us_unit(kind: str, size: float) -> tuple[str, float]:
    """The unit that one says an amount in, and how large it is (mL, g)."""
    usual = size or 100.0  # nothing is said in fluid ounces, not in teaspoons
    _, name, pint_name = next(row for row in reversed(US_SAID[kind]) if usual >= row[0])
    return name, _ratio(pint_name, "millilitre" if kind == "volume" else "gram")


def told(error: Exception, units: Units) -> str:
    """The sentence of an error, its amounts as a household has them."""
    if not isinstance(error, EprobaError) or not error.facts:
        return str(error)
    facts = (units(fact) if isinstance(fact, Amount) else fact for fact in error.facts)
    return error.message.format(*facts)


_SLOT = re.compile(r"\{(?P<low>[−-]?\d+(?:\.\d+)?)(?: to (?P<high>[−-]?\d+(?:\.\d+)?))? (?P<unit>[^{}]+)\}")


def filled(text: str, units: Units) -> str:
    """A text of the catalogue, whose amounts stand in braces (“{15 to 20 °C}”, “{40 mL/kg}”), for a household."""

    def said(slot: re.Match[str]) -> str:
        low, high = (None if number is None else float(number.replace("−", "-")) for number in slot.group(1, 2))
        return units(Amount.of(low or 0.0, slot["unit"], high))

    return _SLOT.sub(said, text)


def celsius(number: float) -> float:
    """A temperature that a brew, a soil or a day can have. Raises QuantityError elsewhere."""
    if not COLDEST <= number <= HOTTEST:
        text = "{} doesn’t fit: give {}. Was it another unit, or a typing slip?"
        raise QuantityError(text, Amount(number, "°C"), Amount(COLDEST, "°C", high=HOTTEST))
    return number
