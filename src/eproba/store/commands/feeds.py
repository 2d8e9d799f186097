"""Calendar feeds: made and revoked."""

from datetime import datetime

from sqlalchemy import delete
from sqlmodel import Session, col

from eproba.store.secrets import hashed
from eproba.store.tables import FeedRow


def new_feed(session: Session, token: str, now: datetime, alarm_minutes: int | None = None) -> None:
    """A new address; `alarm_minutes`: how long before each entry a calendar rings (None: never)."""
    session.add(FeedRow(token_hash=hashed(token), made_at=now, alarm_minutes=alarm_minutes))


def revoke_feed(session: Session, token_hash: str) -> bool:
    """From now on the address leads nowhere. False: it did not already."""
    return session.exec(delete(FeedRow).where(col(FeedRow.token_hash) == token_hash)).rowcount > 0
