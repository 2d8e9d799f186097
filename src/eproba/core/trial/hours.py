"""The hours of rounds: at a clock's hour, at dusk, or so many hours after a pour, with a window around it."""

import math
import re
from collections.abc import Collection, Mapping, Sequence
from datetime import date, datetime, time, timedelta

from eproba.core.measuring.measures import Measure
from eproba.core.trial.days import DaysError
from eproba.core.trial.model import Round, RoundTime, Trial
from eproba.core.words import figure_or_whole, parse_number

USUAL_WITHIN = 3.0  # hours around one that follows a pour
MOST_HOURS, MOST_WITHIN = 240, 12.0
ANY = "any"
ONE = re.compile(
    r"^(?P<day>\d{1,4})\s+(?:at\s+)?(?:(?P<dusk>dusk)|(?P<clock>\d{1,2}:\d{2})|(?P<after>\d{1,3})\s*h)"
    r"(?:\s*(?:±|\+-|\+/-)\s*(?P<within>[\d.,]+)\s*h?)?$"
)


def hours_typed(text: str, rounds: Collection[int]) -> dict[int, RoundTime]:
    """“0 dusk, 1 24 h ± 3 h, 7 18:30” as the hours of rounds by day; “any”: none has one.

    Raises
    ------
    DaysError
        An entry that is none of it, a day without a round, an hour that no clock shows.
    """
    if text.strip().lower() == ANY:
        return {}
    hours: dict[int, RoundTime] = {}
    for part in filter(None, (part.strip() for part in re.split(r"[;\n]|,(?!\d)", text))):
        day, when = _one(part)
        if day not in rounds:
            named = ", ".join(map(str, sorted(rounds)))
            raise DaysError(f"“{part}”: there is no round on day {day}; the rounds are on {named}.")
        hours[day] = when
    return hours


def _one(part: str) -> tuple[int, RoundTime]:
    match = ONE.match(part.lower())
    if match is None:
        raise DaysError(f"“{part}” is no hour of a round: write dusk, 18:30, or 24 h ± 3 h (after a pour).")
    within = parse_number(match["within"]) if match["within"] else None
    if within is not None and not 0 < within <= MOST_WITHIN:
        raise DaysError(f"“{part}”: a window is above 0 and up to {MOST_WITHIN:g} hours.")
    if match["clock"]:
        hour, minute = map(int, match["clock"].split(":"))
        if hour > 23 or minute > 59:
            raise DaysError(f"“{part}”: no clock shows {match['clock']}; hours run from 0:00 to 23:59.")
        return int(match["day"]), RoundTime(f"{hour:02}:{minute:02}", None, within)
    if match["after"]:
        hours = int(match["after"])
        if hours > MOST_HOURS:
            raise DaysError(f"“{part}”: up to {MOST_HOURS} hours after a pour.")
        return int(match["day"]), RoundTime("", hours, within or USUAL_WITHIN)
    return int(match["day"]), RoundTime("dusk", None, within)


def hours_text(times: Mapping[int, RoundTime]) -> str:
    """The hours of rounds as they can be typed again."""
    return ", ".join(f"{day} {hour_typed(when)}" for day, when in sorted(times.items())) or ANY


def hour_typed(when: RoundTime) -> str:
    """One hour as it is typed: dusk, 18:30, 24 h ± 3 h."""
    around = "" if when.within is None else f" ± {figure_or_whole(when.within)} h"
    return (f"{when.after_hours} h" if when.after_hours is not None else when.at) + around


def hours_words(when: RoundTime) -> str:
    """“at dusk”, “at 18:30, give or take 2 h”, “24 h after the pour, give or take 3 h”."""
    around = "" if when.within is None else f", give or take {figure_or_whole(when.within)} h"
    return (f"{when.after_hours} h after the pour" if when.after_hours is not None else f"at {when.at}") + around


def usual_hours(
    measures: Sequence[Measure], grid: Mapping[str, Collection[int]], pours: Collection[int]
) -> dict[int, RoundTime]:
    """What the measures need: at dusk where one is read then; a day or more after a pour, at just so many hours."""
    times: dict[int, RoundTime] = {}
    for measure in measures:
        for day in grid[measure.key]:
            if measure.at:
                times.setdefault(day, RoundTime(measure.at))
            tied = [hours for hours in measure.hours if hours >= 24 and day - hours // 24 in pours]
            if tied:
                times[day] = RoundTime("", min(tied), USUAL_WITHIN)
    return times


def pour_day(this: Round) -> int | None:
    """The day of the pour that a round follows; None: it follows none."""
    return None if this.time is None or this.time.after_hours is None else this.day - this.time.after_hours // 24


def window_of(trial: Trial, this: Round) -> tuple[datetime, datetime] | None:
    """From when to when a round is to be read, by the gardener's clock; None: any hour, or not known (yet)."""
    when = this.time
    if when is None:
        return None
    middle = _after_pour(trial, this) if when.after_hours is not None else at_clock(when, trial.date_of(this.day))
    if middle is None:
        return None
    around = timedelta(hours=when.within or 0)
    return middle - around, middle + around


def _after_pour(trial: Trial, this: Round) -> datetime | None:
    """So many hours after the last pour of its day, once that is on record."""
    day = pour_day(this)
    done = [
        pour.done_at for pour in trial.pours if pour.done_at is not None and trial.day_of(pour.done_at.date()) == day
    ]
    hours = this.time.after_hours if this.time else None
    return max(done) + timedelta(hours=hours) if done and hours is not None else None


def at_clock(when: RoundTime | None, on: date) -> datetime | None:
    """The moment of a round on its day, by the gardener's clock; None: no clock shows it."""
    if when is None or ":" not in when.at:
        return None
    return datetime.combine(on, time.fromisoformat(when.at)).astimezone()


def followed(trial: Trial, moved: Mapping[int, int]) -> dict[int, int]:
    """New days, by id, of the rounds that follow pours which moved (old day → new day).

    A round stays where it would fall onto one that stays, onto the baseline, or onto the decision day and later; and
    what was read or missed stays.
    """
    days = {round_.id: day for round_ in trial.rounds[1:-1] if (day := _following(round_, moved)) is not None}
    while True:
        kept = {round_.day for round_ in trial.rounds if round_.id not in days}
        blocked = [number for number, day in days.items() if not 0 < day < trial.decision_day or day in kept]
        if not blocked:
            return days
        for number in blocked:
            del days[number]


def _following(this: Round, moved: Mapping[int, int]) -> int | None:
    """The day to which a round would follow its pour; None: it stays."""
    day = pour_day(this)
    if day is None or day not in moved or this.done or this.missed:
        return None
    return this.day + moved[day] - day


def hours_off(window: tuple[datetime, datetime], read_at: datetime) -> int:
    """How many whole hours before (−) or after its window something was read; 0: inside."""
    if read_at < window[0]:
        return -math.ceil((window[0] - read_at) / timedelta(hours=1))
    return math.ceil((read_at - window[1]) / timedelta(hours=1)) if read_at > window[1] else 0
