"""Readings as they stand, and what they were before they were changed."""

from collections.abc import Sequence
from threading import Lock
from typing import Any
from uuid import UUID

from cachetools import LRUCache, cached
from sqlalchemy import or_
from sqlmodel import Session, col, select

from eproba.core.quantities import System
from eproba.core.trial.model import Reading
from eproba.store.database import rows_of
from eproba.store.mapping import reading_from
from eproba.store.measures import household_system, measures_named
from eproba.store.tables import CorrectionRow, ReadingRow, RepeatRow
from eproba.store.trials import stamps_of

MOST_READINGS = 60_000  # kept in memory by each process: some twenty megabytes


def all_readings(session: Session, trial_id: int) -> tuple[Reading, ...]:
    """Every reading of a trial, fetched once for every change."""
    stamps = stamps_of(session, trial_id)
    return () if stamps is None else _fetched(session, trial_id, stamps[1], household_system(session))


@cached(
    LRUCache(MOST_READINGS, getsizeof=lambda kept: 1 + len(kept)),
    key=lambda _session, _trial_id, stamp, system: (stamp, system),
    lock=Lock(),
)
def _fetched(session: Session, trial_id: int, _stamp: UUID, _system: System) -> tuple[Reading, ...]:
    return tuple(readings_of(session, trial_id))


def readings_of(session: Session, trial_id: int, round_id: int | None = None, blanks: bool = False) -> list[Reading]:
    """All readings of a trial, or of one of its rounds; `blanks`: also places from which one was taken back."""
    r = ReadingRow
    where: list[Any] = [r.trial_id == trial_id]
    if round_id is not None:
        where.append(r.round_id == round_id)
    if not blanks:
        where.append(or_(col(r.value).is_not(None), col(r.skip_reason) != ""))
    order = (col(r.round_id), col(r.unit_id), col(r.replicate), col(r.id))  # the same order at each look
    rows = rows_of(session, r, *where, order=order)
    known = measures_named(session, {row.measure_key for row in rows})
    return [reading_from(row, known) for row in rows]


def repeats_of(session: Session, trial_id: int, round_id: int | None = None) -> list[Reading]:
    """Second readings of a trial or of one of its rounds, beside those that count."""
    r = RepeatRow
    where: list[Any] = [r.trial_id == trial_id, or_(col(r.value).is_not(None), col(r.skip_reason) != "")]
    if round_id is not None:
        where.append(r.round_id == round_id)
    rows = rows_of(session, r, *where, order=(col(r.round_id), col(r.unit_id), col(r.id)))
    known = measures_named(session, {row.measure_key for row in rows})
    return [reading_from(row, known) for row in rows]


def corrections_of(session: Session, trial_id: int) -> Sequence[tuple[CorrectionRow, ReadingRow]]:
    """Old values with their readings, newest first."""
    query = select(CorrectionRow, ReadingRow).join(ReadingRow, col(CorrectionRow.reading_id) == col(ReadingRow.id))
    return session.exec(query.where(ReadingRow.trial_id == trial_id).order_by(col(CorrectionRow.at).desc())).all()
