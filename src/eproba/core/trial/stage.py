"""Where a trial stands, and whether its envelope is shut."""

from datetime import date, datetime
from typing import Literal

Stage = Literal["planned", "running", "finished", "ended early"]


def stage_of(
    *, start_on: date, decision_on: date, ended_on: date | None, started: bool, closed: bool, today: date
) -> Stage:
    """Where a trial stands: started by its first record, finished on the decision day with the last round closed."""
    if ended_on is not None:
        return "ended early"
    if today < start_on and not started:
        return "planned"
    return "finished" if today >= decision_on and closed else "running"


def is_sealed(stage: Stage) -> bool:
    """Whether the envelope is shut: names hidden in charts, no verdict."""
    return stage in ("planned", "running")


def no_look(day: int, decision_day: int, sealed: bool) -> str:
    """Why the envelope can't be opened early on a day of the trial; empty: it can."""
    if not sealed:
        return "The envelope is open already."
    if day >= decision_day:
        return "The decision day is here: take the last round, and the envelope opens for nothing."
    return "" if day >= 1 else "Day 0 is not over: there is nothing to see yet."


def opened_on(decision_on: date, ended_on: date | None, closed_at: datetime | None) -> date | None:
    """The day on which the envelope opened or will open, as far as it is settled: never before the decision day."""
    if ended_on is not None:
        return ended_on
    return None if closed_at is None else max(decision_on, closed_at.date())
