"""Batches on the shelf, each with its events; what pours took comes from the ledger."""

from collections.abc import Sequence

from sqlalchemy import func
from sqlalchemy import select as columns_of
from sqlmodel import Session, col, select

from eproba.core.brewing.events import Batch, Event, in_order
from eproba.store.database import once
from eproba.store.recipes import recipe_of
from eproba.store.tables import BatchChangeRow, BatchEventRow, BatchRow, PourRow, TakingRow


def batch_from(row: BatchRow, events: Sequence[Event]) -> Batch:
    return Batch(
        id=row.id,
        recipe=recipe_of(row.recipe, row.entry),
        litres=row.litres,
        where=row.place,
        events=in_order(events),
        amounts=row.amounts,
        name=row.name,
        water=row.water,
        school=row.school,
    )


def batches(session: Session, ids: Sequence[int] | None = None, recipe: str = "", limit: int = 100) -> list[Batch]:
    """Batches, the newest first; only some of them, or of one recipe, where asked."""
    key = ("batches", None if ids is None else tuple(ids), recipe, limit)
    return once(session, key, lambda: _batches(session, ids, recipe, limit))


def _batches(session: Session, ids: Sequence[int] | None, recipe: str, limit: int) -> list[Batch]:
    query = select(BatchRow).order_by(col(BatchRow.id).desc()).limit(limit)
    if ids is not None:
        query = query.where(col(BatchRow.id).in_(ids))
    if recipe:
        query = query.where(BatchRow.recipe == recipe)
    rows = session.exec(query).all()
    batch_ids = [row.id for row in rows]
    if not batch_ids:
        return []
    events = _events(session, batch_ids)
    for batch_id, taken in _taken(session, batch_ids):
        events.setdefault(batch_id, []).append(taken)
    return [batch_from(row, events.get(row.id, [])) for row in rows]


def _events(session: Session, ids: Sequence[int]) -> dict[int, list[Event]]:
    """The events of each batch, by the gardener's own clock; of photos only whether there is one."""
    e = BatchEventRow
    columns = (e.id, e.batch_id, e.at, e.what, e.temperature, e.seen, e.litres, e.note, e.by)
    wanted = (
        columns_of(*map(col, columns), col(e.photo).is_not(None).label("photo"))
        .where(col(e.batch_id).in_(ids), col(e.taken_back).is_(False))
        .order_by(col(e.at), col(e.id))
    )
    events: dict[int, list[Event]] = {}
    for row in session.connection().execute(wanted).mappings():
        facts = {name: row[name] for name in row if name not in ("batch_id", "at")}
        events.setdefault(row["batch_id"], []).append(Event(at=row["at"].astimezone(), **facts))
    return events


def _taken(session: Session, ids: Sequence[int]) -> list[tuple[int, Event]]:
    """What each pour took in all, at the pour's own hour; a pour that was put right counts once."""
    t, at = TakingRow, func.coalesce(col(PourRow.done_at), func.min(col(TakingRow.at)))
    litres = func.sum(col(t.litres))
    wanted = (
        columns_of(col(t.batch_id), litres, at, func.max(col(t.by)))
        .outerjoin(PourRow, col(PourRow.id) == col(t.pour_id))
        .where(col(t.batch_id).in_(ids))
        .group_by(col(t.batch_id), col(t.pour_id), col(PourRow.done_at))
        .having(litres > 1e-9)
    )
    rows = session.connection().execute(wanted)
    return [(batch_id, Event(when.astimezone(), "taken from", litres=n, by=by)) for batch_id, n, when, by in rows]


def photo_of(session: Session, batch_id: int, event_id: int) -> bytes | None:
    row = session.get(BatchEventRow, event_id)
    return row.photo if row is not None and row.batch_id == batch_id else None


def batch_changes(session: Session, batch_id: int) -> Sequence[BatchChangeRow]:
    """What stood on record of a batch before it was corrected, the newest first."""
    c = BatchChangeRow
    return session.exec(select(c).where(c.batch_id == batch_id).order_by(col(c.id).desc())).all()
