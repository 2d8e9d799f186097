"""Batches on the shelf: made, looked at, strained, thrown away; and the ledger of what is taken from them."""

from datetime import datetime
from typing import Any

from sqlalchemy import func, select, update
from sqlmodel import Session, col

from eproba.core.brewing.batches import Batch, Check
from eproba.core.brewing.recipe import recipe_entry
from eproba.store.tables import BatchCheckRow, BatchRow, TakingRow


def add_batch(session: Session, batch: Batch, water: str) -> int:
    """Put a new batch on the shelf; returns its id."""
    row = BatchRow(
        recipe=batch.recipe.key, version=batch.recipe.version, entry=recipe_entry(batch.recipe), name=batch.name,
        litres=batch.litres, place=batch.where, water=water, amounts=dict(batch.amounts),
        standing_at=batch.standing_at, made_at=batch.made_at,
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row.id


def add_check(session: Session, batch_id: int, check: Check, photo: bytes | None) -> None:
    """Put a look at a batch on record."""
    row = BatchCheckRow(
        batch_id=batch_id, at=check.at, temperature=check.temperature, seen=dict(check.seen), note=check.note,
        by=check.by, photo=photo,
    )  # fmt: skip
    session.add(row)


def change_batch(session: Session, batch_id: int, **changes: Any) -> None:
    """Set columns of a batch: its mixing, straining, end."""
    session.exec(update(BatchRow).where(col(BatchRow.id) == batch_id).values(**changes))


def take(session: Session, batch_id: int, pour_id: int | None, litres: float, by: str, now: datetime) -> None:
    """What an application took from a batch, in all: the ledger gets the difference to what it says so far.

    So a record that is corrected puts back just what it had taken, and no litre is invented or lost, in whatever order
    several hands write.
    """
    lock_batch(session, batch_id)
    ours = (col(TakingRow.batch_id) == batch_id, col(TakingRow.pour_id) == pour_id)
    before = session.connection().execute(select(func.coalesce(func.sum(col(TakingRow.litres)), 0.0)).where(*ours))
    change = litres - float(before.scalar_one())
    if abs(change) > 1e-9:
        session.add(TakingRow(batch_id=batch_id, pour_id=pour_id, litres=change, by=by, at=now))
        session.flush()


def lock_batch(session: Session, batch_id: int) -> None:
    """Hold a batch until the commit."""
    held = select(col(BatchRow.id)).where(col(BatchRow.id) == batch_id).with_for_update(key_share=True)
    session.connection().execute(held)
