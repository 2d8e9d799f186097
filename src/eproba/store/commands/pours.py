"""Applications: what became of each, with what stood on record before, and the litres that they took from a batch."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import update
from sqlmodel import Session, col

from eproba.core.trial.model import Pour
from eproba.store.commands.batches import take
from eproba.store.commands.findings import forget_finding
from eproba.store.commands.locks import Changed, lock_trial
from eproba.store.commands.trials import declare_once, mark_started
from eproba.store.tables import PourChangeRow, PourRow


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
    there = {pour.id: pour for pour in trial.pours}
    for log in logs:
        if there.get(log.seen.id) != log.seen:
            text = f"Somebody else put treatment {log.seen.letter} of this day on record meanwhile"
            raise Changed(f"{text}: look at what stands there now, then keep yours if it is right.")
    declare_once(session, trial, now)
    sealed = trial.sealed(now.astimezone().date())
    for log in sorted(logs, key=lambda each: each.seen.id):
        if log.seen.status != "due":
            was = {name: _plain(getattr(log.seen, _FIELDS.get(name, name))) for name in log.values}
            session.add(PourChangeRow(pour_id=log.seen.id, was=was, by=by, at=now, sealed=sealed))
        values = {**log.values, "by": by, "entered_at": now}
        session.exec(update(PourRow).where(col(PourRow.id) == log.seen.id).values(**values))
    for batch_id, pour_id, litres in sorted(_taken(logs)):
        take(session, batch_id, pour_id, litres, by, now)
    mark_started(session, trial, now.astimezone().date())
    forget_finding(session, trial_id)


_FIELDS = {"batch_id": "batch"}


def _plain(value: Any) -> Any:
    return value.isoformat() if isinstance(value, date) else dict(value) if isinstance(value, Mapping) else value


def _taken(logs: Sequence[PourLog]) -> list[tuple[int, int, float]]:
    """Batch, application and litres, in one order for everybody, so that nobody waits for a lock in a ring."""
    return [(batch_id, log.seen.id, litres) for log in logs for batch_id, litres in log.took.items()]
