"""Applications: what became of each."""

from collections.abc import Mapping
from typing import Any

from sqlalchemy import update
from sqlmodel import Session, col

from eproba.store.findings import forget_finding
from eproba.store.tables import PourRow


def log_pour(session: Session, trial_id: int, pour_id: int, by: str, values: Mapping[str, Any]) -> None:
    """Write what became of one application; `values` are columns of its row."""
    where = (col(PourRow.id) == pour_id, col(PourRow.trial_id) == trial_id)
    session.exec(update(PourRow).where(*where).values(by=by, **values))
    forget_finding(session, trial_id)
