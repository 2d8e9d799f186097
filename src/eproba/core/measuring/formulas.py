"""The formulas behind what is worked out: numbers in, numbers out, each with its source.

Inputs are checked by `calculators` (finite, inside their ranges); what one can't be beside another is checked here.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

from eproba.core.errors import EprobaError
from eproba.core.words import figure

GAS = 8.314462  # J per mol and K
ZERO_C = 273.15
CARBON = 12.011  # g a mol
DAY = 86_400  # seconds
SQUARE_M2 = 0.04  # the block of soil that is dug: 20 × 20 cm
USUAL_W = 0.15  # g water per g of dry soil, where nobody has weighed it
LEAST_R2 = 0.9
FLATTER = 0.7  # a second half that rises less steeply than this share of the first


class CalculatorError(EprobaError):
    """What can't be worked out: `field` is the input at fault, the message says what to do."""


@dataclass(frozen=True)
class Reckoned:
    """Results by key (None: there is no such number here), and what must be said of them."""

    results: Mapping[str, float | None]
    said: tuple[str, ...] = ()


def slurry(moist_g: float, ratio: float, w: float | None = None) -> Reckoned:
    """Water to add to moist soil for a slurry of 1 : ratio on dry mass.

    Without `w` (g water per g dry) nothing is known of the dry mass; then the ratio is told that comes of adding
    ratio × the moist mass, if the soil holds 15 %.
    """
    held = USUAL_W if w is None else w
    dry = moist_g / (1 + held)
    true_ratio = held + ratio * (1 + held)
    if w is None:
        text = f"With {ratio:g} times its mass of water it is truly about 1 : {figure(true_ratio, 2)}"
        said = f"{text}, if the soil holds {100 * USUAL_W:.0f} % of water; weigh it wet and dry to know."
        return Reckoned({"dry_g": None, "add_g": None, "true_ratio": true_ratio}, (said,))
    add = ratio * dry - moist_g * w / (1 + w)
    if add < 0:
        raise CalculatorError("the soil holds more water than the slurry wants: let it dry first", field="w")
    return Reckoned({"dry_g": dry, "add_g": add, "true_ratio": true_ratio})


def conductivity(ec: float, t: float) -> Reckoned:
    """Conductivity at 25 °C, where the meter does not correct by itself (1.91 % a degree; USDA Handbook 60, 1954)."""
    return Reckoned({"ec25": ec / (1 + 0.0191 * (t - 25))})


def infiltration(
    seconds: float, depth_mm: float | None = None, volume_ml: float | None = None, ring_mm: float | None = None,
    gone: float = 1,
) -> Reckoned:  # fmt: skip
    """How fast water goes in, mm an hour; from its depth, or its volume in a ring of that diameter.

    `gone` 0: not gone when the clock was stopped.
    """
    if depth_mm is None:
        if volume_ml is None or ring_mm is None:
            raise CalculatorError("give depth_mm, or volume_ml and ring_mm", field="depth_mm")
        depth_mm = 1000 * volume_ml / (math.pi * ring_mm**2 / 4)
    speed = 3600 * depth_mm / seconds
    said = () if gone else ("Not gone when you stopped: it goes in slower than that.",)
    return Reckoned({"depth_mm": depth_mm, "mm_per_h": speed}, said)


def breathing(
    volume_l: float, area_cm2: float, t: float, kpa: float = 101.325, slope: float | None = None,
    minutes: Sequence[float] | None = None, ppm: Sequence[float] | None = None,
) -> Reckoned:  # fmt: skip
    """CO₂ that a piece of ground breathes out under a closed chamber, µmol per m² and second, and g carbon a day.

    `slope` in ppm a minute, or the run that it is fitted to by least squares, over its straight part.
    """
    said: list[str] = []
    r2: float | None = None
    if slope is None:
        if minutes is None or ppm is None:
            raise CalculatorError("give slope, or minutes and ppm", field="slope")
        slope, r2, said = _slope(minutes, ppm)
    if slope < 0:
        raise CalculatorError("the CO₂ falls: the chamber leaks, or the meter had not warmed up", field="ppm")
    volume, area = volume_l / 1000, area_cm2 / 10_000
    flux = slope / 60 * _mol(kpa, volume, t) / area
    return Reckoned({"flux": flux, "carbon_g_m2_day": flux * DAY * CARBON * 1e-6, "r2": r2}, tuple(said))


def _mol(kpa: float, volume_m3: float, t: float) -> float:
    """Mol of gas in a volume."""
    return kpa * 1000 * volume_m3 / (GAS * (t + ZERO_C))


def _slope(minutes: Sequence[float], ppm: Sequence[float]) -> tuple[float, float, list[str]]:
    """Slope and R² over the straight part, and what is to be said of it."""
    if len(minutes) != len(ppm):
        raise CalculatorError(f"{len(minutes)} times and {len(ppm)} values: give as many of each", field="ppm")
    if len(minutes) < 3:
        raise CalculatorError("a slope needs three readings or more", field="ppm")
    if any(later <= earlier for earlier, later in pairwise(minutes)):
        raise CalculatorError("the times must rise from one to the next", field="minutes")
    said, kept = [], len(minutes)
    while kept >= 6 and _flattens(minutes[:kept], ppm[:kept]):
        kept -= 1
    if kept < len(minutes):
        said.append(f"It flattens: only the first {kept} of {len(minutes)} readings are taken.")
    slope, r2 = _line(minutes[:kept], ppm[:kept])
    if r2 < LEAST_R2:
        said.append(f"The readings lie badly on a line (R² {figure(r2, 2)}): seal the chamber and read again.")
    return slope, r2, said


def _flattens(minutes: Sequence[float], ppm: Sequence[float]) -> bool:
    half = len(minutes) // 2
    first, second = _line(minutes[: half + 1], ppm[: half + 1])[0], _line(minutes[half:], ppm[half:])[0]
    return first > 0 and second < FLATTER * first


def _line(x: Sequence[float], y: Sequence[float]) -> tuple[float, float]:
    """Least squares: slope and R²."""
    mean_x, mean_y = math.fsum(x) / len(x), math.fsum(y) / len(y)
    sxx = math.fsum((value - mean_x) ** 2 for value in x)
    sxy = math.fsum((a - mean_x) * (b - mean_y) for a, b in zip(x, y, strict=True))
    syy = math.fsum((value - mean_y) ** 2 for value in y)
    return sxy / sxx, 1.0 if syy == 0 else sxy**2 / (sxx * syy)


def jar(
    from_ppm: float, to_ppm: float, volume_l: float, t: float, dry_g: float, hours: float, kpa: float = 101.325
) -> Reckoned:
    """CO₂ that soil breathes out in a closed jar, µg carbon per g of dry soil and day."""
    if to_ppm < from_ppm:
        raise CalculatorError("the CO₂ falls: the jar leaks, or the meter had not warmed up", field="to_ppm")
    carbon = (to_ppm - from_ppm) * _mol(kpa, volume_l / 1000, t) * CARBON
    return Reckoned({"carbon_ug_g_day": carbon / dry_g / (hours / 24)})


def water(wet_g: float, dry_g: float, tin_g: float = 0, density: float | None = None) -> Reckoned:
    """Water of soil by weighing, g per g of dry soil; by volume where its bulk density is known."""
    if dry_g > wet_g:
        raise CalculatorError("dry is heavier than wet: the two are swapped, or another tin", field="dry_g")
    if dry_g <= tin_g:
        raise CalculatorError("no soil is left beside the tin: weigh the tin alone again", field="tin_g")
    w = (wet_g - dry_g) / (dry_g - tin_g)
    return Reckoned({"w": w, "by_volume": None if density is None else w * density})


def growth(first: float, last: float, days: float) -> Reckoned:
    """Relative growth rate a day (Hoffmann & Poorter 2002), days to double, absolute growth a day."""
    rate = math.log(last / first) / days
    doubling = math.log(2) / rate if rate > 0 else None
    said = () if doubling is not None else ("It did not grow: there is no time to double.",)
    return Reckoned({"relative": rate, "doubling_days": doubling, "absolute": (last - first) / days}, said)


def coming_up(days: Sequence[float], up: Sequence[float]) -> Reckoned:
    """Days until half were up (Farooq et al. 2005), and the mean day of coming up.

    Where one died, the highest count so far counts.
    """
    if len(days) != len(up):
        raise CalculatorError(f"{len(days)} days and {len(up)} counts: give as many of each", field="up")
    if any(later <= earlier for earlier, later in pairwise(days)):
        raise CalculatorError("the days must rise from one to the next", field="days")
    counts = [max(up[: i + 1]) for i in range(len(up))]
    said = () if counts == list(up) else ("Fewer than before: the highest count so far is taken.",)
    total = counts[-1]
    if total == 0:
        return Reckoned({"t50": None, "mean_days": None}, ("None came up: there is no number.",))
    fresh = [n - before for before, n in pairwise([0.0, *counts])]
    mean = math.fsum(n * day for n, day in zip(fresh, days, strict=True)) / total
    return Reckoned({"t50": _half_up(days, counts), "mean_days": mean}, said)


def _half_up(days: Sequence[float], counts: Sequence[float]) -> float:
    half = counts[-1] / 2
    after = next(i for i, n in enumerate(counts) if n >= half)
    if after == 0:
        return days[0]  # at the first look half were up already
    before = after - 1
    return days[before] + (half - counts[before]) * (days[after] - days[before]) / (counts[after] - counts[before])


def root_shoot(root_g: float, shoot_g: float) -> Reckoned:
    """Dry root by dry shoot, and the root's share of both."""
    return Reckoned({"ratio": root_g / shoot_g, "root_share": root_g / (root_g + shoot_g)})


def dry_down(days: Sequence[float], values: Sequence[float], mark: float) -> Reckoned:
    """The day on which the soil was down to the mark, by interpolation."""
    if len(days) != len(values):
        raise CalculatorError(f"{len(days)} days and {len(values)} values: give as many of each", field="values")
    if any(later <= earlier for earlier, later in pairwise(days)):
        raise CalculatorError("the days must rise from one to the next", field="days")
    if values[0] <= mark:
        return Reckoned({"days": None}, ("It was below the mark from the start.",))
    for (day, value), (later, lower) in pairwise(zip(days, values, strict=True)):
        if lower <= mark:
            return Reckoned({"days": day + (value - mark) / (value - lower) * (later - day)})
    return Reckoned({"days": None}, (f"Not down to {figure(mark)} by day {figure(days[-1])}: later than that.",))


def worms(dug: float) -> Reckoned:
    """Worms a square metre from a dug block of 20 × 20 cm."""
    return Reckoned({"per_m2": dug / SQUARE_M2})


def lost(before_g: float, after_g: float) -> Reckoned:
    """How much of a bag or a bundle of straw has rotted, in percent."""
    if after_g > before_g:
        raise CalculatorError("heavier than before: brush the soil off, dry it, weigh again", field="after_g")
    return Reckoned({"percent": 100 * (before_g - after_g) / before_g})


def settled(sunk_mm: float, above_mm: float) -> Reckoned:
    """The share of a settling jar that has sunk, in percent of the whole height."""
    if sunk_mm + above_mm <= 0:
        raise CalculatorError("the jar is empty: measure what sank, and what stands above it", field="above_mm")
    return Reckoned({"percent": 100 * sunk_mm / (sunk_mm + above_mm)})


def sieved(coarse_g: float, all_g: float) -> Reckoned:
    """The share that stays in the sieve, in percent of the whole."""
    if coarse_g > all_g:
        raise CalculatorError("more than all stayed in the sieve: the two are swapped", field="coarse_g")
    return Reckoned({"percent": 100 * coarse_g / all_g})


FORMULAS: Mapping[str, Callable[..., Reckoned]] = {
    "slurry": slurry,
    "conductivity": conductivity,
    "infiltration": infiltration,
    "breathing": breathing,
    "jar": jar,
    "water": water,
    "growth": growth,
    "coming-up": coming_up,
    "root-shoot": root_shoot,
    "dry-down": dry_down,
    "worms": worms,
    "lost": lost,
    "settled": settled,
    "sieved": sieved,
}
