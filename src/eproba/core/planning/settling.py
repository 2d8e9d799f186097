"""The cheapest plan that would settle a can't-tell: one treatment against the control, as few minutes as it takes."""

import math
from dataclasses import dataclass, replace

from eproba.core.measuring.measures import Measure
from eproba.core.planning.chance import MOST_UNITS, ChanceError, Prospect, own_power
from eproba.core.planning.outlook import READING_SHARE, as_noise
from eproba.core.stats.sample_size import units_needed
from eproba.core.stats.series import Scale
from eproba.core.trial.days import POUR_SECONDS

CHANCE = 0.8
MOST_READINGS = 5


@dataclass(frozen=True)
class Settling:
    """Units of each, in pairs or not, readings of each unit; its chance at a true worth, the minutes of one round with
    its application."""

    units: int
    pairs: bool
    per_unit: int
    chance: float
    minutes: float


def cheapest(
    measure: Measure, scale: Scale, worth: float, noise: float, per_unit: int = 1, no_worse: bool = False
) -> Settling | None:
    """The plan with the fewest minutes for a round and an application that finds a true worth in 8 of 10; None: none.

    Parameters
    ----------
    worth : a fraction on the ratio scale, else in the measure's unit.
    noise : from unit to unit with `per_unit` readings of each, an SD on the scale of the estimates.
    """
    share = READING_SHARE if measure.reading_share is None else measure.reading_share
    found = []
    for readings in range(1, MOST_READINGS + 1):
        left = (1 - share + share / readings) / (1 - share + share / per_unit)
        for pairs in (True, False):
            plan = _plan(measure, scale, worth, noise * math.sqrt(left), readings, pairs, no_worse)
            found += [] if plan is None else [plan]
    return min(found, key=lambda plan: (plan.minutes, plan.units, not plan.pairs), default=None)


def _plan(
    measure: Measure, scale: Scale, worth: float, sd: float, readings: int, pairs: bool, no_worse: bool
) -> Settling | None:
    try:
        prospect = Prospect(2, 2, pairs, scale, as_noise(sd, scale), worth, no_worse=no_worse)
    except ChanceError:
        return None
    units = units_needed(prospect.gap, prospect.sd, 1, pairs, chance=CHANCE, no_worse=no_worse)
    if units is None or not 2 <= units <= MOST_UNITS:
        return None
    chance = own_power(replace(prospect, units=units)) or 0.0
    return Settling(units, pairs, readings, chance, 2 * units * (readings * measure.seconds + POUR_SECONDS) / 60)
