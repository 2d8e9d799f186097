"""Own recipes: each change a version of its own."""

from dataclasses import replace
from datetime import datetime

from sqlalchemy import delete, func, select, update
from sqlmodel import Session, col

from eproba.core.brewing.recipe import WAY, Recipe, recipe_entry
from eproba.store.commands.locks import Changed, lock_name
from eproba.store.recipes import recipe_of, versions_of
from eproba.store.tables import BatchRow, OwnRecipeRow, TreatmentRow


def put_recipe_away(session: Session, key: str, away: bool) -> None:
    """No longer offer an own recipe, or offer it again."""
    session.exec(update(OwnRecipeRow).where(col(OwnRecipeRow.key) == key).values(put_away=away))


def delete_recipe(session: Session, key: str) -> bool:
    """Delete an own recipe with its versions; False where a batch or a trial goes by it, or by a school of it."""
    of_batches, of_trials = (func.split_part(col(table.recipe), WAY, 1) for table in (BatchRow, TreatmentRow))
    used = select(col(BatchRow.id)).where(of_batches == key)
    planned = select(col(TreatmentRow.id)).where(of_trials == key)
    if session.connection().execute(used.union_all(planned).limit(1)).first() is not None:
        return False
    session.exec(delete(OwnRecipeRow).where(col(OwnRecipeRow.key) == key))
    return True


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
