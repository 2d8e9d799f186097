"""The household’s kit and its prices, kept."""

from collections.abc import Mapping
from dataclasses import replace
from datetime import date

from sqlalchemy import delete
from sqlmodel import Session

from eproba.store.commands.locks import lock_name
from eproba.store.kit import Household, household_kit
from eproba.store.measures import household_system
from eproba.store.tables import FindingRow, KitRow, PriceRow


def keep_kit(session: Session, household: Household) -> None:
    """Keep it, prices apart; where the household's units change, what was found is told anew in the new ones."""
    lock_name(session, "kit")  # merging looks first whether there is a row; two at once would both find none
    if household.kit.system != household_system(session):
        session.connection().execute(delete(FindingRow))
    session.info.pop("system", None)
    kept = KitRow(id=1, kit=vars(household.kit), currency=household.currency, water=household.water)
    kept.ground = {name: list(v) if isinstance(v, tuple) else v for name, v in vars(household.garden).items()}
    session.merge(kept)


def keep_prices(session: Session, prices: Mapping[str, float | None], on: date) -> None:
    """What things cost from a day on (None: not known any more); a price that stays as it was keeps its day."""
    lock_name(session, "prices")
    now = household_kit(session).prices
    for what, value in prices.items():
        if value != now.get(what):
            session.merge(PriceRow(what=what, on=on, value=value))


def keep_currency(session: Session, currency: str) -> None:
    """The currency of all prices."""
    keep_kit(session, replace(household_kit(session), currency=currency))
