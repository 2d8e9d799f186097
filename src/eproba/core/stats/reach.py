"""What an order of few units can show at all, before any is seen."""

import math

FEW = 10  # units of either below which the lots themselves give the bound
MOST_CLOSED = 3  # comparisons that are tested together, so that each may have the whole risk where all are shown


def can_show(units: int, comparisons: int, blocks: bool, risk: float = 0.05) -> bool:
    """Whether any order of so many units of each could show anything, among so many comparisons.

    Examples
    --------
    >>> [can_show(units, 1, blocks=True) for units in (4, 5, 6)]
    [False, False, True]
    """
    deals = 2**units if blocks else math.comb(2 * units, units)
    at_once = 1 if comparisons <= MOST_CLOSED else comparisons
    return units >= 2 and (units >= FEW or 2 / deals * at_once <= risk + 1e-12)


def fewest_that_can(comparisons: int, blocks: bool) -> int:
    """The fewest units of each with which some order can show something."""
    return next(units for units in range(2, FEW + 1) if can_show(units, comparisons, blocks))
