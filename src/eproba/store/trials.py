"""Trials: laying one down, fetching it whole, ending, copying and deleting it."""

from collections.abc import Sequence
from datetime import date, datetime
from typing import Any

from sqlalchemy import delete, update
from sqlmodel import Session, col, select

from eproba.core.planning.plan import Plan, dealt_units
from eproba.core.trial.declaration import declare
from eproba.core.trial.ground import site_entry
from eproba.core.trial.lots import ALGORITHM, SQUARE_ALGORITHM, deal
from eproba.core.trial.model import SpareRun, Trial
from eproba.store.findings import forget_finding
from eproba.store.mapping import trial_from, unit_row
from eproba.store.measures import all_measures
from eproba.store.tables import (
    AmendmentRow,
    PourRow,
    RoundRow,
    SpareRunRow,
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
        dealing=plan.layout.dealing,
        seed=seed,
        algorithm=SQUARE_ALGORITHM if plan.layout.dealing == "Latin square" else ALGORITHM,
        dealt_at=now,
        site=site_entry(plan.layout.site),
        guard_cm=plan.layout.guard_cm,
        control=plan.letters[plan.control],
        no_worse=plan.no_worse,
        blind=plan.blind,
        batches=plan.batches,
        rules=vars(plan.rules),
    )
    session.add(row)
    session.flush()
    trial_id = row.id or 0
    for letter, treatment in zip(plan.letters, plan.treatments, strict=True):
        session.add(TreatmentRow(trial_id=trial_id, letter=letter, **vars(treatment)))
        if treatment.amount is not None:
            session.add_all(PourRow(trial_id=trial_id, letter=letter, day=day) for day in plan.rhythm.pours)
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
    session.add_all(RoundRow(trial_id=trial_id, day=day) for day in plan.rhythm.rounds)
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
        _all(session, AmendmentRow, trial_id, AmendmentRow.id),
        _all(session, SpareRunRow, trial_id, SpareRunRow.id),
    )


def trial_of_unit(session: Session, unit_id: int) -> int | None:
    """The trial that a unit belongs to."""
    return session.exec(select(UnitRow.trial_id).where(UnitRow.id == unit_id)).first()


def _all(session: Session, table: Any, trial_id: int, *order: Any) -> Sequence[Any]:
    return session.exec(select(table).where(table.trial_id == trial_id).order_by(*order)).all()


def deal_again(session: Session, trial: Trial, seed: str, now: datetime) -> None:
    """New lots before anything is on record; the deals are counted."""
    letters = deal(trial.dealing, [t.letter for t in trial.treatments], len(trial.units) // len(trial.treatments), seed)
    for unit, letter in zip(trial.units, letters, strict=True):
        session.exec(update(UnitRow).where(col(UnitRow.id) == unit.id).values(letter=letter))
    changed = {"seed": seed, "deals": trial.deals + 1, "dealt_at": now}
    session.exec(update(TrialRow).where(col(TrialRow.id) == trial.id).values(**changed))


def declare_trial(session: Session, trial_id: int, now: datetime) -> None:
    """Freeze the plan with its fingerprint, once; the first record does it where nobody did."""
    open_one = select(TrialRow.id).where(TrialRow.id == trial_id, col(TrialRow.declared_at).is_(None))
    if session.exec(open_one).first() is None:
        return
    trial = load_trial(session, trial_id)
    if trial is None:
        return
    declared = declare(trial, now)
    frozen = {"declared_at": now, "declaration": dict(declared.facts), "fingerprint": declared.fingerprint}
    session.exec(update(TrialRow).where(col(TrialRow.id) == trial_id).values(**frozen))


def amend(
    session: Session, trial: Trial, column: str, what: str, told: tuple[str, str], value: Any, reason: str, by: str,
    on: date,
) -> None:  # fmt: skip
    """Change one frozen fact of a declared trial; `told` is the old and the new value in words."""
    session.exec(update(TrialRow).where(col(TrialRow.id) == trial.id).values(**{column: value}))
    session.add(AmendmentRow(trial_id=trial.id, on=on, what=what, old=told[0], new=told[1], reason=reason, by=by))
    forget_finding(session, trial.id)


def move_decision(session: Session, trial: Trial, day: int) -> None:
    """Move the last round to the new decision day; rounds and pours planned after it fall away."""
    last = trial.rounds[-1]
    rounds = (col(RoundRow.trial_id) == trial.id, col(RoundRow.day) >= day, col(RoundRow.id) != last.id)
    pours = (col(PourRow.trial_id) == trial.id, col(PourRow.day) >= day, col(PourRow.status) == "due")
    session.exec(delete(RoundRow).where(*rounds))
    session.exec(delete(PourRow).where(*pours))
    session.exec(update(RoundRow).where(col(RoundRow.id) == last.id).values(day=day))


def amend_treatment(session: Session, trial: Trial, letter: str, how: str, reason: str, by: str, on: date) -> None:
    """Change how a treatment is given, in a declared trial."""
    old = trial.treatment(letter)
    where = (col(TreatmentRow.trial_id) == trial.id, col(TreatmentRow.letter) == letter)
    session.exec(update(TreatmentRow).where(*where).values(how=how))
    told = (f"“{old.how}” ({old.name})", f"“{how}”")
    session.add(
        AmendmentRow(trial_id=trial.id, on=on, what="treatments", old=told[0], new=told[1], reason=reason, by=by)
    )
    forget_finding(session, trial.id)


def record_spare_run(session: Session, trial_id: int, run: SpareRun) -> None:
    """Put a spare plant's fate on record."""
    session.add(SpareRunRow(trial_id=trial_id, **vars(run)))
    forget_finding(session, trial_id)


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
