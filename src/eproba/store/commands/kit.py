"""The household’s kit, kept."""

from sqlmodel import Session

from eproba.store.kit import Household
from eproba.store.tables import KitRow


def keep_kit(session: Session, household: Household) -> None:
    session.merge(KitRow(id=1, kit=vars(household.kit), prices=household.prices, water=household.water))
