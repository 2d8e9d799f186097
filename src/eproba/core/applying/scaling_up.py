"""From the watering can to the tank: what a treatment takes over more ground, by each way to bring it out."""

from collections.abc import Iterable
from dataclasses import dataclass

from eproba.core.brewing.kitchen import Equipment, fillings, too_weak_for
from eproba.core.brewing.mixing import Mix, Want, mix
from eproba.core.brewing.recipe import Recipe

LADDER = ("can", "backpack", "tank", "drip")


@dataclass(frozen=True)
class WayOut:
    """One way over the whole ground: litres that reach it and litres mixed, concentrate in them, fillings, minutes.

    `lost` stays in the vessels; `too_weak` says why this way can't give the strength, empty: it can.
    """

    equipment: Equipment
    litres: float
    mixed: float
    concentrate: float
    fills: int
    minutes: float
    lost: float
    too_weak: str

    @property
    def cautions(self) -> tuple[str, ...]:
        return self.equipment.cautions


def ways(
    recipe: Recipe, area_m2: float, rate: float, water_parts: float | None, tools: Iterable[Equipment]
) -> list[WayOut]:
    """Each way to bring `rate` litres a square metre over an area.

    Raises
    ------
    MixError
        An area or a rate that can't be.
    """
    parts = None if water_parts is None else (1.0, water_parts)
    whole = mix(recipe, Want(area_m2=area_m2, rate=rate, parts=parts))
    return [_way(tool, whole) for tool in tools]


def _way(tool: Equipment, whole: Mix) -> WayOut:
    litres = whole.application_litres or 0.0
    fills, minutes, mixed = fillings(litres, tool)
    return WayOut(
        equipment=tool,
        litres=litres,
        mixed=mixed,
        concentrate=mixed * whole.parts[0] / sum(whole.parts),
        fills=fills,
        minutes=minutes,
        lost=mixed - litres,
        too_weak=too_weak_for(tool, whole.parts),
    )
