"""Calendar feeds: a secret address for each calendar that follows, and its revoking."""

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import delete
from sqlmodel import Session, col, select

from eproba.store.tables import FeedRow


def new_feed(session: Session, token: str, now: datetime) -> None:
    session.add(FeedRow(token=token, made_at=now))


def feeds(session: Session) -> Sequence[FeedRow]:
    """All feeds, the oldest first."""
    return session.exec(select(FeedRow).order_by(col(FeedRow.made_at))).all()


def known_feed(session: Session, token: str) -> bool:
    return session.get(FeedRow, token) is not None


def revoke_feed(session: Session, token: str) -> None:
    """From now on the address leads nowhere."""
    session.exec(delete(FeedRow).where(col(FeedRow.token) == token))
