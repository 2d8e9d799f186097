"""Rounds of the practice garden, of one person."""

from datetime import date

from sqlmodel import Session, col, select

from eproba.core.practice.learning import Said
from eproba.store.tables import PracticeRow


def history_of(session: Session, by: str) -> list[Said]:
    """What was said so far, the oldest first."""
    rows = session.exec(
        select(PracticeRow)
        .where(PracticeRow.by == by, col(PracticeRow.sure).is_not(None))
        .order_by(col(PracticeRow.id))
    )
    return [Said(row.trap, row.sure or 0, bool(row.right), bool(row.caught)) for row in rows]


def was_played(session: Session, by: str, on: date) -> bool:
    """Whether somebody has answered a round that was begun on that day."""
    begun = session.exec(select(PracticeRow.made_at).where(PracticeRow.by == by, col(PracticeRow.sure).is_not(None)))
    return any(at.astimezone().date() == on for at in begun)


def open_round(session: Session, by: str) -> int | None:
    """The round that waits for an answer."""
    query = select(PracticeRow.id).where(PracticeRow.by == by, col(PracticeRow.sure).is_(None))
    return session.exec(query.order_by(col(PracticeRow.id).desc())).first()
