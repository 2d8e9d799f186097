"""This garden: the key that signs what leaves it, and which state of its data this is."""

from sqlmodel import Session

from eproba.store.tables import GardenRow


def signing_key(session: Session) -> bytes:
    """The private key, 32 bytes."""
    return session.get_one(GardenRow, 1).signing_key


def store_id(session: Session) -> str:
    """A name of these data, which a restore changes: what a device was told of others may be gone."""
    return session.get_one(GardenRow, 1).store.hex
