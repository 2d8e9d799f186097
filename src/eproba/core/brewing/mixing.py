"""From what is wanted to what goes into the bucket: application volume → concentrate and water → ingredients.

Everything here is unrounded and linear in the amount wanted (where the recipe is); rounding to spoons, scale and can is
`kitchen`'s.
"""

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from eproba.core.brewing.ingredients import SUGARS, RecipeError
from eproba.core.brewing.recipe import DEFAULT_POT_SHARE, Portion, Recipe
from eproba.core.errors import EprobaError
from eproba.core.quantities import Amount, in_base
from eproba.core.words import figure_or_whole, lower_first

MOST_AREA, MOST_UNITS, MOST_LITRES = 100_000.0, 1000, 1000.0
DIFFERS = 0.1  # of what the recipe says: less is what a scale and a spoon leave open
MOST_POT_CM = 200.0
HARDLY_SUGAR = 0.25  # g a litre poured (or a kg spread)
MOSTLY_SUGAR = 0.3  # of its mass
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
            raise MixError("Give either an area, or units with the amount for each.")
        if self.area_m2 is not None and not 0 < self.area_m2 <= MOST_AREA:
            text = "{} doesn’t fit: give an area above 0, up to {}."
            raise MixError(text, Amount(self.area_m2, "m²"), Amount(MOST_AREA, "m²"))
        if self.units is not None and not 1 <= self.units <= MOST_UNITS:
            raise MixError(f"{self.units} units don’t fit: give 1 to {MOST_UNITS}.")
        if self.units is not None and self.per_unit_litres is None:
            raise MixError("Say how much each unit gets.")
        if self.per_unit_litres is not None and not 0 < self.per_unit_litres <= MOST_LITRES:
            text = "{} for a unit doesn’t fit: give more than 0, up to {}."
            raise MixError(text, Amount(self.per_unit_litres, "L"), Amount(MOST_LITRES, "L"))
        if self.unit_m2 is not None and not 0 < self.unit_m2 <= MOST_AREA:
            raise MixError("Give a surface above 0 for one unit; it is {}.", Amount(self.unit_m2, "m²"))
        if self.rate is not None and not (math.isfinite(self.rate) and self.rate > 0):
            raise MixError(f"Give a rate above 0; it is {self.rate:g}.")
        if self.parts is not None and not (self.parts[0] > 0 and self.parts[1] >= 0):
            text = f"A strength of {self.parts[0]:g} + {self.parts[1]:g} doesn’t fit"
            raise MixError(f"{text}: give at least one part of concentrate, and 0 or more parts of water.")

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
    amounts = tuple(Portion(portion.ingredient, portion.amount * times, portion.unit) for portion in recipe.portions)
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
    """Litres poured, or what is spread in the unit that its batch is measured in."""
    if want.area_m2 is not None:
        return want.area_m2 * (want.rate or recipe.rate[1])
    return in_batch_unit(recipe, (want.units or 0) * (want.per_unit_litres or 0.0), "L")


def in_batch_unit(recipe: Recipe, amount: float, unit: str) -> float:
    """An amount in what a batch of this recipe is measured in: litres, or kilograms of what is spread by its mass.

    Mass and volume turn into each other by the density of its first ingredient.

    Raises
    ------
    RecipeError, QuantityError
        An ingredient without the density that this needs; a unit that nobody knows.
    """
    if unit == recipe.yields_unit:
        return amount
    value, dimension = in_base(amount, unit)
    if recipe.liquid or recipe.kind == "test":
        return value if dimension == "volume" else value / 1000
    first = recipe.portions[0].ingredient
    kilograms = first.grams(amount, unit) / 1000
    if not recipe.yields_unit.startswith("L"):
        return kilograms
    if dimension == "volume":
        return value
    if first.density is None:
        raise RecipeError(f"{first.name}: nobody knows what a litre weighs. Give the volume instead.")
    return kilograms / first.density


def water_share(recipe: Recipe) -> float:
    """How much of a litre of it is the water that went in."""
    water = sum(
        in_base(portion.amount, portion.unit)[0] for portion in recipe.portions if portion.ingredient.key == "water"
    )
    return min(1.0, water / recipe.yields)


def brew_minutes(recipe: Recipe, litres: float) -> float:
    """Minutes of making so much of it: half is the same for any size, half grows with the amount."""
    return recipe.minutes * (0.5 + 0.5 * litres / recipe.yields)


def as_made(recipe: Recipe, amounts: Mapping[str, float], litres: float) -> Recipe:
    """The recipe of a batch by what really went in (`amounts` by ingredient, in the recipe's units)."""
    if not amounts or not litres > 0:
        return recipe
    portions = (
        replace(p, amount=amounts.get(p.ingredient.key, p.amount * litres / recipe.yields)) for p in recipe.portions
    )
    return replace(recipe, portions=tuple(p for p in portions if p.amount > 0) or recipe.portions, yields=litres)


def differs(recipe: Recipe, amounts: Mapping[str, float], litres: float) -> list[str]:
    """What went into a batch otherwise than its recipe says for that size, a phrase each."""
    lines = []
    for portion in recipe.portions:
        meant, used = portion.amount * litres / recipe.yields, amounts.get(portion.ingredient.key)
        if used is not None and abs(used - meant) > DIFFERS * meant:
            name, unit = lower_first(portion.ingredient.name), portion.unit
            lines.append(f"{figure_or_whole(used)} {unit} of {name} for {figure_or_whole(meant)} {unit}")
    return lines


def loads(recipe: Recipe, amounts: tuple[Portion, ...], surface: float, litres: float | None) -> Loads:
    """What a square metre gets. What goes into no ground (a test in pots) brings nothing."""
    water = None if litres is None else litres / surface
    if recipe.kind not in GOES_INTO_THE_GROUND:
        return Loads(water, 0.0, (0.0, 0.0))
    carbon = sum(amount.grams * amount.ingredient.easy_carbon for amount in amounts) / surface
    low, high = (sum(portion.grams * portion.ingredient.nitrogen[i] for portion in amounts) / surface for i in (0, 1))
    return Loads(water, carbon, (low, high))


def concentrate(recipe: Recipe, amount: float, unit: str, water_parts: float | None) -> float:
    """Litres of concentrate in an amount that a unit gets; of what is spread what it takes from a batch."""
    total = in_batch_unit(recipe, amount, unit)
    parts = recipe.parts if water_parts is None else (1.0, water_parts)
    return total * parts[0] / sum(parts) if recipe.liquid else total


def poured_concentrate(recipe: Recipe, given: Iterable[float], unit: str, water_parts: float | None) -> float:
    """Litres of concentrate in what the units of a treatment got."""
    return sum(concentrate(recipe, litres_each, unit, water_parts) for litres_each in given)


def pot_size(across_cm: float, high_cm: float) -> tuple[float, float]:
    """The surface of a round pot in m², and its litres up to where it is filled.

    Raises
    ------
    MixError
        A size that no pot has.
    """
    if not (0 < across_cm <= MOST_POT_CM and 0 < high_cm <= MOST_POT_CM):
        raise MixError("A pot is up to {} across and high.", Amount(MOST_POT_CM, "cm"))
    surface = math.pi * (across_cm / 200) ** 2
    return surface, 10 * surface * high_cm


def pot_litres(pot_volume_l: float) -> float:
    """What a pot gets of a drench: a tenth of its volume (Eproba's own default)."""
    return DEFAULT_POT_SHARE * pot_volume_l


@dataclass(frozen=True)
class Alone:
    """The ingredient alone, as strong as in the brew: grams of one ingredient for the same litres."""

    name: str
    grams: float


@dataclass(frozen=True)
class IngredientControl:
    """What an ingredient-alone control takes; `note` where it says nothing that another control does not."""

    alone: tuple[Alone, ...]
    note: str = ""


def ingredient_alone(mixed: Mix) -> IngredientControl:
    """What an ingredient-alone control dissolves in the same litres: the brew's own sugar, at its own strength.

    Ingredients that are mostly sugar go in as they are; of what the others hold, each kind of sugar by its own name.
    """
    sugars = [amount for amount in mixed.amounts if sum(amount.ingredient.sugar) > 0]
    held = sum(_sugar(sugar) for sugar in sugars)
    poured = mixed.application_litres or mixed.spread or 1.0
    if held / poured < HARDLY_SUGAR:
        return IngredientControl((), "Hardly any sugar is in it: plain water is the control that asks the same.")
    mostly = [sugar for sugar in sugars if sum(sugar.ingredient.sugar) / 2 >= MOSTLY_SUGAR]
    others = [portion for portion in mixed.amounts if portion.ingredient.key != "water" and portion not in mostly]
    if mostly:
        note = "" if others or mixed.recipe.brews else "This is the treatment itself: compare it with plain water."
        return IngredientControl(tuple(Alone(portion.ingredient.name, portion.grams) for portion in mostly), note)
    by_kind: dict[str, float] = {}
    for portion in sugars:
        name = SUGARS[portion.ingredient.sugar_kind]
        by_kind[name] = by_kind.get(name, 0.0) + _sugar(portion)
    return IngredientControl(tuple(Alone(name, grams) for name, grams in by_kind.items()))


def _sugar(portion: Portion) -> float:
    return portion.grams * sum(portion.ingredient.sugar) / 2


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
    readings = [AsWritten(said, _parts_words(1.0, water), (1.0, water), True)]
    if water > 1:
        readings.append(AsWritten(said, _parts_words(1.0, water - 1), (1.0, water - 1), False))
    return readings


def _parts_words(concentrate: float, water: float) -> str:
    total = figure_or_whole(concentrate + water)
    return f"1 + {figure_or_whole(water)}: 1 part concentrate and {figure_or_whole(water)} parts water, {total} in all"


def in_n(n: float) -> tuple[float, float]:
    """“1 in N” as parts. Raises MixError for less than 1 in 1."""
    if not (math.isfinite(n) and n >= 1):
        raise MixError(f"1 in {n:g} doesn’t fit: 1 in 1 is undiluted, 1 in 10 is one part and nine parts water.")
    return 1.0, n - 1
