"""Applications: what became of each, with what stood on record before, and the litres that they took from a batch."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import delete, update
from sqlmodel import Session, col

from eproba.core.trial.model import Pour
from eproba.core.trial.moving import Move
from eproba.store.commands.batches import take
from eproba.store.commands.findings import forget_finding
from eproba.store.commands.locks import Changed, lock_trial
from eproba.store.commands.rounds import follow_pours
from eproba.store.commands.trials import declare_once, mark_started
from eproba.store.tables import AmendmentRow, PourChangeRow, PourRow


@dataclass(frozen=True)
class PourLog:
    """What is put on record of one application: `seen` as it was shown, the new `values` by column, and the litres of
    concentrate (batch id → litres) that it took."""

    seen: Pour
    values: Mapping[str, Any]
    took: Mapping[int, float]


def log_pours(session: Session, trial_id: int, logs: Sequence[PourLog], by: str, now: datetime) -> None:
    """Put applications on record, all or none.

    Raises
    ------
    Changed
        Somebody else put one of them on record since it was shown.
    """
    trial = lock_trial(session, trial_id)
    pours = {pour.id: pour for pour in trial.pours}
    for log in logs:
        if pours.get(log.seen.id) != log.seen:
            text = f"Somebody else put treatment {log.seen.letter} of this day on record meanwhile"
            raise Changed(f"{text}: look at what stands there now, then keep yours if it is right.")
    declare_once(session, trial, now)
    sealed = trial.sealed(now.astimezone().date())
    for log in sorted(logs, key=lambda log: log.seen.id):
        if log.seen.status != "due":
            was = {name: _plain(getattr(log.seen, _FIELDS.get(name, name))) for name in log.values}
            session.add(PourChangeRow(pour_id=log.seen.id, was=was, by=by, at=now, sealed=sealed))
        values = {**log.values, "by": by, "entered_at": now}
        session.exec(update(PourRow).where(col(PourRow.id) == log.seen.id).values(**values))
    for batch_id, pour_id, litres in sorted(_taken(logs)):
        take(session, batch_id, pour_id, litres, by, now)
    late = {log.seen.day: trial.day_of(on) for log in logs if (on := log.values.get("done_on")) is not None}
    follow_pours(session, trial, {day: done for day, done in late.items() if day != done}, by, now)
    mark_started(session, trial, now.astimezone().date())
    forget_finding(session, trial_id)


def move_pours(session: Session, trial_id: int, moved: Move, reason: str, by: str, now: datetime) -> None:
    """Give pours their new days; a declared plan keeps old and new, with the reason.

    Raises
    ------
    Changed
        One of them was put on record meanwhile.
    """
    trial = lock_trial(session, trial_id)
    due = {pour.id for pour in trial.pours if pour.status == "due"}
    if not {*moved.days, *moved.dropped} <= due:
        raise Changed("One of these pours was put on record meanwhile: look at what stands there now.")
    today = now.astimezone().date()
    session.exec(delete(PourRow).where(col(PourRow.id).in_(moved.dropped)))
    later = sum(moved.new) >= sum(moved.old[: len(moved.new)])
    for pour_id, day in sorted(moved.days.items(), key=lambda change: change[1], reverse=later):
        session.exec(update(PourRow).where(col(PourRow.id) == pour_id).values(day=day))
    if trial.declared is not None:
        old, new = moved.told
        change = AmendmentRow(trial_id=trial_id, on=today, what="pours", old=old, new=new, reason=reason, by=by)
        session.add(change)
    days = {pour.id: pour.day for pour in trial.pours}
    follow_pours(session, trial, {days[pour_id]: day for pour_id, day in moved.days.items()}, by, now)
    forget_finding(session, trial_id)


_FIELDS = {"batch_id": "batch", "other_batch_id": "other_batch"}


def _plain(value: Any) -> Any:
    return value.isoformat() if isinstance(value, date) else dict(value) if isinstance(value, Mapping) else value


def _taken(logs: Sequence[PourLog]) -> list[tuple[int, int, float]]:
    """Batch, application and litres, in one order for everybody, so that nobody waits for a lock in a ring."""
    return [(batch_id, log.seen.id, litres) for log in logs for batch_id, litres in log.took.items()]
