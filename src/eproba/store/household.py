"""The household: its passcode, and who types on which device."""

from collections.abc import Sequence
from datetime import datetime, timedelta

from sqlmodel import Session, col, select

from eproba.store.secrets import hashed
from eproba.store.tables import DeviceRow, HouseholdRow

IDLE = timedelta(days=90)


def passcode_hash(session: Session) -> str | None:
    row = session.get(HouseholdRow, 1)
    return row.passcode_hash if row else None


def device(session: Session, device_id: str, now: datetime) -> DeviceRow | None:
    """The device that bears this id; None: it was put out, or nobody has used it for long."""
    row = session.get(DeviceRow, hashed(device_id))
    return None if row is None or asks_again(row, now) else row


def asks_again(row: DeviceRow, now: datetime) -> bool:
    """Whether a device lay idle for so long that it gives the passcode again."""
    return now - row.seen_at > IDLE


def devices(session: Session) -> Sequence[DeviceRow]:
    """All devices that came in, the one that was used last first."""
    return session.exec(select(DeviceRow).order_by(col(DeviceRow.seen_at).desc(), col(DeviceRow.id))).all()
