"""Batches on the shelf: made, looked at, strained, poured from, thrown away."""

from collections.abc import Iterable, Sequence
from datetime import datetime
from typing import Any, cast

from sqlalchemy import select as columns_of
from sqlalchemy import update
from sqlmodel import Session, col, select

from eproba.core.brewing.batches import Batch, Check
from eproba.core.brewing.recipe import recipe_entry
from eproba.store.recipes import recipe_of
from eproba.store.tables import BatchCheckRow, BatchRow

NEARLY_NOTHING = 0.02  # of the batch: what sticks to the vessel


def batch_from(row: BatchRow, checks: Iterable[Any]) -> Batch:
    r = cast(Any, row)
    looks = tuple(Check(c.at, c.temperature, c.seen, c.note, c.by, c.id, c.has_photo) for c in checks)
    return Batch(
        id=r.id, recipe=recipe_of(r.recipe, r.entry), litres=r.litres, where=r.place, made_at=r.made_at,
        standing_at=r.standing_at, strained_at=r.strained_at, used_up_at=r.used_up_at, thrown_at=r.thrown_at,
        thrown_reason=r.thrown_reason, left=r.left, checks=looks, amounts=r.amounts, name=r.name,
    )  # fmt: skip


def add_batch(session: Session, batch: Batch, water: str) -> int:
    """Put a new batch on the shelf; returns its id."""
    row = BatchRow(
        recipe=batch.recipe.key, version=batch.recipe.version, entry=recipe_entry(batch.recipe), name=batch.name,
        litres=batch.litres, left=batch.litres, place=batch.where, water=water, amounts=dict(batch.amounts),
        standing_at=batch.standing_at, made_at=batch.made_at,
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row.id or 0


def batches(session: Session, ids: Sequence[int] | None = None, recipe: str = "", limit: int = 100) -> list[Batch]:
    """Batches, the newest first; only some of them, or of one recipe, where asked."""
    query = select(BatchRow).order_by(col(BatchRow.id).desc()).limit(limit)
    if ids is not None:
        query = query.where(col(BatchRow.id).in_(ids))
    if recipe:
        query = query.where(BatchRow.recipe == recipe)
    rows = session.exec(query).all()
    looks: dict[int, list[Any]] = {}
    c = BatchCheckRow
    columns = (c.id, c.batch_id, c.at, c.temperature, c.seen, c.note, c.by)
    wanted = (
        columns_of(*map(col, columns), col(c.photo).is_not(None).label("has_photo"))
        .where(col(c.batch_id).in_([row.id for row in rows]))
        .order_by(col(c.at), col(c.id))
    )
    for look in session.connection().execute(wanted).all():
        looks.setdefault(look.batch_id, []).append(look)
    return [batch_from(row, looks.get(row.id or 0, [])) for row in rows]


def add_check(session: Session, batch_id: int, check: Check, photo: bytes | None) -> None:
    """Put a look at a batch on record."""
    row = BatchCheckRow(
        batch_id=batch_id, at=check.at, temperature=check.temperature, seen=dict(check.seen), note=check.note,
        by=check.by, photo=photo,
    )  # fmt: skip
    session.add(row)


def photo_of(session: Session, batch_id: int, check_id: int) -> bytes | None:
    row = session.get(BatchCheckRow, check_id)
    return row.photo if row is not None and row.batch_id == batch_id else None


def change_batch(session: Session, batch_id: int, **changes: Any) -> None:
    """Set columns of a batch: its mixing, straining, end."""
    session.exec(update(BatchRow).where(col(BatchRow.id) == batch_id).values(**changes))


def take_from(session: Session, batch: Batch, litres: float, now: datetime) -> None:
    """Pour from a batch, or put back (below 0) what a corrected record had taken.

    What hardly covers the bottom counts as used up.
    """
    left = min(batch.litres, max(0.0, batch.left - litres))
    empty = left <= NEARLY_NOTHING * batch.litres
    change_batch(session, batch.id, left=left, used_up_at=(batch.used_up_at or now) if empty else None)
