"""Findings: what a finished trial showed, kept so that lists need not judge."""

import math
from typing import Any

from sqlalchemy import func, or_
from sqlalchemy import select as columns
from sqlmodel import Session, col, select

from eproba.core.measuring.measures import Measure, OwnNoise
from eproba.core.trial.lots import BLOCKED
from eproba.store.database import once
from eproba.store.tables import FindingRow, TreatmentRow, TrialMeasureRow, TrialRow, UnitRow


def own_noise(session: Session, measure: Measure, scale: str) -> OwnNoise | None:
    """The noise of the gardener's own finished trials with this first measure, pooled, as of one reading a unit."""
    return once(session, ("own noise", measure.key, scale), lambda: _own_noise(session, measure, scale))


def _own_noise(session: Session, measure: Measure, scale: str) -> OwnNoise | None:
    units, treatments = (
        select(func.count()).where(col(table.trial_id) == col(TrialRow.id)).scalar_subquery()
        for table in (UnitRow, TreatmentRow)
    )
    query = (
        columns(FindingRow.noise_sd, TrialMeasureRow.per_unit, TrialRow.dealing, units, treatments)  # type: ignore[call-overload]
        .join(TrialRow, col(TrialRow.id) == col(FindingRow.trial_id))
        .join(TrialMeasureRow, col(TrialMeasureRow.trial_id) == col(TrialRow.id))
        .where(
            TrialMeasureRow.measure_key == measure.key,
            TrialMeasureRow.position == 0,
            TrialRow.scale == scale,
            col(FindingRow.noise_sd).is_not(None),
        )
    )
    noises = [
        ((sd or 0.0) / measure.averaged(readings), _left_for_noise(dealing, *counts))
        for sd, readings, dealing, *counts in session.connection().execute(query)
    ]
    df = sum(freedom for _, freedom in noises)
    pooled = math.sqrt(sum(freedom * sd**2 for sd, freedom in noises) / df) if df else 0.0
    return OwnNoise(pooled, df, len(noises)) if noises else None


def _left_for_noise(dealing: str, units: int, treatments: int) -> int:
    """Degrees of freedom that treatments and blocks leave."""
    blocks = units // treatments - 1 if dealing in BLOCKED else 0
    return max(1, units - treatments - blocks)


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
