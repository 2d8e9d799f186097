"""Calendar feeds: made and revoked."""

from datetime import datetime

from sqlalchemy import delete
from sqlmodel import Session, col

from eproba.store.tables import FeedRow


def new_feed(session: Session, token: str, now: datetime, alarm_minutes: int | None = None) -> None:
    """A new address; `alarm_minutes`: how long before each entry a calendar rings (None: never)."""
    session.add(FeedRow(token=token, made_at=now, alarm_minutes=alarm_minutes))


def revoke_all_feeds(session: Session) -> None:
    """From now on none of the addresses leads anywhere."""
    session.exec(delete(FeedRow))


def revoke_feed(session: Session, token: str) -> None:
    """From now on the address leads nowhere."""
    session.exec(delete(FeedRow).where(col(FeedRow.token) == token))
