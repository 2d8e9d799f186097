"""Readings as they stand, and what they were before they were changed."""

from collections.abc import Sequence

from sqlalchemy import or_
from sqlmodel import Session, col, select

from eproba.core.trial.model import Reading
from eproba.store.mapping import reading_from
from eproba.store.tables import CorrectionRow, ReadingRow


def readings_of(session: Session, trial_id: int, round_id: int | None = None, blanks: bool = False) -> list[Reading]:
    """All readings of a trial, or of one of its rounds; `blanks`: also places from which one was taken back."""
    query = select(ReadingRow).where(ReadingRow.trial_id == trial_id)
    if round_id is not None:
        query = query.where(ReadingRow.round_id == round_id)
    if not blanks:
        query = query.where(or_(col(ReadingRow.value).is_not(None), col(ReadingRow.skip_reason) != ""))
    ordered = query.order_by(col(ReadingRow.round_id), col(ReadingRow.unit_id), col(ReadingRow.replicate))
    return [reading_from(row) for row in session.exec(ordered)]


def corrections_of(session: Session, trial_id: int) -> Sequence[tuple[CorrectionRow, ReadingRow]]:
    """Old values with their readings, newest first."""
    query = select(CorrectionRow, ReadingRow).join(ReadingRow, col(CorrectionRow.reading_id) == col(ReadingRow.id))
    return session.exec(query.where(ReadingRow.trial_id == trial_id).order_by(col(CorrectionRow.at).desc())).all()
