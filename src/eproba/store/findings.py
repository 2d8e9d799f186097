"""Findings: what a finished trial showed, kept so that lists need not judge."""

from sqlalchemy import delete
from sqlmodel import Session, col

from eproba.store.tables import FindingRow


def keep_finding(session: Session, trial_id: int, lines: list[dict[str, str]]) -> None:
    """Keep the lines (verdict and sentence for each comparison)."""
    session.merge(FindingRow(trial_id=trial_id, lines=lines))


def forget_finding(session: Session, trial_id: int) -> None:
    """Something changed: the finding must be made anew."""
    session.exec(delete(FindingRow).where(col(FindingRow.trial_id) == trial_id))
