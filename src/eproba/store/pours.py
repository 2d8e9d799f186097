"""Pours: the plain application log."""

from datetime import date

from sqlalchemy import update
from sqlmodel import Session, col

from eproba.store.findings import forget_finding
from eproba.store.tables import PourRow


def log_pour(
    session: Session, trial_id: int, pour_id: int, status: str, done_on: date, amount: str, note: str, by: str
) -> None:
    """Write what became of one application."""
    values = {"status": status, "done_on": done_on, "amount": amount, "note": note, "by": by}
    where = (col(PourRow.id) == pour_id, col(PourRow.trial_id) == trial_id)
    session.exec(update(PourRow).where(*where).values(**values))
    forget_finding(session, trial_id)
