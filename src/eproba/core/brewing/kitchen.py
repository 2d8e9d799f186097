"""Rounded to what the gardener's kit can measure: scale, spoons, syringe, jug, can; and what this really gives."""

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

from eproba.core.brewing.mixing import Loads, Mix, MixError, loads
from eproba.core.brewing.recipe import Portion
from eproba.core.quantities import Amount, System, Units, in_base
from eproba.core.words import figure_or_whole

Vessel = tuple[float, str, float, float, float]
SPOONS: tuple[Vessel, ...] = ((15.0, "tbsp", 0.5, 0, 8), (5.0, "tsp", 0.25, 0, 6))  # as those of the US, below
# US measures: millilitres, name, the smallest part of one that is measured, the fewest and most that are counted.
US_MEASURES: tuple[Vessel, ...] = (
    (3785.41, "gal", 0.25, 1, math.inf), (946.353, "qt", 0.25, 1, 16), (236.588, "cup", 0.25, 0, 12),
    (29.5735, "fl oz", 1.0, 0, 16), (14.7868, "tbsp", 0.5, 0, 8), (4.92892, "tsp", 0.25, 0, 6),
)  # fmt: skip
FRACTIONS = {0.25: "¼", 0.5: "½", 0.75: "¾"}
SHARES = {2: "half", 3: "a third", 4: "a quarter", 5: "a fifth", 10: "a tenth"}
OUNCE, POUND = 28.3495, 453.592
OUNCES = (0.01, 0.05, 0.1, 0.25)  # the steps of scales that show ounces
CLOSE = 0.05  # of a mass: the scale is near enough, and handier than spoons
TOO_COARSE = 0.1  # of the amount: a rounding beyond it is told, with a way that measures well
AS_GOOD = 0.0025  # a difference between two errors that nobody can see
SYRINGE_MOST, SPOON_MOST = 60.0, 250.0  # mL: nobody measures more with it
FEW_STEPS = 5  # of a jug: less is measured by the spoon
MANY = (2, 3, 4, 5, 6, 8, 10, 20, 50, 100, 200, 500, 1000)


@dataclass(frozen=True)
class Kit:
    """What there is to measure with: the scale's step, the smallest spoon, the jug's step, the can; the step of a
    syringe, 0 where there is none."""

    system: System = "metric"
    scale_g: float = 1.0
    spoon_ml: float = 1.25
    jug_ml: float = 10.0
    can_l: float = 10.0
    syringe_ml: float = 0.0

    def __post_init__(self) -> None:
        for name, value in (
            ("scale", self.scale_g),
            ("spoon", self.spoon_ml),
            ("jug", self.jug_ml),
            ("can", self.can_l),
        ):
            if not (math.isfinite(value) and value > 0):
                raise MixError(f"The {name} must measure more than 0.")
        if not (math.isfinite(self.syringe_ml) and self.syringe_ml >= 0):
            raise MixError("The syringe measures 0 (there is none) or more.")


@dataclass(frozen=True)
class Measured:
    """An amount as the kit measures it; `error` is the share by which it is off."""

    text: str
    error: float

    @property
    def coarse(self) -> bool:
        return abs(self.error) > TOO_COARSE


def measured(portion: Portion, kit: Kit) -> Measured:
    """One ingredient, rounded to the kit: the way with the smallest error; where none comes near, a larger amount that
    can be measured, and how much of it to use."""
    value, dimension = in_base(portion.amount, portion.unit)
    if dimension == "count":
        counted = _counted(value, portion.ingredient.piece or "piece")
        if not counted.coarse or portion.ingredient.grams_each is None:
            return counted
        return _best(
            portion.grams, lambda grams: _by_mass(grams, portion.ingredient.density, kit), "g", Units(kit.system)
        )
    if dimension == "volume":
        return _best(1000 * value, lambda ml: _by_volume(ml, kit), "mL", Units(kit.system))
    weighed = next((way for way in _by_mass(value, None, kit) if abs(way.error) <= CLOSE), None)
    return weighed or _best(
        value, lambda grams: _by_mass(grams, portion.ingredient.density, kit), "g", Units(kit.system)
    )


def volume(litres: float, kit: Kit) -> Measured:
    """A volume, rounded to the kit."""
    return _best(1000 * litres, lambda ml: _by_volume(ml, kit), "mL", Units(kit.system))


def _best(amount: float, ways: Callable[[float], Iterator[Measured]], unit: str, units: Units) -> Measured:
    nearest = _nearest(list(ways(amount)))
    if nearest is not None and not nearest.coarse:
        return nearest
    for times in MANY:
        more = _nearest(list(ways(times * amount)))
        if more is not None and not more.coarse:
            share = SHARES.get(times, f"1 part in {times}")
            return Measured(f"{more.text} for {times} times as much, of which you use {share}", more.error)
    return nearest or Measured(f"{units(Amount(amount, unit))}: too little for your kit", -1.0)


def _nearest(ways: list[Measured]) -> Measured | None:
    """The way with the smallest error; of those as good the first, which is the handiest."""
    if not ways:
        return None
    least = min(abs(way.error) for way in ways)
    return next(way for way in ways if abs(way.error) <= least + AS_GOOD)


def _counted(pieces: float, name: str) -> Measured:
    rounded = max(0.5, round(2 * pieces) / 2) if pieces < 10 else float(round(pieces))
    text = f"{_quarters(rounded)} {name}" + ("" if rounded <= 1 else "s")
    return Measured(text, rounded / pieces - 1)


def _by_mass(grams: float, density: float | None, kit: Kit) -> Iterator[Measured]:
    rounded = round(grams / kit.scale_g) * kit.scale_g
    if rounded > 0 and kit.system == "US":
        yield _in_ounces(rounded, grams, kit)
    elif rounded > 0:
        yield Measured(f"{rounded / 1000:.4g} kg" if rounded >= 1000 else f"{rounded:.4g} g", rounded / grams - 1)
    if density is not None and grams / density <= SPOON_MOST:
        yield from _by_spoon(grams / density, kit)


def _in_ounces(rounded: float, grams: float, kit: Kit) -> Measured:
    """Pounds and ounces."""
    pounds = int(rounded // POUND) if rounded >= POUND else 0
    step = 0.5 if pounds else next(step for step in OUNCES if step == OUNCES[-1] or step * OUNCE >= kit.scale_g)
    ounces = round((rounded - pounds * POUND) / OUNCE / step) * step
    really = pounds * POUND + ounces * OUNCE
    weights = [f"{pounds} lb"] if pounds else []
    weights += [f"{ounces:.3g} oz"] if ounces or not pounds else []
    return Measured(" ".join(weights), really / grams - 1)


def _by_volume(ml: float, kit: Kit) -> Iterator[Measured]:
    if kit.system == "US":
        yield from _by_vessel(US_MEASURES, ml, kit)
    else:
        few = ml < FEW_STEPS * kit.jug_ml
        yield from _by_spoon(ml, kit) if few else ()
        step = kit.jug_ml if ml < 1000 else max(kit.jug_ml, 50.0) if ml < 10_000 else max(kit.jug_ml, 100.0)
        rounded = round(ml / step) * step
        if rounded > 0:
            yield Measured(_plain_volume(rounded), rounded / ml - 1)
        yield from () if few else _by_spoon(ml, kit)
    yield from _by_syringe(ml, kit)


def _by_vessel(vessels: Sequence[Vessel], ml: float, kit: Kit) -> Iterator[Measured]:
    for size, name, step, least, most in vessels:
        part = _part(kit.spoon_ml, size) if name == "tsp" else step
        count = round(ml / size / part) * part
        if 0 < count <= most and count >= least:
            plain = f" ({_plain_volume(count * size)})" if kit.system == "metric" else ""
            yield Measured(f"{_quarters(count)} {name}{plain}", count * size / ml - 1)


def _by_spoon(ml: float, kit: Kit) -> Iterator[Measured]:
    """By spoons, down to the smallest there is."""
    if ml > SPOON_MOST:
        return
    yield from _by_vessel(US_MEASURES[2:] if kit.system == "US" else SPOONS, ml, kit)


def _part(smallest: float, size: float) -> float:
    """The smallest part of a spoon that is measured: quarters, from the smallest one there is."""
    return max(0.25, round(4 * smallest / size) / 4)


def _by_syringe(ml: float, kit: Kit) -> Iterator[Measured]:
    if kit.syringe_ml > 0 and ml <= SYRINGE_MOST:
        rounded = round(ml / kit.syringe_ml) * kit.syringe_ml
        if rounded > 0:
            yield Measured(f"{rounded:.3g} mL by syringe", rounded / ml - 1)


def _plain_volume(ml: float) -> str:
    return f"{ml / 1000:.3g} L" if ml >= 1000 else f"{ml:.3g} mL"


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
    concentrate = volume(mixed.concentrate_litres / count, kit)
    if mixed.water_litres == 0:
        return Can(count, mixed.application_litres / count, concentrate, Measured("none", 0.0), None)
    water = volume(mixed.water_litres / count, kit)
    given = mixed.water_litres * (1 + water.error) / (mixed.concentrate_litres * (1 + concentrate.error) or math.nan)
    return Can(count, mixed.application_litres / count, concentrate, water, given if math.isfinite(given) else None)


def as_measured(mixed: Mix, kit: Kit) -> Mix:
    """The mix as the kit measures it: rounded amounts, the strength that the cans give, and what that adds."""
    amounts = tuple(
        replace(portion, amount=portion.amount * (1 + measured(portion, kit).error)) for portion in mixed.amounts
    )
    can = cans(mixed, kit)
    if can is None or mixed.concentrate_litres is None or mixed.water_litres is None:
        return replace(mixed, amounts=amounts, loads=_loads(mixed, amounts, mixed.application_litres, 1.0))
    more = 1 + can.concentrate.error
    concentrate, water = mixed.concentrate_litres * more, mixed.water_litres * (1 + can.water.error)
    return replace(
        mixed,
        parts=(1.0, water / concentrate) if concentrate > 0 else mixed.parts,
        application_litres=concentrate + water,
        concentrate_litres=concentrate,
        water_litres=water,
        amounts=amounts,
        loads=_loads(mixed, amounts, concentrate + water, more),
    )


def _loads(mixed: Mix, amounts: tuple[Portion, ...], litres: float | None, more: float) -> Loads | None:
    """What a square metre gets where `more` of the concentrate than was mixed is poured."""
    if mixed.area_m2 is None:
        return None
    poured = tuple(replace(portion, amount=portion.amount * more) for portion in amounts)
    return loads(mixed.recipe, poured, mixed.area_m2, litres)


@dataclass(frozen=True)
class Equipment:
    """A way to bring it out: litres a filling, minutes a filling, litres lost in it each time, cautions; `most_parts`:
    the most water that an injector draws to one part of concentrate; `rate` L/m² where it is not the recipe’s."""

    key: str
    name: str
    litres: float
    minutes: float
    lost: float
    cautions: tuple[str, ...]
    hints: tuple[str, ...]
    rate: float | None = None
    most_parts: float | None = None


def fillings(litres: float, equipment: Equipment) -> tuple[int, float, float]:
    """Fillings, minutes, and litres to mix so that what stays in the vessel each time is not missing in the ground."""
    count = max(1, math.ceil(litres / (equipment.litres - equipment.lost) - 1e-9))
    return count, count * equipment.minutes, litres + count * equipment.lost


def too_weak_for(equipment: Equipment, parts: tuple[float, float]) -> str:
    """What an injector can't do: its limit, and the way round it; empty where it can."""
    if equipment.most_parts is None or parts[1] <= equipment.most_parts * parts[0]:
        return ""
    before = parts[1] / parts[0] / equipment.most_parts
    text = f"{equipment.name} gives 1 + {equipment.most_parts:g} at most"
    return f"{text}: dilute the concentrate 1 + {math.ceil(before) - 1} first, then let it draw that."
