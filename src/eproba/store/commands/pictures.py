"""Pictures: kept once however often they are sent, sorted, decided on, thrown away."""

from datetime import datetime
from typing import Any

from sqlmodel import Session, select

from eproba.core.errors import EprobaError
from eproba.store.commands.locks import Gone, lock_trial
from eproba.store.tables import PictureRow


class PictureError(EprobaError):
    """A picture that can't be kept so; the message says what would fit."""


def add_picture(session: Session, trial_id: int, digest: str, jpeg: bytes, now: datetime, **told: Any) -> int:
    """Keep a picture; one that is there already stays as it is. Returns its id. Raises Gone."""
    lock_trial(session, trial_id)
    known = select(PictureRow.id).where(PictureRow.trial_id == trial_id, PictureRow.digest == digest)
    there = session.exec(known).first()
    if there is not None:
        return there
    row = PictureRow(trial_id=trial_id, digest=digest, jpeg=jpeg, size=len(jpeg), came_at=now, **told)
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
    if changes.get("round_id") not in {None, *(each.id for each in trial.rounds)}:
        raise PictureError("Choose a round of this trial.")
    for name, value in changes.items():
        setattr(row, name, value)
    session.add(row)
    session.flush()
    return row


def drop_picture(session: Session, trial_id: int, picture_id: int) -> None:
    """Throw a picture away; readings that were taken from it stay."""
    row = session.get(PictureRow, picture_id)
    if row is not None and row.trial_id == trial_id:
        session.delete(row)
