"""What to do about pours whose day is over: the way out that breaks no interval and needs no brew that is not there."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from statistics import median_low


@dataclass(frozen=True)
class PoursOf:
    """The pours of one treatment, in days of the trial: `planned` all of them, `done` when it was really poured, `due`
    those that wait; `fewest` days that its recipe wants between two."""

    letter: str
    planned: tuple[int, ...]
    done: tuple[int, ...]
    due: tuple[int, ...]
    fewest: float = 0.0

    @property
    def apart(self) -> float:
        """The fewest days between two pours: the recipe’s, or fewer where the plan accepted fewer."""
        accepted = accepted_gap(self.planned)
        return self.fewest if accepted is None else min(self.fewest, accepted)


def accepted_gap(planned: Sequence[int]) -> float | None:
    """The days between two pours that a plan was dealt with: the middle of its gaps, since single pours move. None
    where there is one pour at most. Who accepted fewer days than the recipe wants was told so at planning."""
    days = sorted(set(planned))
    return median_low([later - earlier for earlier, later in pairwise(days)]) if len(days) > 1 else None


@dataclass(frozen=True)
class CatchUp:
    """The way out: the days that are `skipped`, the overdue day that is poured on another (`moved`, `to`), or the next
    planned day (`to` alone; None: none is left)."""

    skipped: tuple[int, ...]
    moved: int | None
    to: int | None


def catch_up(treatments: Sequence[PoursOf], today: int, decision_day: int, ready: int, missed: int) -> CatchUp:
    """The first way out of pours that can’t be on their days, those before the day `missed`; `ready`: the day on which
    every brew for them is there."""
    overdue = sorted({day for pours in treatments for day in pours.due if day < missed})
    later = sorted({day for pours in treatments for day in pours.due if day >= missed})
    waiting = [pours for pours in treatments if any(day < missed for day in pours.due)]
    soonest = max([today, ready, *(_soonest(pours) for pours in waiting)])
    room = not later or all(later[0] - soonest >= pours.apart for pours in waiting)
    if room and soonest < decision_day and (not later or soonest < later[0]):
        return CatchUp(tuple(overdue[:-1]), overdue[-1], soonest)
    return CatchUp(tuple(overdue), None, later[0] if later else None)


def _soonest(pours: PoursOf) -> int:
    """The first day on which its recipe lets it be poured again."""
    return int(max(pours.done) + -(-pours.apart // 1)) if pours.done else 0
