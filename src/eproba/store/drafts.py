"""Drafts: trials being planned, kept as typed."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from sqlmodel import Session, col, select

from eproba.store.tables import DraftRow


def new_draft(session: Session, answers: dict[str, Any], now: datetime) -> int:
    row = DraftRow(changed_at=now, answers=answers)
    session.add(row)
    session.flush()
    return row.id or 0


def draft_answers(session: Session, draft_id: int) -> dict[str, Any] | None:
    row = session.get(DraftRow, draft_id)
    return None if row is None else dict(row.answers)


def keep_answers(session: Session, draft_id: int, step: str, typed: dict[str, list[str]], now: datetime) -> None:
    """Keep one step exactly as typed, right or wrong."""
    row = session.exec(select(DraftRow).where(DraftRow.id == draft_id).with_for_update()).one()
    row.answers = {**row.answers, step: typed}
    row.changed_at = now
    session.add(row)


def drop_draft(session: Session, draft_id: int) -> None:
    row = session.get(DraftRow, draft_id)
    if row is not None:
        session.delete(row)


def drafts(session: Session) -> Sequence[DraftRow]:
    """All drafts, the latest first."""
    return session.exec(select(DraftRow).order_by(col(DraftRow.changed_at).desc())).all()
