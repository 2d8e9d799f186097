"""Errands that are done: ticked, where nothing else keeps them; brews that are stirred, all at once."""

from collections.abc import Iterable
from datetime import datetime

from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session

from eproba.core.applying.errands import Job
from eproba.core.brewing.events import Event
from eproba.store.commands.batches import add_event
from eproba.store.tables import TickRow


def tick(session: Session, jobs: Iterable[Job], by: str, now: datetime) -> None:
    """Put errands down as done; water with as many litres as it needs by now."""
    for job in jobs:
        row = {"litres": job.litres, "by": by, "at": now}
        kept = insert(TickRow).values(key=job.key, **row)
        session.connection().execute(kept.on_conflict_do_update(index_elements=["key"], set_=row))


def stir(session: Session, jobs: Iterable[Job], by: str, now: datetime) -> None:
    """Every brew on the shelf that wants to be stirred was. Raises BatchError where one can’t have been."""
    for batch_id in sorted({job.batch_id for job in jobs if job.batch_id is not None}):
        add_event(session, batch_id, Event(now, "stirred", by=by), now)
