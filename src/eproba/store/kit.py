"""What the household measures with, what it pays for ingredients, and the water from its tap."""

from dataclasses import dataclass, field
from datetime import date
from typing import Any

from sqlmodel import Session

from eproba.core.applying.prices import DatedPrice, prices_on
from eproba.core.brewing.kitchen import Kit
from eproba.core.brewing.recipe import Ground
from eproba.core.brewing.water import WaterKind
from eproba.store.database import once, rows_of
from eproba.store.tables import KitRow, PriceRow


@dataclass(frozen=True)
class Garden:
    """What recipes ask of the place: whether its soil is poor, and which months are dry, wet, or cool."""

    poor: bool = False
    dry: tuple[int, ...] = ()
    wet: tuple[int, ...] = ()
    cool: tuple[int, ...] = (11, 12, 1, 2, 3)


@dataclass(frozen=True)
class Household:
    """The household's kit; every price with its day, in its `currency`; its garden."""

    kit: Kit = field(default_factory=Kit)
    priced: tuple[DatedPrice, ...] = ()
    currency: str = ""
    water: WaterKind = "tap, not known"
    garden: Garden = field(default_factory=Garden)

    @property
    def prices(self) -> dict[str, float]:
        """What each thing costs now, a kg of an ingredient by its key."""
        return prices_on(self.priced, date.max)

    def ground_on(self, on: date) -> Ground:
        """The place on a day, as the phases of a recipe ask."""
        g = self.garden
        return Ground(g.poor, on.month in g.dry, on.month in g.wet, on.month in g.cool)

    @property
    def stands(self) -> bool:
        """Whether its water stands for a day before it is used."""
        return self.water in ("tap with chlorine", "tap, not known")


def household_kit(session: Session) -> Household:
    return once(session, "kit", lambda: _household(session))


def _household(session: Session) -> Household:
    priced = tuple(DatedPrice(price.what, price.on, price.value) for price in rows_of(session, PriceRow))
    row = next(iter(rows_of(session, KitRow)), None)
    if row is None:
        return Household(priced=priced)
    ground: dict[str, Any] = {
        name: tuple(value) if isinstance(value, list) else value for name, value in row.ground.items()
    }
    return Household(Kit(**row.kit), priced, row.currency, row.water, Garden(**ground))
