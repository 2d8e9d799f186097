"""What the household measures with, what it pays for ingredients, and the water from its tap."""

from dataclasses import dataclass, field

from sqlmodel import Session

from eproba.core.brewing.kitchen import Kit
from eproba.core.brewing.water import WaterKind
from eproba.store.tables import KitRow


@dataclass(frozen=True)
class Household:
    """The household's kit; `prices` a kg by ingredient."""

    kit: Kit = field(default_factory=Kit)
    prices: dict[str, float] = field(default_factory=dict)
    water: WaterKind = "tap, not known"

    @property
    def stands(self) -> bool:
        """Whether its water stands for a day before it is used."""
        return self.water in ("tap with chlorine", "tap, not known")


def household_kit(session: Session) -> Household:
    row = session.get(KitRow, 1)
    return Household() if row is None else Household(Kit(**row.kit), row.prices, row.water)
