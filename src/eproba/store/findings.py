"""Findings: what a finished trial showed, kept so that lists need not judge."""

import math
from typing import Any

from sqlalchemy import or_
from sqlmodel import Session, col, select

from eproba.store.tables import FindingRow, TrialMeasureRow, TrialRow


def own_noise(session: Session, measure_key: str, scale: str) -> tuple[float, int] | None:
    """The noise SD of the gardener's own finished trials with this first measure (pooled), and how many they are."""
    query = (
        select(FindingRow.noise_sd)
        .join(TrialRow, col(TrialRow.id) == col(FindingRow.trial_id))
        .join(TrialMeasureRow, col(TrialMeasureRow.trial_id) == col(TrialRow.id))
        .where(
            TrialMeasureRow.measure_key == measure_key,
            TrialMeasureRow.position == 0,
            TrialRow.scale == scale,
            col(FindingRow.noise_sd).is_not(None),
        )
    )
    found = [sd for sd in session.exec(query) if sd]
    return (math.sqrt(sum(sd**2 for sd in found) / len(found)), len(found)) if found else None


def finding_of(session: Session, trial_id: int) -> list[dict[str, str]] | None:
    """What is kept of a trial's judgement."""
    row = session.get(FindingRow, trial_id)
    return None if row is None else row.lines


def also_found(session: Session, trial_id: int) -> list[dict[str, Any]] | None:
    """What is kept of a trial's other measures; None where nothing is."""
    row = session.get(FindingRow, trial_id)
    return None if row is None else row.also


def unjudged(session: Session, trial_id: int | None = None) -> list[int]:
    """Trials (or this one) that are over, and of which nothing is found yet: judged never, or changed since."""
    over = or_(col(TrialRow.ended_on).is_not(None), col(TrialRow.closed_at).is_not(None))
    query = select(TrialRow.id).outerjoin(FindingRow, col(FindingRow.trial_id) == col(TrialRow.id))
    query = query.where(over, col(FindingRow.trial_id).is_(None)).order_by(col(TrialRow.id))
    return list(session.exec(query if trial_id is None else query.where(col(TrialRow.id) == trial_id)))
