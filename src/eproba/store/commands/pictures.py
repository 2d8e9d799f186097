"""Pictures: kept once however often they are sent, sorted, decided on, thrown away."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from sqlmodel import Session, select

from eproba.core.errors import EprobaError
from eproba.core.trial.model import Round, Trial, Unit
from eproba.core.trial.readings import Entry
from eproba.store.commands.locks import Gone, lock_trial
from eproba.store.commands.readings import Sender, Sent, take_entries
from eproba.store.readings import readings_of
from eproba.store.tables import PictureRow

TYPED_THERE = "Somebody typed this reading: it stays. Correct it in the table of readings, or say no here."
WHY = "read off a picture"


class PictureError(EprobaError):
    """A picture that can't be kept so; the message says what would fit."""


def add_picture(session: Session, trial_id: int, digest: str, jpeg: bytes, now: datetime, **facts: Any) -> int:
    """Keep a picture; one that is there already stays as it is. Returns its id. Raises Gone."""
    lock_trial(session, trial_id)
    known = select(PictureRow.id).where(PictureRow.trial_id == trial_id, PictureRow.digest == digest)
    row_known = session.exec(known).first()
    if row_known is not None:
        return row_known
    row = PictureRow(trial_id=trial_id, digest=digest, jpeg=jpeg, size=len(jpeg), came_at=now, **facts)
    session.add(row)
    session.flush()
    return row.id


def change_picture(session: Session, trial_id: int, picture_id: int, **changes: Any) -> PictureRow:
    """Sort it, outline it, say yes or no.

    Raises
    ------
    Gone
        It was thrown away.
    PictureError
        A unit or round of another trial.
    """
    trial = lock_trial(session, trial_id)
    row = session.get(PictureRow, picture_id)
    if row is None or row.trial_id != trial_id:
        raise Gone("This picture was thrown away.")
    if changes.get("unit_id") not in {None, *(unit.id for unit in trial.units)}:
        raise PictureError("Choose a unit of this trial.")
    if changes.get("round_id") not in {None, *(round_.id for round_ in trial.rounds)}:
        raise PictureError("Choose a round of this trial.")
    for name, value in changes.items():
        setattr(row, name, value)
    session.add(row)
    session.flush()
    return row


def decide_on_picture(session: Session, trial: Trial, row: PictureRow, yes: bool, sender: Sender) -> None:
    """A yes writes its numbers as readings; a no keeps the picture alone.

    Raises
    ------
    PictureError
        It has no unit or round yet, or a reading is refused.
    """
    unit = next((unit for unit in trial.units if unit.id == row.unit_id), None)
    this = next((round_ for round_ in trial.rounds if round_.id == row.round_id), None)
    if unit is None or this is None:
        raise PictureError("Say first which unit it shows, and in which round.")
    row.kept = yes
    if not yes:
        return
    for answer in take_entries(session, _read_off(session, trial, row, unit, this, sender.now), sender):
        if answer.status != "saved":
            raise PictureError(answer.why or TYPED_THERE)


def _read_off(
    session: Session, trial: Trial, row: PictureRow, unit: Unit, this: Round, now: datetime
) -> Sequence[Sent]:
    """The numbers as entries of what the round asks, read on the day on which the picture was taken; they replace what
    an earlier picture gave."""
    taken_at = row.taken_at or now
    readings_known = {(r.unit_id, r.measure_key): r for r in readings_of(session, trial.id, this.id, blanks=True)}
    sent = []
    for key in (asked.measure.key for asked in trial.asked_in(this) if asked.measure.kind == "photo"):
        value = row.numbers.get(key)
        if value is None:
            continue
        entry = Entry(unit.code, key, 1, f"{value:.3f}", taken_at.astimezone().date(), sure=True, reason=WHY)
        before = readings_known.get((unit.id, key))
        seen = before.version if before is not None and before.source == "photo" else 0
        name = f"picture-{row.digest[:32]}-{key}-{value:.3f}-{seen}"
        sent.append(Sent(name, trial.key, this.key, entry, taken_at, seen))
    return sent


def drop_picture(session: Session, trial_id: int, picture_id: int) -> None:
    """Throw a picture away; readings that were taken from it stay."""
    row = session.get(PictureRow, picture_id)
    if row is not None and row.trial_id == trial_id:
        session.delete(row)
