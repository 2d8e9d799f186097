"""What somebody said of the rows of pictures before he knew who got what."""

from sqlmodel import Session, col, select

from eproba.core.trial.strip import Guess
from eproba.store.tables import GuessRow


def guesses(session: Session, trial_id: int) -> list[Guess]:
    """In the order in which they were said."""
    rows = session.exec(select(GuessRow).where(GuessRow.trial_id == trial_id).order_by(col(GuessRow.at)))
    return [Guess(row.by, row.unit_id, row.among, row.at) for row in rows]
