"""A trial carried on with the same units and lots: rows of its own, from the plan of the earlier one."""

from dataclasses import replace
from datetime import datetime
from typing import Any, TypeVar

from sqlmodel import Session, SQLModel, col, select

from eproba.core.trial.carrying import Carrying, must_be_there, next_year
from eproba.core.trial.model import Trial
from eproba.store.commands.locks import lock_trial
from eproba.store.commands.trials import count_alive, declare_trial, new_key
from eproba.store.mapping import unit_row
from eproba.store.tables import PourRow, RoundRow, TreatmentRow, TrialMeasureRow, TrialRow

NAMES = {"lasted": "{}: did it last?", "again": "{}, {:%Y}"}
LONGEST_NAME = 120
# What became of the earlier trial, and is to come of this one.
RECORD = {
    "id", "declared_at", "declaration", "fingerprint", "ended_on", "ended_reason", "started_on", "closed_at", "came",
}  # fmt: skip

Row = TypeVar("Row", bound=SQLModel)


def carry_on(session: Session, trial_id: int, wish: Carrying, by: str, now: datetime) -> int:
    """Lay down the trial that goes on, and declare it at once; returns its id.

    Raises
    ------
    CarryError
        Its units are gone, or its places took turns.
    """
    trial = lock_trial(session, trial_id)
    must_be_there(trial)
    earlier, same = session.get_one(TrialRow, trial_id), wish.measure.key == trial.asked[0].measure.key
    days = wish.days if wish.carried == "lasted" else next_year(trial)
    rules = replace(trial.rules, carried=wish.carried, after=trial.key, pulls=(), repeats=0.0, level=None)
    if wish.carried == "lasted":
        rules = replace(rules, handling="")  # that was for the days of pouring
    row = _again(
        earlier,
        key=new_key(),
        name=NAMES[wish.carried].format(trial.name, wish.start_on)[:LONGEST_NAME],
        claim=trial.claim if wish.carried == "again" else "",
        note="",
        worth=earlier.worth if same else None,
        scale=trial.scale if same else wish.measure.scale,
        lower_is_better=trial.lower_is_better if same else wish.measure.lower_is_better,
        no_worse=trial.no_worse and same,
        summary="last",
        start_on=wish.start_on,
        decision_day=max(days),
        blind=False,
        rules=vars(rules),
        made_at=now,
        made_by=by,
    )
    session.add(row)
    session.flush()
    _lay_down(session, trial, row.id, wish, days)
    declare_trial(session, row.id, now)
    return row.id


def _again(row: Row, **changes: Any) -> Row:
    """A new row like another, without what became of that one."""
    return type(row)(**{**row.model_dump(exclude=RECORD), **changes})


def _lay_down(session: Session, trial: Trial, trial_id: int, wish: Carrying, days: tuple[int, ...]) -> None:
    """Treatments, units, measure, rounds and, where the same is given again, its applications."""
    nothing = {"amount": None, "how": "nothing more is given"} if wish.carried == "lasted" else {}
    treatments = session.exec(select(TreatmentRow).where(col(TreatmentRow.trial_id) == trial.id)).all()
    session.add_all(_again(treatment, trial_id=trial_id, **nothing) for treatment in treatments)
    for unit in trial.units:
        row = unit_row(trial_id, unit)
        row.lost_on, row.lost_reason = unit.lost_on, unit.lost_reason
        session.add(row)
    asked = TrialMeasureRow(trial_id=trial_id, position=0, measure_key=wish.measure.key, per_unit=wish.per_unit)
    session.add(asked)
    session.add_all(RoundRow(trial_id=trial_id, day=day, key=new_key()) for day in days)
    if wish.carried == "again":
        planned = ("letter", "day", "what", "planned", "per")
        pours = ({name: getattr(pour, name) for name in planned} for pour in trial.pours)
        session.add_all(PourRow(trial_id=trial_id, **pour) for pour in pours)
    session.flush()
    count_alive(session, trial_id)
