"""Trials that were deleted, found by what they asked."""

from collections.abc import Collection

from sqlalchemy import func, or_
from sqlmodel import Session, col, select

from eproba.core.trial.gone import GoneTrial
from eproba.store.database import once
from eproba.store.tables import GoneTrialRow


def gone_trials(session: Session, questions: Collection[str]) -> tuple[GoneTrial, ...]:
    """The deleted trials that asked any of these questions, the oldest first."""
    key = ("gone", *questions)
    return once(session, key, lambda: _gone_trials(session, questions)) if questions else ()


def _gone_trials(session: Session, questions: Collection[str]) -> tuple[GoneTrial, ...]:
    asked = or_(*(func.jsonb_exists(col(GoneTrialRow.questions), question) for question in questions))
    rows = session.exec(select(GoneTrialRow).where(asked).order_by(col(GoneTrialRow.on), col(GoneTrialRow.id)))
    return tuple(GoneTrial(row.name, row.key, row.deals, row.stage, row.day, row.on, row.fingerprint) for row in rows)
