"""Drafts: trials being planned, kept as typed, each step over the version that was seen."""

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from sqlmodel import Session, col, select

from eproba.core.planning.draft import StepName
from eproba.store.commands.locks import Changed, Gone
from eproba.store.drafts import typed_name
from eproba.store.tables import DraftRow

Typed = Mapping[str, list[str]]
FORGOTTEN = timedelta(days=30)


def new_draft(
    session: Session,
    answers: Mapping[StepName, Typed],
    now: datetime,
    deals: int = 0,
    taken_back: Mapping[str, Any] | None = None,
) -> int:
    """Where a trial is taken back: `deals`, how often its lots fell before, and the line that it leaves if its plan is
    thrown away."""
    kept = {str(name): dict(typed) for name, typed in answers.items()}
    row = DraftRow(changed_at=now, answers=kept, deals=deals, taken_back=None if taken_back is None else {**taken_back})
    session.add(row)
    session.flush()
    return row.id


def drop_forgotten(session: Session, now: datetime) -> None:
    """Plans without a name go after a month in which nobody touched them; one that was a trial once stays."""
    old = select(DraftRow).where(DraftRow.changed_at < now - FORGOTTEN, col(DraftRow.taken_back).is_(None))
    for row in session.exec(old.with_for_update(skip_locked=True)):
        if not typed_name(row):
            session.delete(row)
    session.flush()


def hold_draft(session: Session, draft_id: int) -> DraftRow:
    """The draft as it is now, held until the commit, so that nobody writes between reading and writing.

    Raises
    ------
    Gone
        The draft was thrown away, or its lots were dealt.
    """
    query = select(DraftRow).where(DraftRow.id == draft_id).with_for_update().execution_options(populate_existing=True)
    row = session.exec(query).first()
    if row is None:
        raise Gone("This draft is gone: it was thrown away, or its lots have been dealt.")
    return row


def keep_steps(
    session: Session, row: DraftRow, steps: Mapping[StepName, Typed], now: datetime, seen: Mapping[str, int]
) -> None:
    """Keep steps of a held draft exactly as typed, right or wrong.

    `seen`: for a step the version that its form was made from (missing: it has none).

    Raises
    ------
    Changed
        A step was saved since in another window; nothing is written.
    """
    changed: dict[str, Typed] = {name: dict(typed) for name, typed in steps.items() if row.answers.get(name) != typed}
    for name in changed:
        if name in seen and seen[name] != row.versions.get(name, 0):
            text = "This step was changed in another window since you opened it. Yours is still in the fields"
            raise Changed(f"{text}; go on if it is right.")
    row.answers = {**row.answers, **changed}
    row.versions = {**row.versions, **{name: row.versions.get(name, 0) + 1 for name in changed}}
    row.changed_at = now
    session.add(row)
    session.flush()


def take_draft(session: Session, draft_id: int) -> int:
    """Take a draft away for good, once: of two windows that deal its lots, one gets a trial. Returns how often its lots
    fell before.

    Raises
    ------
    Gone
        Somebody was quicker.
    """
    row = session.exec(select(DraftRow).where(col(DraftRow.id) == draft_id).with_for_update()).first()
    if row is None:
        raise Gone("These lots have been dealt already: the trial stands under Trials.")
    deals = row.deals
    session.delete(row)
    session.flush()
    return deals
