"""A link to a trial’s report: made, and taken back."""

from datetime import datetime

from sqlalchemy import delete
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col, select

from eproba.store.tables import SharedLinkRow


def share(session: Session, trial_id: int, token: str, by: str, now: datetime) -> None:
    """Make the link, once: a second wish finds the first."""
    put = insert(SharedLinkRow).values(trial_id=trial_id, token=token, by=by, made_at=now)
    session.connection().execute(put.on_conflict_do_nothing())


def unshare(session: Session, trial_id: int) -> None:
    """The link leads nowhere any more."""
    session.exec(delete(SharedLinkRow).where(col(SharedLinkRow.trial_id) == trial_id))


def shared_token(session: Session, trial_id: int) -> str | None:
    """The link of a trial, where there is one."""
    row = session.get(SharedLinkRow, trial_id)
    return None if row is None else row.token


def shared_trial(session: Session, token: str) -> int | None:
    """The trial that a link leads to; None: nowhere any more."""
    return session.exec(select(SharedLinkRow.trial_id).where(SharedLinkRow.token == token)).first()
