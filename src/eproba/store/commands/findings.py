"""Findings: kept when a trial is judged, forgotten when anything changes."""

from sqlalchemy import delete
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col

from eproba.store.tables import FindingRow


def keep_finding(session: Session, trial_id: int, lines: list[dict[str, str]], noise_sd: float | None) -> None:
    """Keep the lines (verdict and sentence for each comparison) and the noise from unit to unit."""
    found = {"lines": lines, "noise_sd": noise_sd}
    statement = insert(FindingRow).values(trial_id=trial_id, **found)
    session.connection().execute(statement.on_conflict_do_update(index_elements=["trial_id"], set_=found))


def forget_finding(session: Session, trial_id: int) -> None:
    """Something changed: the finding must be made anew."""
    session.exec(delete(FindingRow).where(col(FindingRow.trial_id) == trial_id))
