"""Trials: laying one down, dealing, declaring, amending, ending and deleting it."""

import secrets
from dataclasses import replace
from datetime import date, datetime
from typing import Any

from sqlalchemy import delete, update
from sqlmodel import Session, col, select

from eproba.core.planning.plan import Plan, dealt_units
from eproba.core.trial.declaration import declare
from eproba.core.trial.ground import site_entry
from eproba.core.trial.lots import ALGORITHM, ALGORITHMS, LotsError, deal
from eproba.core.trial.model import RoundTime, Rules, SpareRun, Trial
from eproba.core.trial.worth import kept_worth
from eproba.store.commands.findings import forget_finding
from eproba.store.commands.locks import lock_trial, unchanged
from eproba.store.mapping import unit_from, unit_row
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


def new_key() -> str:
    """A name that no other database gives to anything."""
    return secrets.token_hex(8)


def create_trial(session: Session, plan: Plan, seed: str, now: datetime, by: str = "", deals: int = 0) -> int:
    """Deal the lots and lay the whole trial down; returns its id. `deals`: how often they fell before."""
    row = TrialRow(
        key=new_key(),
        made_at=now,
        made_by=by,
        name=plan.name,
        claim=plan.claim,
        note=plan.note,
        worth=_worth_kept(session, plan),
        scale=plan.scale,
        lower_is_better=plan.lower_is_better,
        summary=plan.summary,
        start_on=plan.start_on,
        decision_day=plan.rhythm.decision_day,
        dealing=plan.layout.dealing,
        seed=seed,
        algorithm=ALGORITHMS.get(plan.layout.dealing, ALGORITHM),
        dealt_at=now,
        deals=deals + 1,
        site=site_entry(plan.layout.site),
        guard_cm=plan.layout.guard_cm,
        control=plan.letters[plan.control],
        no_worse=plan.no_worse,
        ranked=plan.ranked,
        compared=plan.compared,
        blind=plan.blind,
        batches=plan.batches,
        rules=vars(_rules_kept(session, plan)),
    )
    session.add(row)
    session.flush()
    trial_id = row.id
    for letter, treatment in zip(plan.letters, plan.treatments, strict=True):
        session.add(TreatmentRow(trial_id=trial_id, letter=letter, **vars(treatment)))
    session.add_all(PourRow(trial_id=trial_id, **vars(application)) for application in plan.applications)
    for position, measure in enumerate(plan.measures):
        session.add(
            TrialMeasureRow(
                trial_id=trial_id,
                position=position,
                measure_key=measure.key,
                per_unit=measure.per_unit,
                sown=measure.sown,
                days=None if measure.days is None else list(measure.days),
            )
        )
    session.add_all(unit_row(trial_id, unit) for unit in dealt_units(plan, seed))
    pulls = plan.rules.pulls or (plan.rhythm.decision_day,)
    session.add_all(
        RoundRow(trial_id=trial_id, day=day, key=new_key(), pull=day in pulls, **vars(plan.hours.get(day, RoundTime())))
        for day in plan.rhythm.rounds
    )
    session.flush()
    count_alive(session, trial_id)
    return trial_id


def _rules_kept(session: Session, plan: Plan) -> Rules:
    """The rules, with the level to be reached in the unit of the record."""
    if plan.rules.level is None:
        return plan.rules
    return replace(plan.rules, level=all_measures(session)[plan.measures[0].key].conversion.kept(plan.rules.level))


def _worth_kept(session: Session, plan: Plan) -> float | None:
    """The worth in the unit of the record."""
    return kept_worth(plan.worth, plan.scale, plan.summary, all_measures(session)[plan.measures[0].key])


def count_alive(session: Session, trial_id: int) -> None:
    """What lists and brews ask for at every look: how many units of each treatment live, how much goes onto them."""
    rows = session.exec(select(UnitRow).where(col(UnitRow.trial_id) == trial_id, col(UnitRow.lost_on).is_(None)))
    units = [unit_from(row) for row in rows]
    turns = session.get_one(TrialRow, trial_id).dealing == "on and off"
    for treatment in session.exec(select(TreatmentRow).where(col(TreatmentRow.trial_id) == trial_id)):
        own = [unit.cut for unit in units if unit.letter == treatment.letter]
        if turns and own:  # one place has its turn at a time
            own = own[:1]
        treatment.alive, treatment.ground = len(own), sum(cut.ground_m2 for cut in own)
        session.add(treatment)
    session.flush()


def deal_again(session: Session, trial_id: int, seed: str, now: datetime) -> None:
    """New lots before anything is on record; the deals are counted.

    Raises
    ------
    LotsError
        The plan is declared, or something is on record.
    """
    trial = lock_trial(session, trial_id)
    if trial.started or trial.declared:
        raise LotsError("The plan is declared, or something is on record: the lots stay as they fell.")
    letters = deal(trial.dealing, [t.letter for t in trial.treatments], len(trial.units) // len(trial.treatments), seed)
    for unit, letter in zip(trial.units, letters, strict=True):
        session.exec(update(UnitRow).where(col(UnitRow.id) == unit.id).values(letter=letter))
    count_alive(session, trial_id)
    changed = {"seed": seed, "deals": trial.deals + 1, "dealt_at": now}
    session.exec(update(TrialRow).where(col(TrialRow.id) == trial.id).values(**changed))


def declare_trial(session: Session, trial_id: int, now: datetime) -> None:
    """Freeze the plan with its fingerprint, once."""
    declare_once(session, lock_trial(session, trial_id), now)


def declare_once(session: Session, trial: Trial, now: datetime) -> None:
    """The first record freezes the plan where nobody declared it."""
    if trial.declared is not None:
        return
    declared = declare(trial, now)
    frozen = {"declared_at": now, "declaration": dict(declared.facts), "fingerprint": declared.fingerprint}
    session.exec(update(TrialRow).where(col(TrialRow.id) == trial.id).values(**frozen))


def amend(
    session: Session, trial: Trial, column: str, what: str, change: tuple[str, str], value: Any, reason: str, by: str,
    on: date,
) -> None:  # fmt: skip
    """Change one frozen fact of a declared trial; `told` is the old and the new value in words."""
    session.exec(update(TrialRow).where(col(TrialRow.id) == trial.id).values(**{column: value}))
    session.add(AmendmentRow(trial_id=trial.id, on=on, what=what, old=change[0], new=change[1], reason=reason, by=by))
    forget_finding(session, trial.id)


def move_decision(session: Session, trial: Trial, day: int) -> None:
    """Move the last round to the new decision day; rounds and pours planned after it fall away."""
    last = trial.rounds[-1]
    rounds = (col(RoundRow.trial_id) == trial.id, col(RoundRow.day) >= day, col(RoundRow.id) != last.id)
    pours = (col(PourRow.trial_id) == trial.id, col(PourRow.day) >= day, col(PourRow.status) == "due")
    session.exec(delete(RoundRow).where(*rounds))
    session.exec(delete(PourRow).where(*pours))
    session.exec(update(RoundRow).where(col(RoundRow.id) == last.id).values(day=day))


def amend_treatment(
    session: Session, trial: Trial, letter: str, how: str, recipe: str, reason: str, by: str, on: date
) -> None:
    """Change how a treatment is given and what it is brewed by, in a declared trial."""
    old = trial.treatment(letter)
    where = (col(TreatmentRow.trial_id) == trial.id, col(TreatmentRow.letter) == letter)
    session.exec(update(TreatmentRow).where(*where).values(how=how, recipe=recipe))
    brewed = (f", {old.recipe}", f", {recipe}") if recipe != old.recipe else ("", "")
    change = (f"“{old.how}” ({old.name}{brewed[0]})", f"“{how}”{brewed[1]}")
    session.add(
        AmendmentRow(trial_id=trial.id, on=on, what="treatments", old=change[0], new=change[1], reason=reason, by=by)
    )
    forget_finding(session, trial.id)


def record_spare_run(session: Session, trial_id: int, run: SpareRun) -> None:
    """Put a spare plant's fate on record."""
    session.add(SpareRunRow(trial_id=trial_id, **vars(run)))
    forget_finding(session, trial_id)


def end_early(session: Session, trial_id: int, on: date, reason: str) -> None:
    """Stop the trial before its decision day, with the reason; what ended once stays ended so."""
    if lock_trial(session, trial_id).ended_on is not None:
        return
    session.exec(update(TrialRow).where(col(TrialRow.id) == trial_id).values(ended_on=on, ended_reason=reason))
    forget_finding(session, trial_id)


def lose_unit(session: Session, trial_id: int, unit_id: int, on: date | None, reason: str, by: str, now: date) -> None:
    """Put a unit down as lost from a day on, or (on=None) as found again; with the envelope open that is an amendment,
    since it may turn the verdict."""
    trial = lock_trial(session, trial_id)
    unit = trial.unit(unit_id)
    where = (col(UnitRow.id) == unit_id, col(UnitRow.trial_id) == trial_id)
    session.exec(update(UnitRow).where(*where).values(lost_on=on, lost_reason=reason))
    count_alive(session, trial_id)
    if not trial.sealed(now):
        old = "there" if unit.lost_on is None else f"lost ({unit.lost_reason})"
        new = "there" if on is None else "lost"
        what, why = f"unit {unit.code}", reason or "found again"
        session.add(AmendmentRow(trial_id=trial_id, on=now, what=what, old=old, new=new, reason=why, by=by))
    forget_finding(session, trial_id)


def note_trial(session: Session, trial_id: int, note: str, seen: str) -> None:
    """Write the trial's note over the one that was seen.

    Raises
    ------
    Changed
        Somebody else wrote another meanwhile.
    """
    unchanged(seen, lock_trial(session, trial_id).note, note, "the note")
    session.exec(update(TrialRow).where(col(TrialRow.id) == trial_id).values(note=note))


def say_garden(session: Session, trial_id: int, garden: str) -> None:
    """Which garden the trial stands in."""
    lock_trial(session, trial_id)
    session.exec(update(TrialRow).where(col(TrialRow.id) == trial_id).values(garden=garden))


def take_back(session: Session, trial_id: int) -> Trial:
    """Take a dealt trial away before anything is on record, so that its plan can be changed; its deals are counted.

    Raises
    ------
    LotsError
        The plan is declared, or something is on record.
    """
    trial = lock_trial(session, trial_id)
    if trial.started or trial.declared:
        raise LotsError("The plan is declared, or something is on record: amend it, or plan it again.")
    delete_trial(session, trial_id)
    return trial


def delete_trial(session: Session, trial_id: int) -> None:
    """Delete the trial and all that hangs on it."""
    session.exec(delete(TrialRow).where(col(TrialRow.id) == trial_id))


def mark_started(session: Session, trial: Trial, on: date) -> None:
    """The first record: from now on the trial runs, and its lots stay as they are."""
    if trial.started_on is None:
        session.exec(update(TrialRow).where(col(TrialRow.id) == trial.id).values(started_on=on))
