"""The household’s kit, kept."""

from sqlmodel import Session

from eproba.store.kit import Household
from eproba.store.tables import KitRow


def keep_kit(session: Session, household: Household) -> None:
    kept = KitRow(id=1, kit=vars(household.kit), prices=household.prices, water=household.water)
    kept.ground = {name: list(v) if isinstance(v, tuple) else v for name, v in vars(household.garden).items()}
    session.merge(kept)
