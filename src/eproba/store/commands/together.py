"""Leaving a trial out of those of its question, with the reason, and taking it in again."""

from datetime import datetime

from sqlalchemy import delete
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col

from eproba.core.errors import EprobaError
from eproba.store.commands.locks import lock_trial
from eproba.store.tables import LeftOutRow


class NotLeftOut(EprobaError):
    """A trial that can't be left out so; the message says why."""


def leave_out(session: Session, trial_id: int, letter: str, reason: str, by: str, now: datetime) -> None:
    """The trial's treatment no longer counts among those of its question.

    Raises
    ------
    NotLeftOut
        No reason is given, or the trial has no such treatment.
    """
    trial = lock_trial(session, trial_id)
    if not reason:
        raise NotLeftOut("Say why it does not count: whoever looks at these trials reads the reason.")
    if letter not in {treatment.letter for treatment in trial.treatments}:
        raise NotLeftOut("The trial has no such treatment.")
    kept = {"reason": reason, "by": by, "at": now}
    put = insert(LeftOutRow).values(trial_id=trial_id, letter=letter, **kept)
    session.connection().execute(put.on_conflict_do_update(index_elements=["trial_id", "letter"], set_=kept))


def take_in_again(session: Session, trial_id: int, letter: str) -> None:
    """It counts again."""
    where = (col(LeftOutRow.trial_id) == trial_id, col(LeftOutRow.letter) == letter)
    session.exec(delete(LeftOutRow).where(*where))
