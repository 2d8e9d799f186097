"""Rounds: finishing them, their notes."""

from sqlalchemy import update
from sqlmodel import Session, col

from eproba.store.tables import RoundRow


def finish_round(session: Session, trial_id: int, round_id: int, note: str) -> None:
    """Mark the round as done, with its note."""
    where = (col(RoundRow.id) == round_id, col(RoundRow.trial_id) == trial_id)
    session.exec(update(RoundRow).where(*where).values(done=True, note=note))
