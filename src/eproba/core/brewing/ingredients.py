"""What goes into brews: density, mass of a piece, and what it brings into the soil."""

from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import Annotated, Any, Literal

from eproba.core.errors import EprobaError
from eproba.core.keys import Allowed, check_keys, check_values
from eproba.core.quantities import in_base

SugarKind = Literal["sucrose", "lactose", "starch"]
SUGARS: dict[SugarKind, str] = {"sucrose": "Sugar", "lactose": "Milk sugar (lactose)", "starch": "Starch"}
SUCROSE_CARBON = 0.42  # grams of carbon in a gram of sucrose, C12H22O11


class RecipeError(EprobaError):
    """A recipe or ingredient that contradicts itself; the message says where, and what would fit."""


Text = Annotated[str, Allowed(strict=True, max_length=600)]
Share = Annotated[float, Allowed(strict=True, ge=0, le=1, allow_inf_nan=False)]


@dataclass(frozen=True)
class Ingredient:
    """One ingredient. `density` kg per litre, `grams_each` of one `piece`; `sugar`, `nitrogen`: [low, high] shares;
    `sugar_kind` what most of that sugar is."""

    key: str
    name: Annotated[Text, Allowed(min_length=1, max_length=80)]
    sugar: tuple[Share, Share]
    nitrogen: tuple[Share, Share]
    source: Text
    density: Annotated[float, Allowed(strict=True, gt=0, le=25, allow_inf_nan=False)] | None = None
    grams_each: Annotated[float, Allowed(strict=True, gt=0, le=100_000, allow_inf_nan=False)] | None = None
    piece: Annotated[Text, Allowed(max_length=40)] = ""
    sugar_kind: SugarKind = "sucrose"

    def grams(self, amount: float, unit: str) -> float:
        """Grams of an amount in any unit.

        Raises
        ------
        RecipeError
            A volume without a density, or pieces without the mass of one.
        """
        value, dimension = in_base(amount, unit)
        if dimension == "mass":
            return value
        if dimension == "volume":
            if self.density is None:
                raise RecipeError(
                    f"{self.name}: nobody knows what a litre weighs. Give the mass in g, or say what it weighs."
                )
            return 1000 * value * self.density
        if self.grams_each is None:
            raise RecipeError(f"{self.name}: nobody knows what a piece weighs. Give the mass in g.")
        return value * self.grams_each

    @property
    def easy_carbon(self) -> float:
        """Grams of easy (sugar-like) carbon in a gram: the middle of the range."""
        return SUCROSE_CARBON * sum(self.sugar) / 2


def ingredient_entry(ingredient: Ingredient) -> dict[str, Any]:
    """An ingredient as plain data, the way back from `ingredient_from`; what is empty or usual is left out."""
    given = ((field.name, getattr(ingredient, field.name), field.default) for field in fields(Ingredient))
    return {n: list(v) if isinstance(v, tuple) else v for n, v, usual in given if n != "key" and v != usual}


def ingredient_from(key: str, entry: Mapping[str, Any]) -> Ingredient:
    """Build an ingredient from a TOML table, refusing unknown and missing keys by name."""
    check_keys(key, entry, Ingredient, RecipeError, ["key"])
    values: dict[str, Any] = {name: tuple(v) if isinstance(v, list) else v for name, v in entry.items()}
    check_values(key, values, Ingredient, RecipeError)
    ingredient = Ingredient(key, **values)
    for name in ("sugar", "nitrogen"):
        low, high = getattr(ingredient, name)
        if low > high:
            raise RecipeError(f"{key}: {name} is a share from low to high")
    return ingredient
