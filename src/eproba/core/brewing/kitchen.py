"""Rounded to what the gardener's kit can measure: scale, spoons, jug, can; and the strength that this really gives."""

import math
from dataclasses import dataclass
from typing import Literal

from eproba.core.brewing.mixing import Mix, MixError, figure_or_whole
from eproba.core.brewing.recipe import Portion
from eproba.core.quantities import in_base
from eproba.core.words import figure

System = Literal["metric", "US"]
SPOONS = ((15.0, "tbsp"), (5.0, "tsp"))
US_SPOONS = ((14.787, "tbsp"), (4.929, "tsp"))
US_VESSELS = ((3785.41, "gal"), (946.353, "qt"), (236.588, "cup"))
FRACTIONS = {0.25: "¼", 0.5: "½", 0.75: "¾"}
OUNCE, POUND = 28.3495, 453.592
TOO_COARSE = 0.15  # a rounding beyond this share of the amount is told


@dataclass(frozen=True)
class Kit:
    """What there is to measure with: the scale's step, the smallest spoon, the jug's step, the can."""

    system: System = "metric"
    scale_g: float = 1.0
    spoon_ml: float = 1.25
    jug_ml: float = 10.0
    can_l: float = 10.0

    def __post_init__(self) -> None:
        for name, value in (
            ("scale", self.scale_g),
            ("spoon", self.spoon_ml),
            ("jug", self.jug_ml),
            ("can", self.can_l),
        ):
            if not (math.isfinite(value) and value > 0):
                raise MixError(f"The {name} must measure more than 0.")


@dataclass(frozen=True)
class Measured:
    """An amount as the kit measures it; `error` is the share by which it is off."""

    text: str
    error: float

    @property
    def coarse(self) -> bool:
        return abs(self.error) > TOO_COARSE


def measured(each: Portion, kit: Kit) -> Measured:
    """One ingredient, rounded to the kit."""
    value, dimension = in_base(each.amount, each.unit)
    if dimension == "count":
        return _counted(value, each.ingredient.piece or "piece")
    if dimension == "volume":
        return _poured(value, kit)
    return _weighed(value, each, kit)


def _counted(pieces: float, name: str) -> Measured:
    rounded = max(0.5, round(2 * pieces) / 2) if pieces < 10 else float(round(pieces))
    text = f"{_quarters(rounded)} {name}" + ("" if rounded <= 1 else "s")
    return Measured(text, rounded / pieces - 1)


def _weighed(grams: float, each: Portion, kit: Kit) -> Measured:
    rounded = round(grams / kit.scale_g) * kit.scale_g
    error = rounded / grams - 1
    if rounded > 0 and abs(error) <= TOO_COARSE:
        return Measured(_mass_text(rounded, kit), error)
    if each.ingredient.density is not None:
        spooned = _spooned(grams / each.ingredient.density, kit)
        if abs(spooned.error) < abs(error):
            return spooned
    if rounded > 0:
        return Measured(_mass_text(rounded, kit), error)
    return Measured(f"{figure(grams)} g: too little for your scale; brew more and keep the rest", error)


def _mass_text(grams: float, kit: Kit) -> str:
    plain = f"{grams / 1000:.4g} kg" if grams >= 1000 else f"{grams:.4g} g"
    if kit.system == "metric":
        return plain
    us = f"{grams / POUND:.1f} lb" if grams >= POUND else f"{grams / OUNCE:.1f} oz"
    return f"{us} ({plain})"


def _poured(litres: float, kit: Kit) -> Measured:
    ml = 1000 * litres
    if ml < 5 * kit.jug_ml:
        return _spooned(ml, kit)
    step = kit.jug_ml if ml < 1000 else max(kit.jug_ml, 50.0) if ml < 10_000 else max(kit.jug_ml, 100.0)
    rounded = round(ml / step) * step
    plain = f"{rounded / 1000:.4g} L" if rounded >= 1000 else f"{rounded:.4g} mL"
    if kit.system == "US":
        vessel = next((v for v in US_VESSELS if rounded >= 0.9 * v[0]), None)
        if vessel is None:  # a quarter cup is too coarse a step for less than one
            return _spooned(ml, kit)
        size, name = vessel
        quarters = round(4 * rounded / size) / 4
        return Measured(f"{_quarters(quarters)} {name} ({plain})", quarters * size / ml - 1)
    return Measured(plain, rounded / ml - 1)


def _spooned(ml: float, kit: Kit) -> Measured:
    """By spoons, down to the smallest there is."""
    spoons = SPOONS if kit.system == "metric" else US_SPOONS
    rounded = round(ml / kit.spoon_ml) * kit.spoon_ml
    if rounded == 0:
        return Measured(f"{figure(ml)} mL: too little for your smallest spoon; mix more and use a part", -1.0)
    size, name = next((s for s in spoons if rounded >= s[0] - 1e-9), spoons[-1])
    quarters = max(0.25, round(4 * rounded / size) / 4)
    return Measured(f"{_quarters(quarters)} {name} ({quarters * size:.3g} mL)", quarters * size / ml - 1)


def _quarters(number: float) -> str:
    whole, rest = divmod(number, 1)
    part = FRACTIONS.get(round(rest, 2), "")
    if not part:
        return figure_or_whole(number)
    return f"{whole:.0f} {part}" if whole else part


@dataclass(frozen=True)
class Can:
    """How many cans alike, what goes in each, and the parts of water that it really gives to one of concentrate."""

    count: int
    litres: float
    concentrate: Measured
    water: Measured
    really: float | None


def cans(mixed: Mix, kit: Kit) -> Can | None:
    """The application in equal cans; None for what is spread dry."""
    if mixed.application_litres is None or mixed.concentrate_litres is None or mixed.water_litres is None:
        return None
    count = max(1, math.ceil(mixed.application_litres / kit.can_l - 1e-9))
    concentrate = _poured(mixed.concentrate_litres / count, kit)
    if mixed.water_litres == 0:
        return Can(count, mixed.application_litres / count, concentrate, Measured("none", 0.0), None)
    water = _poured(mixed.water_litres / count, kit)
    given = mixed.water_litres * (1 + water.error) / (mixed.concentrate_litres * (1 + concentrate.error) or math.nan)
    return Can(count, mixed.application_litres / count, concentrate, water, given if math.isfinite(given) else None)


@dataclass(frozen=True)
class Equipment:
    """A way to bring it out: litres a filling, minutes a filling, share lost in the vessel, cautions."""

    key: str
    name: str
    litres: float
    minutes: float
    lost: float
    cautions: tuple[str, ...]
    hints: tuple[str, ...]


EQUIPMENT: tuple[Equipment, ...] = (
    Equipment("can", "Watering can, coarse rose", 10.0, 4.0, 0.0, ("mixed", "pour"), ("A coarse rose, or none.",)),
    Equipment(
        "backpack", "Backpack sprayer", 15.0, 12.0, 0.03, ("pump", "mist", "mixed"),
        ("Filter out, or the bag’s mesh finer than the nozzle.", "Shake or stir while you go: the life settles out.",
         "What was in it before? Wash it out three times."),
    ),
    Equipment(
        "tank", "Pump and tank", 200.0, 25.0, 0.04, ("pump", "mixed"),
        ("Gravity is gentler than the pump.", "Keep it stirred.", "Empty hose and tank afterwards."),
    ),
    Equipment(
        "drip", "Drip injection", 1000.0, 60.0, 0.08, ("backflow", "pump", "local"),
        ("Filter to what the emitters need, and flush with plain water afterwards.",
         "The control’s line gets plain water for as long."),
    ),
)  # fmt: skip


def fillings(litres: float, equipment: Equipment) -> tuple[int, float, float]:
    """Fillings, minutes, and litres to mix so that what stays in the vessel is not missing in the ground."""
    wanted = litres / (1 - equipment.lost)
    count = max(1, math.ceil(wanted / equipment.litres - 1e-9))
    return count, count * equipment.minutes, wanted
