"""A trial whose units go on: to see whether what it showed lasted, or to give the same again in another year.

The lots are those of the earlier trial, so they still divide by chance alone. What the units begin with is what that
trial did to them: it is never taken out as a start.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from eproba.core.errors import EprobaError
from eproba.core.measuring.measures import Measure
from eproba.core.trial.model import Carried, Compared, Trial
from eproba.core.words import lower_first

# Sugar feeds a flush that can die back within weeks; what lies on the ground or is dug in answers a season later.
LOOK_DAYS: Mapping[Compared, tuple[int, ...]] = {
    "drench": (14, 42), "way": (14, 42), "dry": (42, 180), "mulch": (42, 180), "media": (42, 180),
}  # fmt: skip
MOST_LOOKS, LATEST_LOOK = 12, 730


class CarryError(EprobaError):
    """A trial that can't be carried on so; the message says why and what to do."""


@dataclass(frozen=True)
class Carrying:
    """How a trial goes on: what for, from which day on, by which measure (and how often a unit), on which days."""

    carried: Carried
    start_on: date
    measure: Measure
    per_unit: int
    days: tuple[int, ...]


def usual_looks(trial: Trial) -> tuple[int, ...]:
    """On which days after the end of a trial one looks again."""
    return LOOK_DAYS[trial.compared]


def same_measure(trial: Trial) -> Measure | None:
    """The first measure, where it can be read again; what was picked or pulled can’t."""
    first = trial.asked[0].measure
    return None if first.destructive or first.adds_up else first


def must_be_there(trial: Trial) -> None:
    """Raise CarryError where the units of a treatment are all lost, or the places took turns."""
    if trial.turns:
        raise CarryError("Its places took turns: none of them got one thing alone, so nothing can be looked at again.")
    for treatment in trial.treatments:
        if all(unit.lost_on is not None for unit in trial.units if unit.letter == treatment.letter):
            raise CarryError(
                f"All {trial.noun.several} of {lower_first(treatment.name)} are lost. Ask it again in a new trial."
            )


def looks_read(text: str, since: date, today: date) -> tuple[int, ...]:
    """“14, 42”: the days after the trial on which one looks; the last one must lie ahead.

    Raises
    ------
    CarryError
        No days, too many, or none that can still be read.
    """
    parts = text.replace(",", " ").replace("and", " ").split()
    fits = all(part.isdigit() and 0 < int(part) <= LATEST_LOOK for part in parts)
    if not parts or len(parts) > MOST_LOOKS or not fits:
        raise CarryError(f"Write days after the trial as numbers from 1 to {LATEST_LOOK}, such as 14, 42.")
    days = tuple(sorted({int(part) for part in parts}))
    passed = (today - since).days
    ahead = tuple(day for day in days if day >= passed)
    if not ahead:
        raise CarryError(f"The trial ended {passed} days ago: these days are over. Write a later day.")
    return ahead


def next_year(trial: Trial) -> tuple[int, ...]:
    """The days of the rounds of a year in which the same is given again: those after its day 0."""
    return tuple(round_.day for round_ in trial.rounds if round_.day > 0)
