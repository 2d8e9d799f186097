"""This garden: the key that signs what leaves it, which state of its data this is, its time zone."""

from dataclasses import dataclass

from sqlalchemy import func, update
from sqlmodel import Session, col

from eproba.store.database import rows_of
from eproba.store.tables import GardenRow


@dataclass(frozen=True)
class GardenFacts:
    """`store` names these very data, anew after a restore: what a device was told of others may be gone. `zone`: the
    household's time zone (empty: the computer's)."""

    store: str
    zone: str


def garden_facts(session: Session) -> GardenFacts:
    """What every page knows of the garden."""
    (row,) = rows_of(session, GardenRow)
    return GardenFacts(row.store.hex, row.time_zone)


def signing_key(session: Session) -> bytes:
    """The private key, 32 bytes."""
    return session.get_one(GardenRow, 1).signing_key


def keep_zone(session: Session, zone: str) -> None:
    """The household's time zone, by its name in the tz database."""
    session.exec(update(GardenRow).values(time_zone=zone))


def renew_store(session: Session) -> None:
    """These data are not those that devices sent to: a backup took their place, or a demo was laid fresh."""
    session.exec(update(GardenRow).where(col(GardenRow.id) == 1).values(store=func.gen_random_uuid()))
