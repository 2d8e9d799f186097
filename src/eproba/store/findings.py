"""Findings: what a finished trial showed, kept so that lists need not judge."""

import math

from sqlalchemy import delete
from sqlmodel import Session, col, select

from eproba.store.tables import FindingRow, TrialMeasureRow, TrialRow


def keep_finding(session: Session, trial_id: int, lines: list[dict[str, str]], noise_sd: float | None) -> None:
    """Keep the lines (verdict and sentence for each comparison) and the noise from unit to unit."""
    session.merge(FindingRow(trial_id=trial_id, lines=lines, noise_sd=noise_sd))


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


def forget_finding(session: Session, trial_id: int) -> None:
    """Something changed: the finding must be made anew."""
    session.exec(delete(FindingRow).where(col(FindingRow.trial_id) == trial_id))
