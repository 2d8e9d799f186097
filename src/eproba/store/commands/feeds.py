"""Calendar feeds: made and revoked."""

from datetime import datetime

from sqlalchemy import delete
from sqlmodel import Session, col

from eproba.store.tables import FeedRow


def new_feed(session: Session, token: str, now: datetime) -> None:
    session.add(FeedRow(token=token, made_at=now))


def revoke_all_feeds(session: Session) -> None:
    """From now on none of the addresses leads anywhere."""
    session.exec(delete(FeedRow))


def revoke_feed(session: Session, token: str) -> None:
    """From now on the address leads nowhere."""
    session.exec(delete(FeedRow).where(col(FeedRow.token) == token))
