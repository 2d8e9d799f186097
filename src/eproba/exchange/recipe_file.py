"""A recipe as one TOML or JSON file, out and in."""

import json
import re
import tomllib
from collections.abc import Callable
from typing import Any

import tomli_w

from eproba.core.brewing.ingredients import RecipeError
from eproba.core.brewing.recipe import Recipe, recipe_entry

MOST_BYTES = 40_000  # the longest recipe of the catalogue has 2 400
MOST_DEEP = 6
MOST_KEYS = 600
STRING = re.compile(r'"""(?:[^\\]|\\.)*?"""|' r"'''.*?'''|" r'"(?:[^"\\\n]|\\.)*"|' r"'[^'\n]*'|#[^\n]*", re.DOTALL)
DOTTED = re.compile(r"""(?:[\w-]+|"")(?:\s*\.\s*(?:[\w-]+|"")){%d,}""" % MOST_DEEP)  # noqa: UP031


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
        raise RecipeError("This file is too large for a recipe: one recipe to a file, up to 40 kB.")
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise RecipeError(f"This is neither TOML nor JSON: {error}") from error
    check_bounds(text)
    try:
        whole: Any = json.loads(text) if text.lstrip().startswith("{") else tomllib.loads(text)
    except ValueError as error:
        raise RecipeError(f"This is neither TOML nor JSON: {error}") from error
    tables = {key: entry for key, entry in whole.items() if isinstance(entry, dict)} if isinstance(whole, dict) else {}
    if len(tables) != 1:
        raise RecipeError(f"One recipe to a file, as a table under its name; this one holds {len(tables)}.")
    ((key, entry),) = tables.items()
    return build(key[:80], entry)


def check_bounds(text: str) -> None:
    """Refuse what is deeper or has more keys than any recipe, before a parser is let loose on it. Raises RecipeError.

    A key of a hundred thousand dots makes a TOML parser take gigabytes.
    """
    bare = STRING.sub(lambda cell: "" if cell[0].startswith("#") else '""', text)
    depth = deepest = 0
    for sign in re.findall(r"[\[\]{}]", bare):
        depth += 1 if sign in "[{" else -1
        deepest = max(deepest, depth)
    if deepest > MOST_DEEP or DOTTED.search(bare):
        raise RecipeError("This file is nested deeper than any recipe.")
    if len(re.findall(r"[=:]|\[\[?", bare)) > MOST_KEYS:
        raise RecipeError("This file holds more keys than any recipe.")
