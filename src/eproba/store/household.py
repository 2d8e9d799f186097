"""The household: its passcode, wrong tries, and who types on which device."""

from datetime import datetime, timedelta

from sqlalchemy import delete, func
from sqlmodel import Session, col, select

from eproba.store.tables import DeviceRow, HouseholdRow, PasscodeTryRow

TRIES = 5
TRIES_OF_ALL = 50
TRIES_WITHIN = timedelta(minutes=15)


def passcode_hash(session: Session) -> str | None:
    row = session.get(HouseholdRow, 1)
    return row.passcode_hash if row else None


def set_passcode_hash(session: Session, hashed: str) -> None:
    """Set a new passcode; every device must give it again."""
    session.merge(HouseholdRow(id=1, passcode_hash=hashed))
    session.exec(delete(DeviceRow))


def too_many_tries(session: Session, address: str, now: datetime) -> bool:
    """Whether this address, or all together, have guessed too often in the last quarter of an hour."""
    since = now - TRIES_WITHIN
    recent = select(func.count()).select_from(PasscodeTryRow).where(col(PasscodeTryRow.at) > since)
    own = session.exec(recent.where(PasscodeTryRow.address == address)).one()
    return own >= TRIES or session.exec(recent).one() >= TRIES_OF_ALL


def note_wrong_try(session: Session, address: str, now: datetime) -> None:
    session.exec(delete(PasscodeTryRow).where(col(PasscodeTryRow.at) < now - TRIES_WITHIN))
    session.add(PasscodeTryRow(address=address, at=now))


def device(session: Session, device_id: str) -> DeviceRow | None:
    return session.get(DeviceRow, device_id)


def keep_device(session: Session, device_id: str, who: str, now: datetime) -> None:
    session.merge(DeviceRow(id=device_id, who=who, seen_at=now))
