"""A simulated garden: seeded, plausible, and its truth is known."""

import math
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from eproba.core.measuring.measures import Measure


@dataclass(frozen=True)
class Truth:
    """How one measure behaves in the simulated garden.

    `start` and `gain_per_day` describe the control; `effects` each treatment's true effect at the end (a fraction on
    the ratio scale, in units else); `unit_sd`, `block_sd` and `reading_sd` are fractions on the ratio scale too.
    """

    start: float
    gain_per_day: float
    effects: Mapping[str, float]
    unit_sd: float
    block_sd: float
    reading_sd: float


@dataclass(frozen=True)
class Plot:
    """One unit of the simulated garden."""

    code: str
    letter: str
    block: str | None


def grow(
    measure: Measure, truth: Truth, plots: Sequence[Plot], days: Sequence[int], seed: int
) -> dict[tuple[str, int], float]:
    """Readings by (unit code, day), rounded and kept in range as a gardener would type them.

    A treatment's effect comes in linearly from day 0 to the last day.
    """
    rng = random.Random(seed)
    blocks = {block: rng.gauss(0, truth.block_sd) for block in sorted({plot.block or "" for plot in plots})}
    luck = {plot.code: rng.gauss(0, truth.unit_sd) for plot in plots}
    last = max(days) or 1
    readings = {}
    for plot in plots:
        for day in days:
            level = truth.start + truth.gain_per_day * day
            effect = truth.effects.get(plot.letter, 0.0) * day / last
            noise = blocks[plot.block or ""] + luck[plot.code] + rng.gauss(0, truth.reading_sd)
            as_ratio, as_difference = level * (1 + effect) * math.exp(noise), level + effect + noise
            value = as_ratio if measure.scale == "ratio" else as_difference
            readings[plot.code, day] = round(min(max(value, measure.low), measure.high), measure.decimals)
    return readings
