"""What the craft knows, as data: TOML files checked against the dataclasses when loaded."""

import functools
import tomllib
from importlib import resources
from typing import Any

from eproba.core.brewing.ingredients import Ingredient, ingredient_from
from eproba.core.brewing.recipe import Recipe, recipe_from
from eproba.core.measuring.measures import Measure, measure_from
from eproba.core.planning.claims import Promise, promise_from

RECIPE_FILES = ("sugar", "rice", "compost", "steeps", "others")


@functools.cache
def measures() -> dict[str, Measure]:
    """All measures of the catalogue by key, in the order of the file.

    Raises
    ------
    MeasureError
        Where an entry has an unknown key, lacks one, or contradicts itself.
    """
    text = resources.files(__name__).joinpath("measures.toml").read_text(encoding="utf-8")
    return {key: measure_from(key, entry) for key, entry in tomllib.loads(text).items()}


@functools.cache
def promises() -> dict[str, Promise]:
    """The bank of vague promises by key, each with its measurable claims.

    Raises
    ------
    ClaimError
        Where an entry has an unknown key, lacks one, or contradicts itself.
    """
    text = resources.files(__name__).joinpath("promises.toml").read_text(encoding="utf-8")
    return {key: promise_from(key, entry, measures()) for key, entry in tomllib.loads(text).items()}


@functools.cache
def schools() -> list[dict[str, Any]]:
    """Where growers disagree about brews at large: what about, the sides, and what is done here."""
    text = resources.files(__name__).joinpath("schools.toml").read_text(encoding="utf-8")
    return list(tomllib.loads(text)["schools"])


@functools.cache
def cautions() -> dict[str, str]:
    """Cautions by the hazard that they stand beside."""
    text = resources.files(__name__).joinpath("cautions.toml").read_text(encoding="utf-8")
    return {key: str(entry["text"]) for key, entry in tomllib.loads(text).items()}


@functools.cache
def ingredients() -> dict[str, Ingredient]:
    """Ingredients of brews and amendments by key. Raises RecipeError where an entry contradicts itself."""
    text = resources.files(__name__).joinpath("ingredients.toml").read_text(encoding="utf-8")
    return {key: ingredient_from(key, entry) for key, entry in tomllib.loads(text).items()}


@functools.cache
def recipes() -> dict[str, Recipe]:
    """The recipes of the catalogue by key, family by family. Raises RecipeError where an entry contradicts itself."""
    found: dict[str, Recipe] = {}
    for name in RECIPE_FILES:
        text = resources.files(__name__).joinpath(f"recipes/{name}.toml").read_text(encoding="utf-8")
        found |= {k: recipe_from(k, entry, ingredients(), cautions()) for k, entry in tomllib.loads(text).items()}
    return found
