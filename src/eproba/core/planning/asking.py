"""Which measure is asked in which round: what makes sense for each, and what a gardener ticks instead."""

from collections.abc import Mapping, Sequence

from eproba.core.measuring.measures import AWAY_HOURS, WHEN, Measure
from eproba.core.trial.days import DaysError
from eproba.core.words import lower_first

Grid = Mapping[str, tuple[int, ...]]


def usual_rounds(measure: Measure, rounds: Sequence[int], pulls: Sequence[int], pours: Sequence[int]) -> list[int]:
    """The rounds in which a measure makes sense, by its own `when`; what ends the plant is read when it is pulled."""
    if measure.destructive:
        return [day for day in rounds if day in pulls]
    ends = sorted({rounds[0], rounds[-1]})
    if measure.when == "last":
        return [rounds[-1]]
    if measure.when == "first and last":
        return ends
    if measure.when == "after a pour":
        hit = {pour + hours // 24 for pour in pours for hours in measure.hours}
        return sorted({*ends, *(day for day in rounds if day in hit)})
    if measure.when == "away from pours":
        # A round on the day of a pour is read before it.
        return [day for day in rounds if not any(0 < 24 * (day - pour) < AWAY_HOURS for pour in pours)]
    return list(rounds)


def asked_rounds(
    measures: Sequence[Measure], rounds: Sequence[int], pulls: Sequence[int], pours: Sequence[int],
    offered: Sequence[str] = (), ticked: Sequence[str] = (),
) -> Grid:  # fmt: skip
    """Rounds by measure: as ticked where that was offered (“key@day”), else as usual; the first measure's ends always.

    Raises
    ------
    DaysError
        A measure that is asked in no round.
    """
    seen, kept = set(offered), set(ticked)
    grid: dict[str, tuple[int, ...]] = {}
    for place, measure in enumerate(measures):
        usual = usual_rounds(measure, rounds, pulls, pours)
        wanted = {
            day for day in rounds
            if (cell(measure.key, day) in kept if cell(measure.key, day) in seen else day in usual)
        }  # fmt: skip
        if measure.destructive:
            wanted = set(usual)
        elif place == 0:
            wanted |= {rounds[0], rounds[-1]}
        if not wanted and not measure.destructive:
            name = measure.name
            text = f"{name} is asked in no round; it is usually asked {WHEN[measure.when]}"
            raise DaysError(f"{text}. Tick one, or take {lower_first(name)} out of the trial.")
        grid[measure.key] = tuple(sorted(wanted))
    return grid


def cell(key: str, day: int) -> str:
    """A place in the grid, as a form names it."""
    return f"{key}@{day}"
