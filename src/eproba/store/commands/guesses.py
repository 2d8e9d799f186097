"""A guess at the rows of pictures, kept once a person while the envelope is shut."""

from datetime import date

from sqlmodel import Session

from eproba.core.errors import EprobaError
from eproba.core.trial.strip import Guess
from eproba.store.commands.locks import lock_trial
from eproba.store.tables import GuessRow


class GuessRefused(EprobaError):
    """A guess that comes too late, or a second one; the message says why."""


def keep_guess(session: Session, trial_id: int, guess: Guess, today: date) -> None:
    """Keep what was said.

    Raises
    ------
    GuessRefused
        The envelope is open, or this person has said it already.
    """
    if not lock_trial(session, trial_id).sealed(today):
        raise GuessRefused("The envelope is open: a guess tells nothing any more.")
    if session.get(GuessRow, (trial_id, guess.by)) is not None:
        raise GuessRefused("You have said it already: the first guess counts.")
    session.add(GuessRow(trial_id=trial_id, **vars(guess)))
    session.flush()
