"""The household’s kit, kept."""

from sqlalchemy import delete
from sqlmodel import Session

from eproba.store.commands.locks import lock_name
from eproba.store.kit import Household
from eproba.store.measures import household_system
from eproba.store.tables import FindingRow, KitRow


def keep_kit(session: Session, household: Household) -> None:
    """Keep it; where the household's units change, what was found is told anew in the new ones."""
    lock_name(session, "kit")  # merging looks first whether there is a row; two at once would both find none
    if household.kit.system != household_system(session):
        session.connection().execute(delete(FindingRow))
    session.info.pop("system", None)
    kept = KitRow(id=1, kit=vars(household.kit), prices=household.prices, water=household.water)
    kept.ground = {name: list(v) if isinstance(v, tuple) else v for name, v in vars(household.garden).items()}
    session.merge(kept)
