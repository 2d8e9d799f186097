"""Batches on the shelf, with what is left in them: what was made less what was taken."""

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import func
from sqlalchemy import select as columns_of
from sqlmodel import Session, col, select

from eproba.core.brewing.batches import Batch, Check, nearly_empty
from eproba.store.recipes import recipe_of
from eproba.store.tables import BatchCheckRow, BatchRow, TakingRow


def batch_from(row: BatchRow, checks: Sequence[Check], taken: float, last_taken_at: datetime | None) -> Batch:
    left = max(0.0, row.litres - taken)
    return Batch(
        id=row.id,
        recipe=recipe_of(row.recipe, row.entry),
        litres=row.litres,
        where=row.place,
        made_at=row.made_at,
        standing_at=row.standing_at,
        strained_at=row.strained_at,
        used_up_at=last_taken_at if nearly_empty(left, row.litres) else None,
        thrown_at=row.thrown_at,
        thrown_reason=row.thrown_reason,
        left=left,
        checks=tuple(checks),
        amounts=row.amounts,
        name=row.name,
    )


def batches(session: Session, ids: Sequence[int] | None = None, recipe: str = "", limit: int = 100) -> list[Batch]:
    """Batches, the newest first; only some of them, or of one recipe, where asked."""
    query = select(BatchRow).order_by(col(BatchRow.id).desc()).limit(limit)
    if ids is not None:
        query = query.where(col(BatchRow.id).in_(ids))
    if recipe:
        query = query.where(BatchRow.recipe == recipe)
    rows = session.exec(query).all()
    found = [row.id for row in rows]
    if not found:
        return []
    looks, taken = _looks(session, found), _taken(session, found)
    return [batch_from(row, looks.get(row.id, []), *taken.get(row.id, (0.0, None))) for row in rows]


def _looks(session: Session, ids: Sequence[int]) -> dict[int, list[Check]]:
    """The looks at each batch, in order; of photos only whether there is one."""
    c = BatchCheckRow
    columns = (c.id, c.batch_id, c.at, c.temperature, c.seen, c.note, c.by)
    wanted = (
        columns_of(*map(col, columns), col(c.photo).is_not(None).label("has_photo"))
        .where(col(c.batch_id).in_(ids))
        .order_by(col(c.at), col(c.id))
    )
    looks: dict[int, list[Check]] = {}
    for look in session.connection().execute(wanted).mappings():
        facts = {name: look[name] for name in ("at", "temperature", "seen", "note", "by", "id")}
        looks.setdefault(look["batch_id"], []).append(Check(**facts, photo=look["has_photo"]))
    return looks


def _taken(session: Session, ids: Sequence[int]) -> dict[int, tuple[float, datetime]]:
    """Litres taken from each batch, and when for the last time."""
    t = TakingRow
    wanted = columns_of(col(t.batch_id), func.sum(col(t.litres)), func.max(col(t.at)))
    rows = session.connection().execute(wanted.where(col(t.batch_id).in_(ids)).group_by(col(t.batch_id)))
    return {batch_id: (litres, at) for batch_id, litres, at in rows}


def photo_of(session: Session, batch_id: int, check_id: int) -> bytes | None:
    row = session.get(BatchCheckRow, check_id)
    return row.photo if row is not None and row.batch_id == batch_id else None
