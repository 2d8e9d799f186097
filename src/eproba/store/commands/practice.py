"""A round in the practice garden: begun, and answered once."""

from datetime import datetime

from sqlalchemy import update
from sqlmodel import Session, col

from eproba.core.practice.traps import Says, Trap
from eproba.store.practice import open_round
from eproba.store.tables import PracticeRow


def begin_round(session: Session, by: str, trap: Trap, seed: int, now: datetime) -> int:
    """The round that waits, else this one."""
    waiting = open_round(session, by)
    if waiting is not None:
        return waiting
    row = PracticeRow(trap=trap, seed=seed, by=by, made_at=now)
    session.add(row)
    session.flush()
    return row.id


def answer_round(session: Session, round_id: int, says: Says, sure: int, right: bool, caught: bool) -> None:
    """Put down what was said; the first word counts."""
    where = (col(PracticeRow.id) == round_id, col(PracticeRow.sure).is_(None))
    session.exec(update(PracticeRow).where(*where).values(says=says, sure=sure, right=right, caught=caught))
