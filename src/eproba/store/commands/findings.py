"""Findings: kept when a trial is judged, forgotten when anything changes."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any

from sqlalchemy import delete
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col

from eproba.core.judging.answers import Answer
from eproba.store.tables import FindingRow


def keep_finding(
    session: Session,
    trial_id: int,
    lines: Sequence[Mapping[str, str]],
    noise_sd: float | None,
    also: Sequence[Mapping[str, Any]] | None = None,
    answers: Sequence[Answer] = (),
) -> None:
    """Keep the lines (verdict and sentence for each comparison), the noise from unit to unit, what the other measures
    showed, and what the trial says to its questions."""
    kept = [asdict(answer) for answer in answers]
    values = {"lines": lines, "noise_sd": noise_sd, "also": also, "answers": kept}
    statement = insert(FindingRow).values(trial_id=trial_id, **values)
    session.connection().execute(statement.on_conflict_do_update(index_elements=["trial_id"], set_=values))


def forget_finding(session: Session, trial_id: int) -> None:
    """Something changed: the finding must be made anew."""
    session.exec(delete(FindingRow).where(col(FindingRow.trial_id) == trial_id))
