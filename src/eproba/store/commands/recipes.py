"""Own recipes: each change a version of its own."""

from dataclasses import replace
from datetime import datetime

from sqlmodel import Session

from eproba.core.brewing.recipe import Recipe, recipe_entry
from eproba.store.commands.locks import Changed, lock_name
from eproba.store.recipes import recipe_of, versions_of
from eproba.store.tables import OwnRecipeRow


def keep_recipe(session: Session, recipe: Recipe, now: datetime, seen: int | None = None) -> Recipe:
    """Keep an own recipe as the next version; batches remember the version that they were made from.

    `seen`: the version that was changed (None: it comes from a file, or is new).

    Raises
    ------
    RecipeError
        Before anything is written, where it could not be read back.
    Changed
        There is a newer version than the one that was seen.
    """
    recipe_of(recipe.key, recipe_entry(recipe))
    lock_name(session, f"recipe {recipe.key}")
    versions = versions_of(session, recipe.key)
    if seen is not None and versions and versions[0][0] != seen:
        text = f"Version {versions[0][0]} of this recipe was kept meanwhile. Yours is still in the fields"
        raise Changed(f"{text}; keep it as the next version if it is right.", str(versions[0][0]))
    kept = replace(recipe, version=versions[0][0] + 1 if versions else 1)
    row = OwnRecipeRow(key=kept.key, version=kept.version, entry=recipe_entry(kept), made_at=now)
    session.add(row)
    session.flush()
    return kept
