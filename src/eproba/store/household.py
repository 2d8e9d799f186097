"""The household: its passcode, and who types on which device."""

from sqlmodel import Session

from eproba.store.tables import DeviceRow, HouseholdRow


def passcode_hash(session: Session) -> str | None:
    row = session.get(HouseholdRow, 1)
    return row.passcode_hash if row else None


def device(session: Session, device_id: str) -> DeviceRow | None:
    return session.get(DeviceRow, device_id)
