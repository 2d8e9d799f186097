"""The household: its passcode, tries at it, and who types on which device."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import delete, func, update
from sqlmodel import Session, col, select

from eproba.store.commands.locks import lock_name
from eproba.store.secrets import hashed
from eproba.store.tables import DeviceRow, HouseholdRow, InvitationRow, PasscodeTryRow

TRIES = 5  # of one address within a quarter of an hour; the next are refused
TRIES_OF_ALL = 50  # of all addresses together; from then on a wrong one is answered slowly
TRIES_WITHIN = timedelta(minutes=15)
SEEN_EVERY = timedelta(minutes=1)
INVITED_FOR = timedelta(minutes=15)


def set_passcode_hash(session: Session, hashed_passcode: str) -> None:
    """Set a new passcode; every device must give it again."""
    session.merge(HouseholdRow(id=1, passcode_hash=hashed_passcode))
    session.exec(delete(DeviceRow))
    session.exec(delete(PasscodeTryRow))


@dataclass(frozen=True)
class Try:
    """A try at the passcode, on record; `slow`: so many were made that a wrong one is answered slowly."""

    id: int
    slow: bool


def begin_try(session: Session, address: str, now: datetime) -> Try | None:
    """Put a try at the passcode on record before it is looked at, so that many at once count as many.

    None: this address has guessed too often in the last quarter of an hour. What others guess never shuts it out.
    """
    lock_name(session, "passcode")
    since = now - TRIES_WITHIN
    session.exec(delete(PasscodeTryRow).where(col(PasscodeTryRow.at) <= since))
    recent = select(func.count()).select_from(PasscodeTryRow)
    if session.exec(recent.where(PasscodeTryRow.address == address)).one() >= TRIES:
        return None
    slow = session.exec(recent).one() >= TRIES_OF_ALL
    row = PasscodeTryRow(address=address, at=now)
    session.add(row)
    session.flush()
    return Try(row.id, slow)


def forgive_try(session: Session, try_id: int) -> None:
    """It was the right one, so it does not count."""
    session.exec(delete(PasscodeTryRow).where(col(PasscodeTryRow.id) == try_id))


def keep_device(session: Session, device_id: str, who: str, pours: bool, now: datetime) -> None:
    """Who types on a device, and whether it shows who gets what in a blind trial."""
    known = session.get(DeviceRow, hashed(device_id))
    came = known.came_at if known else now
    session.merge(DeviceRow(id=hashed(device_id), who=who, pours=pours, came_at=came, seen_at=now))


def saw_device(session: Session, device_id: str, now: datetime) -> None:
    """It was used; once a minute is often enough to know."""
    row = col(DeviceRow.id) == hashed(device_id), col(DeviceRow.seen_at) < now - SEEN_EVERY
    session.exec(update(DeviceRow).where(*row).values(seen_at=now))


def put_out(session: Session, row_id: str) -> bool:
    """Forget one device, by the id of its row; whether there was one."""
    return session.exec(delete(DeviceRow).where(col(DeviceRow.id) == row_id)).rowcount > 0


def put_out_others(session: Session, own: str) -> int:
    """Forget every device but this one; how many."""
    return session.exec(delete(DeviceRow).where(col(DeviceRow.id) != hashed(own))).rowcount


def invite(session: Session, token: str, by: str, now: datetime) -> None:
    """A link that lets one device in, for a quarter of an hour."""
    session.exec(delete(InvitationRow).where(col(InvitationRow.made_at) < now - INVITED_FOR))
    session.add(InvitationRow(token_hash=hashed(token), made_at=now, by=by))


def is_invited(session: Session, token: str, now: datetime) -> bool:
    """Whether a link still lets a device in."""
    row = session.get(InvitationRow, hashed(token))
    return row is not None and now - row.made_at < INVITED_FOR


def accept(session: Session, token: str, now: datetime) -> bool:
    """Use the link up; whether it did let a device in. Two at once: one of them."""
    held = col(InvitationRow.token_hash) == hashed(token), col(InvitationRow.made_at) > now - INVITED_FOR
    return session.exec(delete(InvitationRow).where(*held)).rowcount > 0


def take_back_invitations(session: Session) -> None:
    """None of the links lets a device in any more."""
    session.exec(delete(InvitationRow))
