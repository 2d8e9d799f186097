"""Moving pours to another day, alone or with those that follow."""

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

from eproba.core.errors import EprobaError
from eproba.core.trial.days import is_before_the_decision
from eproba.core.trial.model import Pour, Trial


class MoveError(EprobaError):
    """A pour that can't be moved there; the message says what would fit."""


@dataclass(frozen=True)
class Move:
    """New days by the id of each pour that moves; those that would not come before the decision day fall away."""

    days: Mapping[int, int]
    dropped: tuple[int, ...]
    old: tuple[int, ...]
    new: tuple[int, ...]

    @property
    def told(self) -> tuple[str, str]:
        """The old and the new days in words."""
        gone = " (the last ones fall away)" if self.dropped else ""
        return _days(self.old), f"{_days(self.new)}{gone}"


def _days(days: tuple[int, ...]) -> str:
    return f"pour of day {days[0]}" if len(days) == 1 else f"pours of days {', '.join(map(str, days))}"


def move(trial: Trial, day: int, to: int, following: bool, today_day: int) -> Move:
    """What moves where, when the pours of a day go to another one: all treatments of that day together.

    Raises
    ------
    MoveError
        Nothing waits on that day; the new day is the old one, over, after the decision, or taken by another pour.
    """
    waiting = [pour for pour in trial.pours if pour.status == "due"]
    moving = [pour for pour in waiting if pour.day == day or (following and pour.day > day)]
    if not any(pour.day == day for pour in moving):
        raise MoveError(f"No pour waits on day {day}: what is on record stays where it is.")
    _check_day(trial, to, today_day)
    if to == day:
        raise MoveError(f"Day {day} is where this pour stands: choose another day.")
    shift = to - day
    staying = {(pour.letter, pour.what, pour.day) for pour in trial.pours if pour not in moving}
    new_days = {pour.id: pour.day + shift for pour in moving}
    days = {pour: new for pour, new in new_days.items() if is_before_the_decision(new, trial.decision_day)}
    taken = [pour.day + shift for pour in moving if (pour.letter, pour.what, days.get(pour.id, -1)) in staying]
    if taken:
        text = f"There is a pour on day {taken[0]} already: move those that follow too, or choose another day."
        raise MoveError(text)
    return Move(
        days=days,
        dropped=tuple(pour.id for pour in moving if pour.id not in days),
        old=_each_once(moving, 0),
        new=tuple(pour for pour in _each_once(moving, shift) if is_before_the_decision(pour, trial.decision_day)),
    )


def _check_day(trial: Trial, to: int, today_day: int) -> None:
    if to < max(0, today_day):
        soonest = f"{'today, ' if today_day >= 0 else ''}day {max(0, today_day)}"
        raise MoveError(f"{f'Day {to}' if to >= 0 else 'That day'} is over: the soonest is {soonest}.")
    if not is_before_the_decision(to, trial.decision_day):
        text = f"On day {trial.decision_day} the last readings come before anything is poured"
        raise MoveError(f"{text}: choose a day before it, or skip the pour.")


def _each_once(pours: list[Pour], shift: int) -> tuple[int, ...]:
    return tuple(sorted({pour.day + shift for pour in pours}))


def too_soon(trial: Trial, moved: Move, fewest: Mapping[str, float]) -> list[str]:
    """Treatments whose pours come closer together than their recipe wants, a sentence each; `fewest` days by letter."""
    lines = []
    for treatment in trial.treatments:
        least = fewest.get(treatment.letter)
        days = sorted(
            moved.days.get(pour.id, pour.day)
            for pour in trial.pours
            if pour.letter == treatment.letter
            and pour.what == "dose"
            and pour.status != "skipped"
            and pour.id not in moved.dropped
        )
        gaps = [later - earlier for earlier, later in pairwise(days)]
        if least is not None and gaps and min(gaps) < least:
            apart = f"{min(gaps)} day{'s' if min(gaps) != 1 else ''} between two pours"
            lines.append(f"{treatment.name}: {apart}; its recipe wants {least:g} at least.")
    return lines
