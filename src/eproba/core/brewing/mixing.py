"""From what is wanted to what goes into the bucket: application volume → concentrate and water → ingredients.

Everything here is unrounded and linear in the amount wanted (where the recipe is); rounding to spoons, scale and can is
`kitchen`'s.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from eproba.core.brewing.recipe import DEFAULT_POT_SHARE, Portion, Recipe
from eproba.core.errors import EprobaError
from eproba.core.quantities import in_base

MOST_AREA, MOST_UNITS, MOST_LITRES = 100_000.0, 1000, 1000.0
GOES_INTO_THE_GROUND = ("drench", "dry", "medium")


class MixError(EprobaError):
    """An amount that can't be mixed; the message says what would fit."""


@dataclass(frozen=True)
class Want:
    """What is to be treated: an area, or units that get so many litres each (of what is poured or spread).

    `unit_m2` is the surface of one unit, where it is known; `rate` L or kg a m², else the recipe's usual one; `parts`
    another strength than the recipe's.
    """

    area_m2: float | None = None
    units: int | None = None
    per_unit_litres: float | None = None
    unit_m2: float | None = None
    rate: float | None = None
    parts: tuple[float, float] | None = None

    def __post_init__(self) -> None:
        if (self.area_m2 is None) == (self.units is None):
            raise MixError("Give either an area in m², or units with the litres for each.")
        if self.area_m2 is not None and not 0 < self.area_m2 <= MOST_AREA:
            raise MixError(f"{self.area_m2:g} m² can't be: an area above 0, up to {MOST_AREA:g} m².")
        if self.units is not None and not 1 <= self.units <= MOST_UNITS:
            raise MixError(f"{self.units} units can't be: 1 to {MOST_UNITS}.")
        if self.units is not None and self.per_unit_litres is None:
            raise MixError("Say how many litres each unit gets.")
        if self.per_unit_litres is not None and not 0 < self.per_unit_litres <= MOST_LITRES:
            raise MixError(f"{self.per_unit_litres:g} L for a unit can't be: above 0, up to {MOST_LITRES:g} L.")
        if self.unit_m2 is not None and not 0 < self.unit_m2 <= MOST_AREA:
            raise MixError(f"A unit of {self.unit_m2:g} m² can't be: its surface is above 0.")
        if self.rate is not None and not (math.isfinite(self.rate) and self.rate > 0):
            raise MixError(f"A rate of {self.rate:g} can't be: above 0.")
        if self.parts is not None and not (self.parts[0] > 0 and self.parts[1] >= 0):
            text = f"A strength of {self.parts[0]:g} + {self.parts[1]:g} can't be"
            raise MixError(f"{text}: at least one part of concentrate, and 0 or more parts of water.")

    @property
    def surface(self) -> float | None:
        """All the ground that gets it, m²; None where it is not known."""
        if self.area_m2 is not None:
            return self.area_m2
        return None if self.unit_m2 is None or self.units is None else self.units * self.unit_m2


@dataclass(frozen=True)
class Loads:
    """What a square metre really gets in one application. `nitrogen_g` from low to high; None: not poured."""

    water_l: float | None
    easy_carbon_g: float
    nitrogen_g: tuple[float, float]


@dataclass(frozen=True)
class Mix:
    """One application of a recipe. Litres are None for what is spread dry; `spread` is its amount in `yields_unit`."""

    recipe: Recipe
    area_m2: float | None
    parts: tuple[float, float]
    application_litres: float | None
    litres_per_m2: float | None
    concentrate_litres: float | None
    water_litres: float | None
    spread: float | None
    amounts: tuple[Portion, ...]
    loads: Loads | None


def mix(recipe: Recipe, want: Want) -> Mix:
    """Mix one application of a recipe.

    Raises
    ------
    MixError, RecipeError
        Amounts that can't be, or a volume wanted of what has no density.
    """
    parts = want.parts or recipe.parts
    total = _total(recipe, want)
    share = parts[0] / sum(parts) if recipe.liquid else 1.0
    times = total * share / recipe.yields if recipe.linear else 1.0
    amounts = tuple(Portion(each.ingredient, each.amount * times, each.unit) for each in recipe.portions)
    surface, litres = want.surface, total if recipe.liquid else None
    return Mix(
        recipe=recipe,
        area_m2=surface,
        parts=parts,
        application_litres=litres,
        litres_per_m2=None if litres is None or surface is None else litres / surface,
        concentrate_litres=None if litres is None else litres * share,
        water_litres=None if litres is None else litres * (1 - share),
        spread=None if recipe.liquid else total,
        amounts=amounts,
        loads=None if surface is None else loads(recipe, amounts, surface, litres),
    )


def _total(recipe: Recipe, want: Want) -> float:
    """Litres poured, or kg (or L) spread."""
    if want.area_m2 is not None:
        return want.area_m2 * (want.rate or recipe.rate[1])
    litres = (want.units or 0) * (want.per_unit_litres or 0.0)
    if recipe.liquid or recipe.yields_unit != "kg":
        return litres
    return recipe.portions[0].ingredient.grams(litres, "L") / 1000


def loads(recipe: Recipe, amounts: tuple[Portion, ...], surface: float, litres: float | None) -> Loads:
    """What a square metre gets. What goes into no ground (a test in pots) brings nothing."""
    water = None if litres is None else litres / surface
    if recipe.kind not in GOES_INTO_THE_GROUND:
        return Loads(water, 0.0, (0.0, 0.0))
    carbon = sum(each.grams * each.ingredient.easy_carbon for each in amounts) / surface
    low, high = (sum(each.grams * each.ingredient.nitrogen[i] for each in amounts) / surface for i in (0, 1))
    return Loads(water, carbon, (low, high))


def concentrate(recipe: Recipe, amount: float, unit: str, water_parts: float | None) -> float:
    """Litres of concentrate (kg, or litres, of what is spread) in an amount that a unit gets."""
    if unit == "handful":
        return recipe.portions[0].ingredient.grams(amount, unit) / 1000
    value, dimension = in_base(amount, unit)
    litres = value if dimension == "volume" else value / 1000
    parts = recipe.parts if water_parts is None else (1.0, water_parts)
    return litres * parts[0] / sum(parts) if recipe.liquid else litres


def poured_concentrate(
    recipe: Recipe, each: float, others: Mapping[str, float], codes: Sequence[str], unit: str, water_parts: float | None
) -> float:
    """Litres of concentrate in what all units of a treatment got: `each`, but `others` for those named there."""
    return sum(concentrate(recipe, others.get(code, each), unit, water_parts) for code in codes)


def pot_litres(pot_volume_l: float) -> float:
    """What a pot gets of a drench: a tenth of its volume (Eproba's own default)."""
    return DEFAULT_POT_SHARE * pot_volume_l


@dataclass(frozen=True)
class Alone:
    """The ingredient alone, as strong as in the brew: grams of one ingredient for the same litres."""

    name: str
    grams: float


def ingredient_alone(mixed: Mix) -> list[Alone]:
    """What an ingredient-alone control dissolves in the same litres: the brew's own sugar, at its own strength.

    Ingredients that are mostly sugar go in as they are; what little sugar the others hold is given as plain sugar.
    """
    mostly = [each for each in mixed.amounts if sum(each.ingredient.sugar) / 2 >= 0.3]
    if mostly:
        return [Alone(each.ingredient.name, each.grams) for each in mostly]
    sugar = sum(each.grams * sum(each.ingredient.sugar) / 2 for each in mixed.amounts)
    return [Alone("Sugar", sugar)] if sugar > 0 else []


@dataclass(frozen=True)
class AsWritten:
    """One thing that a strength as people write it may mean."""

    said: str
    means: str
    parts: tuple[float, float]
    used: bool


def parts_as_written(parts: tuple[float, float]) -> list[AsWritten]:
    """What “1 to N” may mean, the one used here first; undiluted means one thing.

    To most people “1 to 10” is 1 + 10 (11 in all), to some it is 1 in 10 (1 + 9).
    """
    if parts[1] == 0:
        return [AsWritten("undiluted", "all concentrate, no water", (1.0, 0.0), True)]
    water = parts[1] / parts[0]
    said = f"1 to {figure_or_whole(water)}"
    found = [AsWritten(said, _parts_words(1.0, water), (1.0, water), True)]
    if water > 1:
        found.append(AsWritten(said, _parts_words(1.0, water - 1), (1.0, water - 1), False))
    return found


def _parts_words(concentrate: float, water: float) -> str:
    total = figure_or_whole(concentrate + water)
    return f"1 + {figure_or_whole(water)}: 1 part concentrate and {figure_or_whole(water)} parts water, {total} in all"


def figure_or_whole(number: float) -> str:
    """A whole number as such, else with up to four figures."""
    whole = abs(number - round(number)) < 1e-9 or abs(number) >= 1000
    return f"{number:.0f}" if whole else f"{number:.4g}"


def in_n(n: float) -> tuple[float, float]:
    """“1 in N” as parts. Raises MixError for less than 1 in 1."""
    if not (math.isfinite(n) and n >= 1):
        raise MixError(f"1 in {n:g} can't be: 1 in 1 is undiluted, 1 in 10 is one part and nine parts water.")
    return 1.0, n - 1
