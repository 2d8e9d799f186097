"""What goes into brews: density, mass of a piece, and what it brings into the soil."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from eproba.core.errors import EprobaError
from eproba.core.keys import check_keys
from eproba.core.quantities import in_base

SUCROSE_CARBON = 0.42  # grams of carbon in a gram of sucrose, C12H22O11


class RecipeError(EprobaError):
    """A recipe or ingredient that contradicts itself; the message says where, and what would fit."""


@dataclass(frozen=True)
class Ingredient:
    """One ingredient. `density` kg per litre, `grams_each` of one `piece`; `sugar`, `nitrogen`: [low, high] shares."""

    key: str
    name: str
    sugar: tuple[float, float]
    nitrogen: tuple[float, float]
    source: str
    density: float | None = None
    grams_each: float | None = None
    piece: str = ""

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
                raise RecipeError(f"{self.name} has no density: give its mass in g, or say how much a litre weighs.")
            return 1000 * value * self.density
        if self.grams_each is None:
            raise RecipeError(f"{self.name} is not counted: give its mass in g.")
        return value * self.grams_each

    @property
    def easy_carbon(self) -> float:
        """Grams of easy (sugar-like) carbon in a gram: the middle of the range."""
        return SUCROSE_CARBON * sum(self.sugar) / 2


def ingredient_from(key: str, entry: Mapping[str, Any]) -> Ingredient:
    """Build an ingredient from a TOML table, refusing unknown and missing keys by name."""
    check_keys(key, entry, Ingredient, RecipeError, ["key"])
    values: dict[str, Any] = {name: tuple(v) if isinstance(v, list) else v for name, v in entry.items()}
    made = Ingredient(key, **values)
    for name in ("sugar", "nitrogen"):
        low, high = getattr(made, name)
        if not 0 <= low <= high <= 1:
            raise RecipeError(f"{key}: {name} is a share from low to high, between 0 and 1")
    return made
