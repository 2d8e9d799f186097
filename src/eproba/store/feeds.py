"""Calendar feeds: a secret address for each calendar that follows, and its revoking."""

from collections.abc import Sequence

from sqlmodel import Session, col, select

from eproba.store.secrets import hashed
from eproba.store.tables import FeedRow


def feeds(session: Session) -> Sequence[FeedRow]:
    """All feeds, the oldest first."""
    return session.exec(select(FeedRow).order_by(col(FeedRow.made_at))).all()


def known_feed(session: Session, token: str) -> FeedRow | None:
    return session.get(FeedRow, hashed(token))
