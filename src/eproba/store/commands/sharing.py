"""A link to a trial’s report: made, and taken back."""

from datetime import datetime

from sqlalchemy import delete
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col, select

from eproba.store.secrets import hashed
from eproba.store.tables import SharedLinkRow


def share(session: Session, trial_id: int, token: str, by: str, now: datetime) -> None:
    """Make the link; one that was made before leads nowhere from now on."""
    values = {"token_hash": hashed(token), "by": by, "made_at": now}
    put = insert(SharedLinkRow).values(trial_id=trial_id, **values)
    session.connection().execute(put.on_conflict_do_update(index_elements=["trial_id"], set_=values))


def unshare(session: Session, trial_id: int) -> bool:
    """The link leads nowhere any more. False: there was none."""
    return session.exec(delete(SharedLinkRow).where(col(SharedLinkRow.trial_id) == trial_id)).rowcount > 0


def is_shared(session: Session, trial_id: int) -> bool:
    """Whether a link leads to the report of a trial."""
    return session.get(SharedLinkRow, trial_id) is not None


def shared_trial(session: Session, token: str) -> int | None:
    """The trial that a link leads to; None: nowhere any more."""
    known = select(SharedLinkRow.trial_id).where(SharedLinkRow.token_hash == hashed(token))
    return session.exec(known).first()
