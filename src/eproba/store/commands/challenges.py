"""A challenge called, taken up, answered; its joint envelope opened."""

from datetime import date, datetime

from sqlmodel import Session, col, select

from eproba.core.errors import EprobaError
from eproba.core.judging.challenge import Standing
from eproba.store.challenges import Challenge
from eproba.store.commands.locks import lock_name
from eproba.store.secrets import hashed
from eproba.store.tables import ChallengeGardenRow, ChallengeRow


class ChallengeRefused(EprobaError):
    """Something that a challenge can't take; the message says why."""


def keep_challenge(session: Session, made: Challenge, now: datetime) -> bool:
    """Keep a challenge once; False: it is here already."""
    lock_name(session, "challenges")
    if session.get(ChallengeRow, made.key) is not None:
        return False
    session.add(
        ChallengeRow(
            key=made.key, name=made.name, opens_on=made.opens_on, file=made.raw, garden=made.garden,
            called_here=made.called_here, made_at=now,
        )
    )  # fmt: skip
    session.flush()
    return True


def open_hand_in(session: Session, key: str, token: str) -> None:
    """A link by which other gardens hand in; one of before opens nothing any more."""
    lock_name(session, f"challenge {key}")
    row = session.get_one(ChallengeRow, key)
    row.token_hash = hashed(token)
    session.add(row)


def close_hand_in(session: Session, key: str) -> bool:
    """The link to hand in opens nothing any more; files still do. False: it opened nothing already."""
    lock_name(session, f"challenge {key}")
    row = session.get(ChallengeRow, key)
    if row is None or not row.token_hash:
        return False
    row.token_hash = ""
    session.add(row)
    return True


def note_slip(session: Session, key: str, garden: str, standing: Standing, units: int, now: datetime) -> None:
    """A garden takes part, or has stopped; one that has sent its result stays where it is.

    Raises
    ------
    ChallengeRefused
        Its result is here, or the envelope is open.
    """
    row = _garden(session, key, garden)
    if row is not None and row.standing == "returned":
        raise ChallengeRefused(f"The garden with the key {garden} has sent its result already: that one counts.")
    session.merge(
        ChallengeGardenRow(
            challenge=key, garden=garden, standing=standing, units=units or (row.units if row else 0),
            came_at=row.came_at if row else now,
        )
    )  # fmt: skip


def note_result(session: Session, key: str, garden: str, units: int, trial_key: str, raw: bytes, now: datetime) -> None:
    """A garden's result, kept unread until the envelope opens; the first one counts.

    Raises
    ------
    ChallengeRefused
        It has sent one already, or another garden sent this trial, or the envelope is open.
    """
    row = _garden(session, key, garden)
    if row is not None and row.standing == "returned":
        raise ChallengeRefused(f"The garden with the key {garden} has sent its result already: the first one counts.")
    sent = (ChallengeGardenRow.challenge == key, ChallengeGardenRow.trial_key == trial_key)
    if session.exec(select(ChallengeGardenRow).where(*sent)).first() is not None:
        raise ChallengeRefused("This trial is in the envelope already, from another garden.")
    session.merge(
        ChallengeGardenRow(
            challenge=key, garden=garden, standing="returned", units=units, trial_key=trial_key, result=raw,
            came_at=row.came_at if row else now,
        )
    )  # fmt: skip


def _garden(session: Session, key: str, garden: str) -> ChallengeGardenRow | None:
    lock_name(session, f"challenge {key}")
    if session.get_one(ChallengeRow, key).opened_at is not None:
        raise ChallengeRefused("The envelope of this challenge is open: nothing can join it any more.")
    return session.get(ChallengeGardenRow, (key, garden))


def open_envelope(session: Session, key: str, today: date, now: datetime) -> list[bytes]:
    """The results of all gardens, to be taken in now.

    Raises
    ------
    ChallengeRefused
        Before its day.
    """
    lock_name(session, f"challenge {key}")
    row = session.get_one(ChallengeRow, key)
    if today < row.opens_on:
        raise ChallengeRefused("The envelope opens on its day, not before: until then nobody knows what is in it.")
    if row.opened_at is None:
        row.opened_at = now
        session.add(row)
    sent = select(ChallengeGardenRow.result).where(
        ChallengeGardenRow.challenge == key, col(ChallengeGardenRow.result).is_not(None)
    )
    return [result for result in session.exec(sent.order_by(col(ChallengeGardenRow.came_at))) if result is not None]
