"""Rounds: closed by one rule for till, file and button; opened again while the envelope is shut; their notes."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from sqlalchemy import select, update
from sqlmodel import Session, col

from eproba.core.errors import EprobaError
from eproba.core.trial.hours import followed
from eproba.core.trial.model import Round, Trial
from eproba.core.trial.rounds import complete, may_open_again, passed_over
from eproba.store.commands.findings import forget_finding
from eproba.store.commands.locks import Changed, lock_trial, unchanged
from eproba.store.readings import readings_of
from eproba.store.tables import AmendmentRow, ReadingRow, RoundRow, TrialMeasureRow, TrialRow
from eproba.store.trials import trial_with_key

LONGEST_NOTE = 2000
UNKNOWN_TRIAL = (
    "This garden has no such trial: it was deleted, or this is another garden (a backup was restored). "
    "Nothing was written. Keep your entries as a file."
)
UNKNOWN_ROUND = "This round was removed from the plan. Nothing was written. Keep your entries as a file."


class RoundError(EprobaError):
    """Something that can't be done with a round; the message says why."""


def finish_round(session: Session, trial_id: int, round_id: int, now: datetime) -> None:
    """Close a round as it is, complete or not."""
    trial = lock_trial(session, trial_id)
    _close(session, trial, _round(trial, round_id), now)


def settle_round(session: Session, trial: Trial, this: Round, now: datetime) -> None:
    """After readings came in: a round that is complete closes; so does one that had been put down as missed."""
    if this.done:
        return
    by_itself = any(asked.measure.kind == "day" for asked in trial.asked)
    if this.missed or complete(trial, this, readings_of(session, trial.id, None if by_itself else this.id)):
        _close(session, trial, this, now)


def _close(session: Session, trial: Trial, this: Round, now: datetime) -> None:
    """Mark it as closed; open rounds before it were passed over; the last one closes the trial."""
    _mark(session, this, done=True, missed=False, closed_at=now)
    read = select(col(ReadingRow.round_id)).distinct().where(col(ReadingRow.trial_id) == trial.id)
    holding = set(session.connection().execute(read).scalars())
    for round_, missed in passed_over(trial, this, holding):
        _mark(session, round_, done=not missed, missed=missed, closed_at=now)
    if this.id == trial.rounds[-1].id:
        session.exec(update(TrialRow).where(col(TrialRow.id) == trial.id).values(closed_at=now))
    forget_finding(session, trial.id)


def open_again(session: Session, trial_id: int, round_id: int, now: datetime) -> None:
    """Open a closed or missed round again.

    Raises
    ------
    RoundError
        The envelope is open, or the round is.
    """
    trial = lock_trial(session, trial_id)
    this = _round(trial, round_id)
    if not may_open_again(this, trial.sealed(now.astimezone().date())):
        why = "it is open" if not (this.done or this.missed) else "the envelope is open: correct the table of readings"
        raise RoundError(f"The round of day {this.day} can’t be opened again: {why}.")
    _mark(session, this, done=False, missed=False, closed_at=None)
    if this.id == trial.rounds[-1].id:
        session.exec(update(TrialRow).where(col(TrialRow.id) == trial.id).values(closed_at=None))
    forget_finding(session, trial.id)


def leave_out(session: Session, trial_id: int, round_id: int, now: datetime) -> None:
    """Put an open round down as missed; one that holds readings closes as it is.

    Raises
    ------
    RoundError
        It is closed already, or it is the last one, which only readings or the end of the trial close.
    """
    trial = lock_trial(session, trial_id)
    round_ = _round(trial, round_id)
    if round_.done or round_.missed:
        raise RoundError(f"The round of day {round_.day} is closed already.")
    if round_.id == trial.rounds[-1].id:
        raise RoundError("The last round can’t be left out: measure it, or end the trial early.")
    read = readings_of(session, trial.id, round_.id)
    _mark(session, round_, done=bool(read), missed=not read, closed_at=now)
    forget_finding(session, trial.id)


@dataclass(frozen=True)
class RoundWord:
    """What a device says of a whole round, as one entry with an id of its own: its `note` over the one that was `seen`
    (None: no note), and that it is finished."""

    id: str
    trial: str
    round: str
    note: str | None
    seen: str
    finished: bool


@dataclass(frozen=True)
class WordAnswer:
    """What became of it: saved, conflict (with the `note` that stands there), refused with why."""

    id: str
    status: Literal["saved", "conflict", "refused"]
    why: str = ""
    note: str = ""


def take_word(session: Session, word: RoundWord, now: datetime) -> WordAnswer:
    """Write a note, close a round; said twice it is done once."""
    trial_id = trial_with_key(session, word.trial)
    if trial_id is None:
        return WordAnswer(word.id, "refused", UNKNOWN_TRIAL)
    try:
        trial = lock_trial(session, trial_id)
        asked = next((round_ for round_ in trial.rounds if round_.key == word.round), None)
        if asked is None:
            return WordAnswer(word.id, "refused", UNKNOWN_ROUND)
        if word.note is not None:
            note_round(session, trial_id, asked.id, word.note, word.seen)
        if word.finished and not asked.done:
            finish_round(session, trial_id, asked.id, now)
    except Changed as error:
        return WordAnswer(word.id, "conflict", str(error), error.there)
    except EprobaError as error:
        return WordAnswer(word.id, "refused", str(error))
    return WordAnswer(word.id, "saved", note=word.note or "")


def note_round(session: Session, trial_id: int, round_id: int, note: str, seen: str) -> None:
    """Write a round's note over the one that was seen; what was not touched writes nothing.

    Raises
    ------
    Changed
        Somebody else wrote another meanwhile.
    """
    if note == seen:
        return
    this = _round(lock_trial(session, trial_id), round_id)
    unchanged(seen, this.note, note, "the note of this round")
    session.exec(update(RoundRow).where(col(RoundRow.id) == round_id).values(note=note))


def follow_pours(session: Session, trial: Trial, moved: Mapping[int, int], by: str, now: datetime) -> None:
    """Rounds that follow pours which moved (old day → new day) move along, with what they ask; a declared plan keeps
    old and new."""
    new_days = followed(trial, moved)
    if not new_days:
        return
    old_days = {round_.id: round_.day for round_ in trial.rounds}
    for round_id in new_days:  # out of each other's way first: two rounds never share a day
        session.exec(update(RoundRow).where(col(RoundRow.id) == round_id).values(day=-round_id))
    for round_id, day in new_days.items():
        session.exec(update(RoundRow).where(col(RoundRow.id) == round_id).values(day=day))
    changed = {old_days[round_id]: day for round_id, day in new_days.items()}
    for asked in trial.asked:
        if asked.days is not None:
            days = sorted(changed.get(day, day) for day in asked.days)
            of_measure = (
                col(TrialMeasureRow.trial_id) == trial.id,
                col(TrialMeasureRow.measure_key) == asked.measure.key,
            )
            session.exec(update(TrialMeasureRow).where(*of_measure).values(days=days))
    if trial.declared is not None:
        old, new = (f"rounds of days {', '.join(map(str, sorted(days)))}" for days in (changed, changed.values()))
        on, why = now.astimezone().date(), "they follow the pour"
        session.add(AmendmentRow(trial_id=trial.id, on=on, what="asked", old=old, new=new, reason=why, by=by))


def _mark(session: Session, this: Round, **facts: object) -> None:
    session.exec(update(RoundRow).where(col(RoundRow.id) == this.id).values(**facts))


def _round(trial: Trial, round_id: int) -> Round:
    round_found = next((round_ for round_ in trial.rounds if round_.id == round_id), None)
    if round_found is None:
        raise RoundError("This round was removed from the plan.")
    return round_found
