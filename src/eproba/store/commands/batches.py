"""Batches on the shelf: put there, their events, corrections with what stood before; the ledger of what is taken."""

from datetime import datetime

from sqlalchemy import func, select, update
from sqlmodel import Session, col

from eproba.core.brewing.batches import check_straining
from eproba.core.brewing.events import Batch, BatchError, Event, check_taking, corrected, moment, resized
from eproba.core.brewing.recipe import recipe_entry, seen_words
from eproba.core.words import figure_or_whole
from eproba.store.batches import batches
from eproba.store.tables import BatchChangeRow, BatchEventRow, BatchRow, TakingRow


def add_batch(session: Session, batch: Batch) -> int:
    """Put a new batch on the shelf, with its first events; returns its id."""
    row = BatchRow(
        recipe=batch.recipe.key, version=batch.recipe.version, entry=recipe_entry(batch.recipe), name=batch.name,
        litres=batch.litres, place=batch.where, water=batch.water, amounts=dict(batch.amounts), school=batch.school,
    )  # fmt: skip
    session.add(row)
    session.flush()
    for event in batch.events:
        session.add(_row(row.id, event, None))
    session.flush()
    return row.id


def _row(batch_id: int, event: Event, photo: bytes | None) -> BatchEventRow:
    return BatchEventRow(
        batch_id=batch_id, at=event.at, what=event.what, temperature=event.temperature, seen=dict(event.seen),
        litres=event.litres, note=event.note, by=event.by, photo=photo,
    )  # fmt: skip


def add_event(session: Session, batch_id: int, event: Event, now: datetime, photo: bytes | None = None) -> None:
    """Put an event of a batch on record.

    Raises
    ------
    BatchError, QuantityError
        It can't have happened to this batch then.
    """
    check_straining(held_batch(session, batch_id), event, now)
    session.add(_row(batch_id, event, photo))
    session.flush()


def correct_event(session: Session, batch_id: int, event_id: int, new: Event | None, by: str, now: datetime) -> None:
    """Change an event, or take it back (`new` None), keeping what stood there. Raises BatchError where it can't be."""
    batch = held_batch(session, batch_id)
    corrected(batch, event_id, new, now)
    row = session.get_one(BatchEventRow, event_id)
    old = next(event for event in batch.events if event.id == event_id)
    _remember(session, batch_id, old.what, told(old), "taken back" if new is None else told(new), by, now)
    row.taken_back = new is None
    if new is not None:
        row.at, row.temperature, row.seen = new.at, new.temperature, dict(new.seen)
        row.litres, row.note = new.litres, new.note
    session.add(row)
    session.flush()


def correct_batch(
    session: Session, batch_id: int, litres: float, place: str, name: str, by: str, now: datetime
) -> None:
    """Put right how much was made, where it stands, how it is called. Raises BatchError where more was taken."""
    batch = held_batch(session, batch_id)
    resized(batch, litres)
    unit, before = batch.unit, (batch.litres, batch.where, batch.name)
    amounts = (f"{figure_or_whole(before[0])} {unit}", f"{figure_or_whole(litres)} {unit}")
    for what, was, new in (("amount", *amounts), ("place", before[1], place), ("name", before[2], name)):
        if was != new:
            _remember(session, batch_id, what, was, new, by, now)
    values = {"litres": litres, "place": place, "name": name}
    session.exec(update(BatchRow).where(col(BatchRow.id) == batch_id).values(**values))


def told(event: Event) -> str:
    """An event in one line, as the history keeps it."""
    parts = [moment(event.at)]
    parts += [] if event.temperature is None else [f"{event.temperature:g} °C"]
    parts += [seen_words(sign, look) for sign, look in event.seen.items()]
    parts += [] if event.litres is None else [f"{figure_or_whole(event.litres)} left"]
    return ", ".join([*parts, *([event.note] if event.note else [])])


def _remember(session: Session, batch_id: int, what: str, was: str, new: str, by: str, now: datetime) -> None:
    session.add(BatchChangeRow(batch_id=batch_id, what=what, was=was, now=new, by=by, at=now))


def take(session: Session, batch_id: int, pour_id: int | None, litres: float, by: str, now: datetime) -> None:
    """What an application took from a batch, in all: the ledger gets the difference to what it says so far.

    So a record that is corrected puts back just what it had taken, and no litre is invented or lost, in whatever order
    several hands write. Raises BatchError where there is not so much in it.
    """
    batch = held_batch(session, batch_id)
    ours = (col(TakingRow.batch_id) == batch_id, col(TakingRow.pour_id) == pour_id)
    before = session.connection().execute(select(func.coalesce(func.sum(col(TakingRow.litres)), 0.0)).where(*ours))
    change = litres - float(before.scalar_one())
    if change > 1e-9:
        check_taking(batch, change)
    if abs(change) > 1e-9:
        session.add(TakingRow(batch_id=batch_id, pour_id=pour_id, litres=change, by=by, at=now))
        session.flush()


def held_batch(session: Session, batch_id: int) -> Batch:
    """The batch as it is now, held until the commit. Raises BatchError where there is none."""
    lock_batch(session, batch_id)
    held = batches(session, [batch_id])
    if not held:
        raise BatchError("There is no such batch any more.")
    return held[0]


def lock_batch(session: Session, batch_id: int) -> None:
    """Hold a batch until the commit."""
    held = select(col(BatchRow.id)).where(col(BatchRow.id) == batch_id).with_for_update(key_share=True)
    session.connection().execute(held)
