"""What was said of the promises of labels."""

from sqlmodel import Session, select

from eproba.core.trial.label import LabelPromise
from eproba.store.tables import LabelAnswerRow


def label_answers(session: Session, trial_id: int) -> list[LabelPromise]:
    rows = session.exec(select(LabelAnswerRow).where(LabelAnswerRow.trial_id == trial_id))
    return [LabelPromise(row.letter, row.words, row.said) for row in rows]
