"""Who may write: one at a time, and only over what he has seen."""

from typing import cast

from sqlalchemy import func, select
from sqlmodel import Session, col

from eproba.core.errors import EprobaError
from eproba.core.trial.model import Trial
from eproba.store.tables import TrialRow
from eproba.store.trials import load_trial


class Changed(EprobaError):
    """Somebody else wrote here meanwhile; `there` is what stands now. Nothing was overwritten."""

    def __init__(self, message: str, known_state: str = "") -> None:
        super().__init__(message)
        self.there = known_state


class Gone(EprobaError):
    """What was to be changed is not there any more."""


def was_changed(session: Session, trial_id: int) -> None:
    """Remember that this transaction writes to a trial, so that what was found of it is looked at after the commit."""
    session.info.setdefault("changed", set()).add(trial_id)


def changed_trials(session: Session) -> set[int]:
    """The trials that were written to since the last commit; they are asked for once."""
    return cast("set[int]", session.info.pop("changed", set()))


def lock_trial(session: Session, trial_id: int) -> Trial:
    """The trial as it is now, held until the commit, so that whatever is checked against it stays true.

    Raises
    ------
    Gone
        The trial was deleted.
    """
    held = select(col(TrialRow.id)).where(col(TrialRow.id) == trial_id).with_for_update(key_share=True)
    if session.connection().execute(held).first() is None:
        raise Gone("This trial is gone: it was deleted meanwhile.")
    session.expire_all()
    was_changed(session, trial_id)
    trial = load_trial(session, trial_id)
    if trial is None:
        raise Gone("This trial is gone: it was deleted meanwhile.")
    return trial


def lock_name(session: Session, name: str) -> None:
    """Hold a name (of a recipe, of the door) until the commit, where there is no row to lock."""
    session.connection().execute(select(func.pg_advisory_xact_lock(func.hashtextextended(name, 0))))


def unchanged(seen: str, known_state: str, mine: str, what: str) -> None:
    """Refuse to write over a text that was changed since it was seen.

    Raises
    ------
    Changed
        Where `there` is neither what was seen nor what is to be written.
    """
    if known_state not in (seen, mine):
        text = f"Somebody else changed {what} meanwhile. Yours is still in the field"
        raise Changed(f"{text}; keep it again if it is right.", known_state)
