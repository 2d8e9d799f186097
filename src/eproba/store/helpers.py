"""Links for helpers: whose they are, and whether they still hold."""

from collections.abc import Sequence
from datetime import datetime, timedelta

from sqlmodel import Session, col, select

from eproba.store.tables import HelperRow, RoundRow

SECOND_READER = timedelta(days=1)


def helper_with(session: Session, token: str, now: datetime) -> tuple[HelperRow, RoundRow] | None:
    """The helper of a link and the round that he reads; None where it has ended with its round, or never was.

    A second reader has a day longer: the first may close the round before he is through.
    """
    query = select(HelperRow, RoundRow).join(RoundRow, col(RoundRow.id) == col(HelperRow.round_id))
    row = session.exec(query.where(HelperRow.token == token)).first()
    if row is None or row[1].missed:
        return None
    closed = row[1].closed_at
    late = row[0].second and closed is not None and now - closed < SECOND_READER
    return None if row[1].done and not late else (row[0], row[1])


def helpers_of(session: Session, round_id: int) -> Sequence[HelperRow]:
    """Who was asked to read a round."""
    query = select(HelperRow).where(HelperRow.round_id == round_id)
    return session.exec(query.order_by(col(HelperRow.id))).all()
