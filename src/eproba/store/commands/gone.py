"""Deleting a trial: it leaves a line, and whoever asks the same question is judged with it in mind."""

from collections.abc import Mapping
from dataclasses import asdict
from datetime import date
from typing import Any

from sqlalchemy import delete, func, or_, select
from sqlmodel import Session, col

from eproba.core.judging.answers import questions_of
from eproba.core.trial.gone import gone_trial
from eproba.core.trial.model import Trial
from eproba.store.commands.drafts import take_draft
from eproba.store.commands.locks import lock_trial, was_changed
from eproba.store.commands.trials import delete_trial
from eproba.store.tables import DraftRow, FindingRow, GoneTrialRow


def line_left(trial: Trial, today: date) -> dict[str, Any]:
    """What a trial leaves when it is deleted, as it is kept."""
    kept = asdict(gone_trial(trial, today))
    return {**kept, "on": today.isoformat(), "questions": sorted(set(questions_of(trial).values()))}


def remove_trial(session: Session, trial_id: int, today: date) -> None:
    """Delete a trial; its line stays."""
    line = line_left(lock_trial(session, trial_id), today)
    delete_trial(session, trial_id)
    _leave(session, line)


def throw_away(session: Session, draft_id: int) -> None:
    """Throw a draft away; where it was a trial whose lots had been dealt, that leaves its line."""
    row = session.get(DraftRow, draft_id)
    if row is None:
        return
    line = row.taken_back
    take_draft(session, draft_id)
    if line is not None:
        _leave(session, line)


def _leave(session: Session, line: Mapping[str, Any]) -> None:
    """Put the line on record, and have the trials of its questions judged anew."""
    session.add(GoneTrialRow.model_validate({**line, "on": date.fromisoformat(str(line["on"]))}))
    asked = or_(*(col(FindingRow.answers).contains([{"question": question}]) for question in line["questions"]))
    bearing = select(col(FindingRow.trial_id)).where(asked if line["questions"] else func.false())
    for (trial_id,) in session.connection().execute(bearing).all():
        session.exec(delete(FindingRow).where(col(FindingRow.trial_id) == trial_id))
        was_changed(session, trial_id)
