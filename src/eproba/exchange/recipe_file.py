"""A recipe as one TOML or JSON file, out and in."""

import json
import tomllib
from collections.abc import Callable
from typing import Any

import tomli_w

from eproba.core.brewing.ingredients import RecipeError
from eproba.core.brewing.recipe import Recipe, recipe_entry

MOST_BYTES = 200_000


def recipe_toml(recipe: Recipe) -> str:
    """The recipe as a TOML table under its name."""
    return tomli_w.dumps({recipe.key: recipe_entry(recipe)}, multiline_strings=False)


def recipe_json(recipe: Recipe) -> str:
    return json.dumps({recipe.key: recipe_entry(recipe)}, indent=2, ensure_ascii=False)


def read_recipe(content: bytes, build: Callable[[str, dict[str, Any]], Recipe]) -> Recipe:
    """The one recipe of a TOML or JSON file; `build` checks its entry.

    Raises
    ------
    RecipeError
        A file that is neither, holds none or several, or an entry with unknown keys.
    """
    if len(content) > MOST_BYTES:
        raise RecipeError("This file is too large for a recipe: one recipe to a file, up to 200 kB.")
    try:
        text = content.decode("utf-8-sig")
        found: Any = json.loads(text) if text.lstrip().startswith("{") else tomllib.loads(text)
    except (UnicodeDecodeError, ValueError) as error:
        raise RecipeError(f"This is neither TOML nor JSON: {error}") from error
    tables = {key: entry for key, entry in found.items() if isinstance(entry, dict)} if isinstance(found, dict) else {}
    if len(tables) != 1:
        raise RecipeError(f"One recipe to a file, as a table under its name; this one holds {len(tables)}.")
    ((key, entry),) = tables.items()
    try:
        return build(key, entry)
    except (TypeError, AttributeError, IndexError, KeyError) as error:
        raise RecipeError(f"{key}: a value is of the wrong kind ({error})") from error
