"""Recipes: the catalogue's and the gardener's own, with their versions."""

from collections.abc import Mapping
from datetime import datetime
from functools import cache
from typing import Any

from sqlmodel import Session, col, select

from eproba.core.brewing.recipe import WAY, Recipe, recipe_from, ways_of
from eproba.core.catalogue import cautions, ingredients
from eproba.core.catalogue import recipes as catalogue
from eproba.core.quantities import System
from eproba.store.database import once, rows_of
from eproba.store.measures import household_system
from eproba.store.tables import OwnRecipeRow


def recipe_of(key: str, entry: dict[str, Any]) -> Recipe:
    """A recipe from its kept entry. Raises RecipeError where it contradicts itself."""
    return recipe_from(key, entry, ingredients(), cautions())


def own_recipes(session: Session) -> dict[str, Recipe]:
    """The gardener's own recipes, each in its newest version."""
    rows = rows_of(session, OwnRecipeRow, order=(col(OwnRecipeRow.key), col(OwnRecipeRow.version)))
    return {row.key: recipe_of(row.key, row.entry) for row in rows}


def all_recipes(session: Session) -> dict[str, Recipe]:
    """Every recipe by key, the catalogue's first, and each as its schools make it."""
    system = household_system(session)
    return once(session, "recipes", lambda: {**_shipped(system), **_with_ways(own_recipes(session))})


@cache
def _shipped(system: System) -> dict[str, Recipe]:
    return _with_ways(catalogue(system))


def _with_ways(recipes: Mapping[str, Recipe]) -> dict[str, Recipe]:
    return {**recipes, **{key: way for recipe in recipes.values() for key, way in ways_of(recipe).items()}}


def offered_recipes(session: Session) -> dict[str, Recipe]:
    """Every recipe that is offered for new batches and trials: own ones that were put away are not."""
    away = set(session.exec(select(OwnRecipeRow.key).where(col(OwnRecipeRow.put_away))))
    return {key: recipe for key, recipe in all_recipes(session).items() if key.partition(WAY)[0] not in away}


def versions_of(session: Session, key: str) -> list[tuple[int, datetime]]:
    """The versions of an own recipe with their dates, the newest first."""
    rows = session.exec(select(OwnRecipeRow).where(OwnRecipeRow.key == key).order_by(col(OwnRecipeRow.version).desc()))
    return [(row.version, row.made_at) for row in rows.all()]
