"""The shuffle test of two places that take turns: every permitted schedule is dealt again.

References
----------
Bulté, I. & Onghena, P. (2008), see `stats.periods`.
Onghena, P. (1992). Randomization tests for extensions and variations of ABAB single-case experimental designs.
Behavioral Assessment 14.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import special

from eproba.core.stats.linear import ROUNDING, Array
from eproba.core.stats.periods import FEWEST, MOST, permitted
from eproba.core.stats.series import UnitValue
from eproba.core.stats.shuffle import TIE, ShuffleTest, inverted, pile_of


@dataclass(frozen=True)
class Turns:
    """Both places period by period: +1 where the first is on, −1 where the second is; how much higher the first place
    stood, (periods, measures)."""

    on: Array
    higher: Array


def turns_of(units: Sequence[UnitValue], control: str, values: Array) -> Turns | None:
    """The turns of whole periods, rows as periods and columns as places; None for any other layout, or where a unit is
    missing.

    Parameters
    ----------
    values : (n, m) in the order of the units.
    """
    periods = sorted({str(unit.row) for unit in units}, key=lambda label: (len(label), label))
    places = sorted({str(unit.column) for unit in units})
    if len(places) != 2 or len(units) != 2 * len(periods) or not FEWEST <= len(periods) <= MOST:
        return None
    at = {(str(unit.row), str(unit.column)): i for i, unit in enumerate(units)}
    if len(at) != len(units):
        return None
    first, second = ([at[period, place] for period in periods] for place in places)
    on = np.array([1.0 if units[i].treatment != control else -1.0 for i in first])
    both = [units[i].treatment == units[j].treatment for i, j in zip(first, second, strict=True)]
    if any(both) or tuple(on > 0) not in permitted(len(periods)):
        return None
    return Turns(on, values[first] - values[second])


def schedule_tests(
    turns: Turns, values: Array, confidence: float = 0.95, in_full: bool = True, with_pile: bool = True
) -> list[ShuffleTest]:
    """Test on against off, one test a measure: the statistic is the mean gap over the periods, which takes places and
    periods out since each place is on in half of them."""
    periods = len(turns.on)
    dealt = np.where(np.array(permitted(periods)), 1.0, -1.0)
    seen = turns.on @ turns.higher / periods
    gaps, overlaps = (dealt @ turns.higher / periods).T, dealt @ turns.on / periods
    slack = TIE * (np.abs(turns.higher).sum(axis=0) / periods) + ROUNDING * np.abs(values).max(axis=0)
    beyond = (np.abs(gaps) >= (np.abs(seen) - slack)[:, None]).sum(axis=1)
    piles = [pile_of(gaps[j], float(seen[j])) if with_pile else () for j in range(len(seen))]
    total = len(dealt)
    ends = inverted(gaps, overlaps, seen, total, (1 - confidence) / 2) if in_full else [(None, None)] * len(seen)
    return [
        ShuffleTest(
            float(seen[j]), float(beyond[j]) / total, total, True, 2 / total, *ends[j], int(beyond[j]), piles[j],
        )
        for j in range(len(seen))
    ]  # fmt: skip


@dataclass(frozen=True)
class CarryOver:
    """What being on leaves behind in the period after: its size beside the gap itself, and its p."""

    size: float
    gap: float
    p: float


def carry_over(turns: Turns) -> CarryOver | None:
    """Look for what is left of the period before: the gap of a period on whether the places were changed over.

    The difference between the places, period by period from the second on, by least squares on which is on and which
    was on before. None where too few periods are left to tell.
    """
    higher, on = turns.higher[1:, 0], turns.on[1:]
    columns = np.column_stack([np.ones(len(on)), on, turns.on[:-1]])
    df = len(on) - 3
    if df < 2 or np.linalg.matrix_rank(columns) < 3:
        return None
    coefficients, *_ = np.linalg.lstsq(columns, higher, rcond=None)
    left = higher - columns @ coefficients
    variance = float(left @ left) / df
    if variance <= (ROUNDING * float(np.abs(higher).max())) ** 2:
        return CarryOver(float(coefficients[2]), float(coefficients[1]), 1.0)
    se = (variance * np.linalg.inv(columns.T @ columns)[2, 2]) ** 0.5
    return CarryOver(
        float(coefficients[2]), float(coefficients[1]), float(2 * special.stdtr(df, -abs(coefficients[2]) / se))
    )
