"""The day strip: applications and rounds on one time axis, today, and the envelope at its end."""

from dataclasses import dataclass
from datetime import date

from eproba.core.planning.trial import Trial

WIDTH, LEFT, RIGHT = 1000.0, 88.0, 60.0


@dataclass(frozen=True)
class Mark:
    """One mark: its place, its state (a CSS class and a word), its label and a title."""

    x: float
    state: str
    label: str
    title: str


@dataclass(frozen=True)
class DayStrip:
    """All marks on the axis; `today` None: outside the strip."""

    start: float
    end: float
    ticks: tuple[Mark, ...]
    rounds: tuple[Mark, ...]
    pours: tuple[Mark, ...]
    today: float | None
    envelope: float
    sealed: bool
    words: str


def day_strip(trial: Trial, today: date) -> DayStrip:
    """Lay the trial's days along the axis."""

    def x(day: float) -> float:
        return round(LEFT + (WIDTH - LEFT - RIGHT) * day / trial.decision_day, 1)

    now = trial.day_of(today)
    rounds = tuple(
        Mark(x(r.day), _state(r.done, r.day, now), str(r.day), f"Round on day {r.day}: {_state(r.done, r.day, now)}")
        for r in trial.rounds
    )
    pours = tuple(_pour_mark(trial, day, now, x(day)) for day in sorted({pour.day for pour in trial.pours}))
    step = next(s for s in (1, 2, 7, 14, 28, 56, 112, 224, 448) if trial.decision_day / s <= 12)
    ticks = tuple(
        Mark(x(day), "", f"{trial.date_of(day).day} {trial.date_of(day):%b}", f"day {day}")
        for day in range(0, trial.decision_day + 1, step)
        if day == 0 or step < trial.decision_day or day == trial.decision_day
    )
    taken = sum(r.done for r in trial.rounds)
    words = (
        f"Day {now} of {trial.decision_day}. {taken} of {len(trial.rounds)} rounds taken, "
        f"{sum(p.state == 'done' for p in pours)} of {len(pours)} pouring days done."
    )
    inside = -0.5 <= now <= trial.decision_day + 0.5
    return DayStrip(
        x(0), x(trial.decision_day), ticks, rounds, pours, x(now) if inside else None, x(trial.decision_day),
        trial.sealed(today), words,
    )  # fmt: skip


def _state(done: bool, day: int, now: int) -> str:
    if done:
        return "done"
    return "due" if day <= now else "to come"


def _pour_mark(trial: Trial, day: int, now: int, x: float) -> Mark:
    pours = [pour for pour in trial.pours if pour.day == day]
    if all(pour.status == "skipped" for pour in pours):
        state = "skipped"
    else:
        state = _state(all(pour.status != "due" for pour in pours), day, now)
    return Mark(x, state, "", f"Application on day {day}: {state}")
