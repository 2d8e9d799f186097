"""The schedules of two places that take turns: which ones the lots may fall on.

References
----------
Bulté, I. & Onghena, P. (2008). An R package for single-case randomization tests. Behavior Research Methods 40: the
permitted schedules of alternating designs, restricted and balanced.
"""

import functools

FEWEST, MOST = 6, 14  # periods
LONGEST = 2  # periods in a row that a place may stay on, or off


@functools.cache
def permitted(periods: int) -> tuple[tuple[bool, ...], ...]:
    """Every permitted schedule of the first place (the second has the opposite): each place is on in half of the
    periods, and never longer than two in a row on or off.

    Examples
    --------
    >>> [sum(each) for each in permitted(4)]
    [2, 2, 2, 2, 2, 2]
    """
    sequences: list[tuple[bool, ...]] = [()]
    for _ in range(periods):
        sequences = [
            (*sequence, on) for sequence in sequences for on in (True, False) if _fits((*sequence, on), periods)
        ]
    return tuple(sorted(sequences, reverse=True))


def _fits(begun: tuple[bool, ...], periods: int) -> bool:
    on, off = sum(begun), len(begun) - sum(begun)
    last = begun[-LONGEST - 1 :]
    return max(on, off) <= periods // 2 and not (len(last) > LONGEST and len(set(last)) == 1)


def best_schedule_p(periods: int) -> float:
    """The smallest two-sided p that these schedules can give: the opposite one is among them."""
    return 2 / len(permitted(periods))
