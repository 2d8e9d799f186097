"""Recipes: the catalogue's and the gardener's own, with their versions."""

from datetime import datetime
from typing import Any

from sqlmodel import Session, col, select

from eproba.core.brewing.recipe import Recipe, recipe_from
from eproba.core.catalogue import cautions, ingredients
from eproba.core.catalogue import recipes as catalogue
from eproba.store.database import once
from eproba.store.measures import household_system
from eproba.store.tables import OwnRecipeRow


def recipe_of(key: str, entry: dict[str, Any]) -> Recipe:
    """A recipe from its kept entry. Raises RecipeError where it contradicts itself."""
    return recipe_from(key, entry, ingredients(), cautions())


def own_recipes(session: Session) -> dict[str, Recipe]:
    """The gardener's own recipes, each in its newest version."""
    rows = session.exec(select(OwnRecipeRow).order_by(col(OwnRecipeRow.key), col(OwnRecipeRow.version))).all()
    return {row.key: recipe_of(row.key, row.entry) for row in rows}


def all_recipes(session: Session) -> dict[str, Recipe]:
    """Every recipe by key, the catalogue's first."""
    system = household_system(session)
    return once(session, "recipes", lambda: {**catalogue(system), **own_recipes(session)})


def offered_recipes(session: Session) -> dict[str, Recipe]:
    """Every recipe that is offered for new batches and trials: own ones that were put away are not."""
    away = set(session.exec(select(OwnRecipeRow.key).where(col(OwnRecipeRow.put_away))))
    return {key: recipe for key, recipe in all_recipes(session).items() if key not in away}


def versions_of(session: Session, key: str) -> list[tuple[int, datetime]]:
    """The versions of an own recipe with their dates, the newest first."""
    rows = session.exec(select(OwnRecipeRow).where(OwnRecipeRow.key == key).order_by(col(OwnRecipeRow.version).desc()))
    return [(row.version, row.made_at) for row in rows.all()]
