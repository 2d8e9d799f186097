"""Opening the envelope before the decision day: on record, and paid for by what is judged later."""

from datetime import datetime

from sqlmodel import Session

from eproba.core.errors import EprobaError
from eproba.core.trial.stage import no_look
from eproba.store.commands.locks import lock_trial
from eproba.store.tables import LookRow


class NoLook(EprobaError):
    """There is nothing to open early; the message says why."""


def look_early(session: Session, trial_id: int, now: datetime, by: str, reason: str) -> int:
    """Put a look on record; the day that it is for. A second look on one day costs nothing, and is the first one.

    Raises
    ------
    NoLook
        The envelope is open already, the day is not one for it, or no reason is given.
    """
    trial = lock_trial(session, trial_id)
    today = now.astimezone().date()
    day = trial.day_of(today)
    if why := no_look(day, trial.decision_day, trial.sealed(today)):
        raise NoLook(why)
    if not reason:
        raise NoLook("Say why: the look stands on record with its reason.")
    if all(look.day != day for look in trial.looks):
        session.add(LookRow(trial_id=trial_id, day=day, at=now, by=by, reason=reason))
    return day
