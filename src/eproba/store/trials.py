"""Trials: laying one down, fetching it whole, ending, copying and deleting it."""

from collections.abc import Sequence
from datetime import date, datetime
from typing import Any

from sqlalchemy import delete, update
from sqlmodel import Session, col, select

from eproba.core.planning.days import pour_days, round_days
from eproba.core.planning.lots import ALGORITHM, deal
from eproba.core.planning.plan import Plan, dealt_units
from eproba.core.planning.trial import Trial
from eproba.store.findings import forget_finding
from eproba.store.mapping import trial_from, unit_row
from eproba.store.measures import all_measures
from eproba.store.tables import (
    PourRow,
    RoundRow,
    TreatmentRow,
    TrialMeasureRow,
    TrialRow,
    UnitRow,
)


def create_trial(session: Session, plan: Plan, seed: str, now: datetime) -> int:
    """Deal the lots and lay the whole trial down; returns its id."""
    row = TrialRow(
        name=plan.name,
        claim=plan.claim,
        note=plan.note,
        worth=plan.worth,
        scale=plan.scale,
        lower_is_better=plan.lower_is_better,
        summary=plan.summary,
        start_on=plan.start_on,
        decision_day=plan.rhythm.decision_day,
        dealing=plan.dealing,
        seed=seed,
        algorithm=ALGORITHM,
        dealt_at=now,
        ground_kind=plan.ground.kind,
        width_cm=plan.ground.width_cm,
        length_cm=plan.ground.length_cm,
        guard_cm=plan.ground.guard_cm,
        per_row=plan.ground.per_row,
        control=plan.letters[plan.control],
    )
    session.add(row)
    session.flush()
    trial_id = row.id or 0
    days = pour_days(plan.rhythm)
    for letter, treatment in zip(plan.letters, plan.treatments, strict=True):
        session.add(TreatmentRow(trial_id=trial_id, letter=letter, **vars(treatment)))
        if treatment.amount is not None:
            session.add_all(PourRow(trial_id=trial_id, letter=letter, day=day) for day in days)
    for position, measure in enumerate(plan.measures):
        session.add(
            TrialMeasureRow(
                trial_id=trial_id,
                position=position,
                measure_key=measure.key,
                per_unit=measure.per_unit,
                sown=measure.sown,
            )
        )
    session.add_all(unit_row(trial_id, unit) for unit in dealt_units(plan, seed))
    session.add_all(RoundRow(trial_id=trial_id, day=day) for day in round_days(plan.rhythm))
    session.flush()
    return trial_id


def load_trial(session: Session, trial_id: int) -> Trial | None:
    """The whole trial, or None."""
    row = session.get(TrialRow, trial_id)
    if row is None:
        return None
    return trial_from(
        row,
        all_measures(session),
        _all(session, TrialMeasureRow, trial_id, TrialMeasureRow.position),
        _all(session, TreatmentRow, trial_id, TreatmentRow.letter),
        _all(session, UnitRow, trial_id, UnitRow.id),
        _all(session, RoundRow, trial_id, RoundRow.day),
        _all(session, PourRow, trial_id, PourRow.day, PourRow.letter),
    )


def _all(session: Session, table: Any, trial_id: int, *order: Any) -> Sequence[Any]:
    return session.exec(select(table).where(table.trial_id == trial_id).order_by(*order)).all()


def deal_again(session: Session, trial: Trial, seed: str, now: datetime) -> None:
    """New lots before anything is on record; the deals are counted."""
    letters = deal(trial.dealing, [t.letter for t in trial.treatments], len(trial.units) // len(trial.treatments), seed)
    for unit, letter in zip(trial.units, letters, strict=True):
        session.exec(update(UnitRow).where(col(UnitRow.id) == unit.id).values(letter=letter))
    changed = {"seed": seed, "deals": trial.deals + 1, "dealt_at": now}
    session.exec(update(TrialRow).where(col(TrialRow.id) == trial.id).values(**changed))


def end_early(session: Session, trial_id: int, on: date, reason: str) -> None:
    """Stop the trial before its decision day, with the reason."""
    session.exec(update(TrialRow).where(col(TrialRow.id) == trial_id).values(ended_on=on, ended_reason=reason))
    forget_finding(session, trial_id)


def lose_unit(session: Session, trial_id: int, unit_id: int, on: date | None, reason: str) -> None:
    """Put a unit down as lost from a day on, or (on=None) as found again."""
    where = (col(UnitRow.id) == unit_id, col(UnitRow.trial_id) == trial_id)
    session.exec(update(UnitRow).where(*where).values(lost_on=on, lost_reason=reason))
    forget_finding(session, trial_id)


def note_trial(session: Session, trial_id: int, note: str) -> None:
    """Write the trial's note."""
    session.exec(update(TrialRow).where(col(TrialRow.id) == trial_id).values(note=note))


def delete_trial(session: Session, trial_id: int) -> None:
    """Delete the trial and all that hangs on it."""
    session.exec(delete(TrialRow).where(col(TrialRow.id) == trial_id))
