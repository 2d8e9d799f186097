"""The household: its passcode, and who types on which device."""

import hashlib
from collections.abc import Sequence

from sqlmodel import Session, col, select

from eproba.store.tables import DeviceRow, HouseholdRow


def passcode_hash(session: Session) -> str | None:
    row = session.get(HouseholdRow, 1)
    return row.passcode_hash if row else None


def device(session: Session, device_id: str) -> DeviceRow | None:
    return session.get(DeviceRow, device_id)


def devices(session: Session) -> Sequence[DeviceRow]:
    """All devices that are in, the one that sent something last first."""
    return session.exec(select(DeviceRow).order_by(col(DeviceRow.seen_at).desc(), col(DeviceRow.id))).all()


def handle(device_id: str) -> str:
    """A name for a device that a page may show: its id is half of a key."""
    return hashlib.sha256(device_id.encode()).hexdigest()[:16]
