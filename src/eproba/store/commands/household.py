"""The household: its passcode, tries at it, and who types on which device."""

from datetime import datetime, timedelta

from sqlalchemy import delete, func, update
from sqlmodel import Session, col, select

from eproba.store.commands.locks import lock_name
from eproba.store.household import devices, handle
from eproba.store.tables import DeviceRow, HouseholdRow, PasscodeTryRow

TRIES = 5
TRIES_OF_ALL = 50
TRIES_WITHIN = timedelta(minutes=15)
SEEN_EVERY = timedelta(minutes=1)


def set_passcode_hash(session: Session, hashed: str) -> None:
    """Set a new passcode; every device must give it again."""
    session.merge(HouseholdRow(id=1, passcode_hash=hashed))
    session.exec(delete(DeviceRow))


def begin_try(session: Session, address: str, now: datetime) -> int | None:
    """Put a try at the passcode on record before it is looked at, so that many at once count as many.

    None: this address, or all together, have guessed too often in the last quarter of an hour.
    """
    lock_name(session, "passcode")
    since = now - TRIES_WITHIN
    session.exec(delete(PasscodeTryRow).where(col(PasscodeTryRow.at) < since))
    recent = select(func.count()).select_from(PasscodeTryRow).where(col(PasscodeTryRow.at) > since)
    own = session.exec(recent.where(PasscodeTryRow.address == address)).one()
    if own >= TRIES or session.exec(recent).one() >= TRIES_OF_ALL:
        return None
    row = PasscodeTryRow(address=address, at=now)
    session.add(row)
    session.flush()
    return row.id


def forgive_try(session: Session, try_id: int) -> None:
    """It was the right one, so it does not count."""
    session.exec(delete(PasscodeTryRow).where(col(PasscodeTryRow.id) == try_id))


def keep_device(session: Session, device_id: str, who: str, pours: bool, now: datetime) -> None:
    """Who types on a device, and whether it shows who gets what in a blind trial."""
    known = session.get(DeviceRow, device_id)
    came = known.came_at if known else now
    session.merge(DeviceRow(id=device_id, who=who, pours=pours, came_at=came, seen_at=now))


def saw_device(session: Session, device_id: str, now: datetime) -> None:
    """It sent something; once a minute is often enough to know."""
    row = col(DeviceRow.id) == device_id, col(DeviceRow.seen_at) < now - SEEN_EVERY
    session.exec(update(DeviceRow).where(*row).values(seen_at=now))


def put_out(session: Session, shown: str) -> bool:
    """Forget one device, by its handle; whether there was one."""
    device_row = next((row for row in devices(session) if handle(row.id) == shown), None)
    if device_row is not None:
        session.delete(device_row)
    return device_row is not None


def put_out_others(session: Session, own: str) -> int:
    """Forget every device but this one; how many."""
    return session.exec(delete(DeviceRow).where(col(DeviceRow.id) != own)).rowcount
