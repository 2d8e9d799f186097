"""Readings: saved once however often they are sent, corrected with their reason."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import delete, insert, update
from sqlmodel import Session, col, select

from eproba.core.trial.model import Reading
from eproba.store.findings import forget_finding
from eproba.store.mapping import reading_from
from eproba.store.tables import CorrectionRow, ReadingRow, RoundRow


@dataclass(frozen=True)
class Typed:
    """One reading as a device sends it. `seen_version` is the version it had seen in that place (0: none),
    `replaces` the id of its own earlier reading there."""

    client_id: str
    round_id: int
    unit_id: int
    measure_key: str
    replicate: int
    value: float | None
    skip_reason: str
    seen_version: int
    replaces: str = ""


@dataclass(frozen=True)
class Saved:
    """What became of a typed reading: saved, or a conflict with what somebody else had saved there."""

    client_id: str
    status: str
    reading: Reading


def readings_of(session: Session, trial_id: int, round_id: int | None = None) -> list[Reading]:
    """All readings of a trial, or of one of its rounds."""
    query = select(ReadingRow).where(ReadingRow.trial_id == trial_id)
    if round_id is not None:
        query = query.where(ReadingRow.round_id == round_id)
    ordered = query.order_by(col(ReadingRow.round_id), col(ReadingRow.unit_id), col(ReadingRow.replicate))
    return [reading_from(row) for row in session.exec(ordered)]


def save_typed(session: Session, trial_id: int, typed: Typed, by: str, now: datetime) -> Saved:
    """Save one typed reading.

    Sent twice (same client id): saved once. Somebody else's value is there in a version that this device had not
    seen: nothing is overwritten, both go back.
    """
    row = _in_place(session, typed)
    if row is None:
        row = ReadingRow(
            trial_id=trial_id,
            round_id=typed.round_id,
            unit_id=typed.unit_id,
            measure_key=typed.measure_key,
            replicate=typed.replicate,
            value=typed.value,
            skip_reason=typed.skip_reason,
            by=by,
            at=now,
            client_id=typed.client_id,
        )
        session.add(row)
    elif _is_known(session, row, typed):
        return Saved(typed.client_id, "saved", reading_from(row))
    elif typed.seen_version != row.version and typed.replaces != row.client_id:
        return Saved(typed.client_id, "conflict", reading_from(row))
    else:
        _change(session, row, typed.value, typed.skip_reason, "typed again in the round", by, now)
        row.client_id = typed.client_id
    session.flush()
    forget_finding(session, trial_id)
    return Saved(typed.client_id, "saved", reading_from(row))


def _is_known(session: Session, row: ReadingRow, typed: Typed) -> bool:
    """Sent before (and perhaps corrected since), or the same value once more."""
    if row.client_id == typed.client_id or (row.value, row.skip_reason) == (typed.value, typed.skip_reason):
        return True
    earlier = select(CorrectionRow.id).where(
        CorrectionRow.reading_id == row.id, CorrectionRow.old_client_id == typed.client_id
    )
    return session.exec(earlier).first() is not None


def take_back(session: Session, trial_id: int, client_id: str) -> None:
    """Undo: remove a reading that this device has just typed."""
    session.exec(delete(ReadingRow).where(col(ReadingRow.client_id) == client_id, col(ReadingRow.trial_id) == trial_id))
    forget_finding(session, trial_id)


def correct(
    session: Session,
    trial_id: int,
    reading_id: int,
    seen_version: int,
    value: float | None,
    reason: str,
    by: str,
    now: datetime,
) -> Reading | None:
    """Correct a reading; the old value is kept. Returns the other's reading where it changed meanwhile, else None."""
    query = select(ReadingRow).where(ReadingRow.id == reading_id, ReadingRow.trial_id == trial_id).with_for_update()
    row = session.exec(query).one()
    if row.version != seen_version:
        return reading_from(row)
    _change(session, row, value, "" if value is not None else reason, reason, by, now)
    forget_finding(session, trial_id)
    return None


def corrections_of(session: Session, trial_id: int) -> Sequence[tuple[CorrectionRow, ReadingRow]]:
    """Old values with their readings, newest first."""
    query = select(CorrectionRow, ReadingRow).join(ReadingRow, col(CorrectionRow.reading_id) == col(ReadingRow.id))
    return session.exec(query.where(ReadingRow.trial_id == trial_id).order_by(col(CorrectionRow.at).desc())).all()


def add_many(session: Session, trial_id: int, rows: Iterable[dict[str, object]]) -> None:
    """Add imported readings in one go and mark their rounds as done."""
    values = [{"trial_id": trial_id, "version": 1, "skip_reason": "", **row} for row in rows]
    if not values:
        return
    session.connection().execute(insert(ReadingRow), values)
    done = {row["round_id"] for row in values}
    session.exec(update(RoundRow).where(col(RoundRow.id).in_(done)).values(done=True))
    forget_finding(session, trial_id)


def _in_place(session: Session, typed: Typed) -> ReadingRow | None:
    query = select(ReadingRow).where(
        ReadingRow.round_id == typed.round_id,
        ReadingRow.unit_id == typed.unit_id,
        ReadingRow.measure_key == typed.measure_key,
        ReadingRow.replicate == typed.replicate,
    )
    return session.exec(query.with_for_update()).first()


def _change(
    session: Session, row: ReadingRow, value: float | None, skip_reason: str, reason: str, by: str, now: datetime
) -> None:
    session.add(
        CorrectionRow(
            reading_id=row.id or 0,
            old_value=row.value,
            old_skip_reason=row.skip_reason,
            old_client_id=row.client_id,
            reason=reason,
            by=by,
            at=now,
        )
    )
    row.value, row.skip_reason, row.by, row.version = value, skip_reason, by, row.version + 1
    session.add(row)
    session.flush()
