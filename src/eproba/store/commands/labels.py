"""What is said of a label's promise, once the envelope is open."""

from datetime import date, datetime

from sqlmodel import Session

from eproba.core.errors import EprobaError
from eproba.core.trial.label import LabelPromise, label_promises
from eproba.store.commands.locks import lock_trial
from eproba.store.tables import LabelAnswerRow


class LabelRefused(EprobaError):
    """Something that can't be said of a label; the message says why."""


def answer_label(session: Session, trial_id: int, promise: LabelPromise, by: str, now: datetime, today: date) -> None:
    """Keep what was said of a promise; the last word counts.

    Raises
    ------
    LabelRefused
        The envelope is shut, or no label says that.
    """
    trial = lock_trial(session, trial_id)
    if trial.sealed(today):
        raise LabelRefused("The label is asked once the envelope is open.")
    asked = {(known.letter, known.words) for known in label_promises(trial)}
    if promise.said is None or (promise.letter, promise.words) not in asked:
        raise LabelRefused("No label of this trial says that.")
    session.merge(
        LabelAnswerRow(trial_id=trial_id, letter=promise.letter, words=promise.words, said=promise.said, by=by, at=now)
    )
