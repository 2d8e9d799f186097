"""Trials: fetching one whole, once for every change."""

from collections.abc import Sequence
from threading import Lock
from typing import Any
from uuid import UUID

from cachetools import LRUCache, cached
from sqlalchemy import bindparam
from sqlalchemy import select as columns_of
from sqlmodel import Session, col, select

from eproba.core.quantities import System
from eproba.core.trial.model import Trial
from eproba.store.database import once, rows_of
from eproba.store.mapping import TrialParts, trial_from
from eproba.store.measures import household_system, measures_named
from eproba.store.tables import (
    AmendmentRow,
    LookRow,
    PourRow,
    RoundRow,
    SpareRunRow,
    StampRow,
    TreatmentRow,
    TrialMeasureRow,
    TrialRow,
    UnitRow,
)

STAMPS = columns_of(col(StampRow.plan), col(StampRow.readings)).where(col(StampRow.trial_id) == bindparam("trial_id"))
MOST_TRIALS = 250  # kept in memory by each process: some ten megabytes


def stamps_of(session: Session, trial_id: int) -> tuple[UUID, UUID] | None:
    """What the plan and the readings of a trial are known by now. With any change the database gives new ones, never
    given before: what was fetched under one is true as long as it stands, for every process and in every copy."""
    return once(session, ("stamps", trial_id), lambda: _stamps(session, trial_id))


def _stamps(session: Session, trial_id: int) -> tuple[UUID, UUID] | None:
    session.flush()
    stamps = session.connection().execute(STAMPS, {"trial_id": trial_id}).first()
    return None if stamps is None else (stamps.plan, stamps.readings)


def load_trial(session: Session, trial_id: int) -> Trial | None:
    """The whole trial, or None."""
    stamps = stamps_of(session, trial_id)
    return None if stamps is None else _fetched(session, trial_id, stamps[0], household_system(session))


@cached(LRUCache(MOST_TRIALS), key=lambda _session, _trial_id, stamp, system: (stamp, system), lock=Lock())
def _fetched(session: Session, trial_id: int, _stamp: UUID, _system: System) -> Trial | None:
    rows = rows_of(session, TrialRow, col(TrialRow.id) == trial_id)
    if not rows:
        return None
    parts = TrialParts(
        asked=_all(session, TrialMeasureRow, trial_id, TrialMeasureRow.position),
        treatments=_all(session, TreatmentRow, trial_id, TreatmentRow.letter),
        units=_all(session, UnitRow, trial_id, UnitRow.id),
        rounds=_all(session, RoundRow, trial_id, RoundRow.day),
        pours=_all(session, PourRow, trial_id, PourRow.day, PourRow.letter),
        amendments=_all(session, AmendmentRow, trial_id, AmendmentRow.id),
        looks=_all(session, LookRow, trial_id, LookRow.day),
        spare_runs=_all(session, SpareRunRow, trial_id, SpareRunRow.id),
    )
    return trial_from(rows[0], parts, measures_named(session, [asked.measure_key for asked in parts.asked]))


def trial_with_key(session: Session, key: str) -> int | None:
    """The number that this database gave to the trial with a key."""
    return session.exec(select(TrialRow.id).where(TrialRow.key == key)).first()


def gardens(session: Session) -> list[str]:
    """The gardens that trials stand in, by name; those of no name are left out."""
    named = select(TrialRow.garden).where(TrialRow.garden != "").distinct().order_by(col(TrialRow.garden))
    return list(session.exec(named))


def all_trials(session: Session) -> list[int]:
    """The numbers of all trials."""
    return list(session.exec(select(TrialRow.id).order_by(col(TrialRow.id))))


def unit_of(session: Session, unit_id: int) -> tuple[int, str] | None:
    """Trial and code of a unit, for tags that were printed with its number."""
    return session.exec(select(UnitRow.trial_id, UnitRow.code).where(UnitRow.id == unit_id)).first()


def _all(session: Session, table: Any, trial_id: int, *order: Any) -> Sequence[Any]:
    return rows_of(session, table, table.trial_id == trial_id, order=order)
