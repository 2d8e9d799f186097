"""The days of a trial: a baseline, rounds by the rhythm of what is measured, applications, and who is pulled when."""

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import pairwise

from eproba.core.errors import EprobaError
from eproba.core.measuring.measures import Measure, RhythmKind
from eproba.core.trial.lots import shuffled
from eproba.core.words import listed, plural

MOST_DAYS = 730
POUR_SECONDS = 45  # for one unit, watering lightly and pouring slowly: Eproba's own guess
CAN_MINUTES = 2.0  # to fill a can and carry it: likewise
WEEKDAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
RHYTHMS: dict[RhythmKind, str] = {
    "soil life": "Soil first: life in the soil answers within hours to days, so rounds crowd at the start.",
    "soil structure": "Soil structure: crumb and crust move over weeks, so a round each fortnight will do.",
    "growth": "Growth first: leaves answer in weeks, so a round each week will do.",
}


class DaysError(EprobaError):
    """Days that can't be; the message says what would fit."""

    step = "days"


@dataclass(frozen=True)
class Rhythm:
    """Days counted from day 0, the day of baseline and first application."""

    decision_day: int
    rounds: tuple[int, ...]
    pours: tuple[int, ...]


@dataclass(frozen=True)
class DayLoad:
    """One day's work: what is to do, and how long it takes."""

    day: int
    on: date
    round: bool
    pour: bool
    pull: bool
    minutes: float


def regular(decision_day: int, round_every: int, pour_every: int | None) -> Rhythm:
    """A round every so many days, applications likewise (None: once, on day 0)."""
    return Rhythm(
        decision_day, tuple(round_days(decision_day, round_every)), tuple(pour_days(decision_day, pour_every))
    )


def round_days(decision_day: int, every: int) -> list[int]:
    """Baseline on day 0, every so many days, and the decision day itself last.

    A round less than half a rhythm before the decision day is left out: it would tell the same.
    """
    kept = [day for day in range(0, decision_day, every) if day == 0 or decision_day - day >= every / 2]
    return [*kept, decision_day]


def shared_out(decision_day: int, periods: int) -> int:
    """The first day, from this one on, on which so many periods of two days or more end alike."""
    return max(2, -(-decision_day // periods)) * periods


def period_of_pour(day: int, length: int, periods: int) -> int:
    """The period, from 1 on, that an application of a day belongs to: on a day of change it is the new one."""
    return min(max(0, day) // length + 1, periods)


def turned_rounds(decision_day: int, periods: int, typed: Sequence[int] = ()) -> tuple[int, ...]:
    """The rounds of places that take turns: the last day of each period, or those typed, never in a period's first
    half, which washes out what was before.

    Raises
    ------
    DaysError
        Days that the periods don't share out, a round in a washout, a period without a round.
    """
    if decision_day % periods or decision_day // periods < 2:
        least, more = max(2, decision_day // periods) * periods, shared_out(decision_day, periods)
        text = f"{plural(decision_day, 'day')} can’t be shared out over {periods} periods"
        raise DaysError(f"{text}: decide on day {least}" + (f" or {more}." if more > least else "."))
    length = decision_day // periods
    rounds = tuple(sorted(set(typed))) or tuple(length * (i + 1) for i in range(periods))
    for day in rounds:
        into = (day - 1) % length + 1
        if not 1 <= day <= decision_day:
            raise DaysError(f"Day {day} is outside the trial: from day 1 to {decision_day}.")
        if into <= length // 2:
            text = f"Day {day} lies in a washout: the first {length // 2} days of each period are not read"
            raise DaysError(f"{text}. Day {day - into + length} ends that period.")
    read = {(day - 1) // length for day in rounds}
    if len(read) < periods or decision_day not in rounds:
        missing = [i + 1 for i in range(periods) if i not in read] or [periods]
        raise DaysError(f"Period {missing[0]} has no round at its end: day {length * missing[0]} is its last day.")
    return rounds


def is_before_the_decision(day: int, decision_day: int) -> bool:
    """Whether something may be given on a day: on the decision day the last readings come before anything is given."""
    return day < decision_day


def pour_days(decision_day: int, every: int | None) -> list[int]:
    """Day 0 and every so many days, but never on the decision day."""
    return [0] if every is None else list(range(0, decision_day, every))


def days_in_words(days: Sequence[int]) -> str:
    """“once, on day 0”; “every 7 days, 4 times”; “on days 0, 3 and 10”."""
    ordered = sorted(set(days))
    if len(ordered) < 2:
        return f"once, on day {ordered[0]}" if ordered else "never"
    gaps = {later - earlier for earlier, later in pairwise(ordered)}
    if len(ordered) > 2 and len(gaps) == 1:
        start = "" if ordered[0] == 0 else f" from day {ordered[0]} on"
        every = gaps.pop()
        return (
            f"every {every} days{start}, {len(ordered)} times" if every > 1 else f"daily{start}, {len(ordered)} times"
        )
    return f"on days {listed([str(day) for day in ordered])}"


ABOUT = 3  # days before and after the expected one on which one looks daily, at least
MOST_LOOKS = 21  # rounds for a day that nobody expects


def proposed_rounds(measures: Sequence[Measure], decision_day: int, expected: float | None = None) -> list[int]:
    """Rounds by the rhythms of all measures together; what destroys is read on the decision day.

    Where the first measure is a day itself, one looks daily about the `expected` one (None: its usual one), and needs
    no baseline; as another measure it is put down whenever it happens.
    """
    days = {decision_day} | ({0} if any(measure.kind != "day" for measure in measures) else set())
    for place, measure in enumerate(measures):
        if measure.kind == "day" and place == 0:
            usual = measure.expected if expected is None else expected
            days |= set(_looks(usual, measure.noise, decision_day))
        elif not measure.destructive:
            days |= set(_by_rhythm(measure.rhythm, decision_day))
    return sorted(days)


def _looks(expected: float | None, noise: float, decision_day: int) -> list[int]:
    """Daily about the expected day, then weekly until it happens; evenly where nobody expects a day."""
    if expected is None:
        return list(range(1, decision_day, max(1, -(-decision_day // MOST_LOOKS))))
    about = max(ABOUT, math.ceil(2 * noise))
    first, last = max(1, round(expected) - about), round(expected) + about
    return [day for day in (*range(first, last + 1), *range(last + 7, decision_day, 7)) if day < decision_day]


def _by_rhythm(rhythm: RhythmKind, decision_day: int) -> list[int]:
    if rhythm == "soil structure":
        return round_days(decision_day, 14)
    weekly = round_days(decision_day, 7)
    if rhythm == "growth":
        return weekly
    return sorted({day for day in (1, 2, 4) if day < decision_day} | set(weekly))


def on_weekdays(days: Sequence[int], start_on: date, weekdays: Collection[int], fixed: Collection[int]) -> list[int]:
    """Each day moved to the nearest of the gardener's weekdays (0: Monday), earlier if in doubt.

    `fixed` days stay (day 0, the decision day); none moves onto or past them, and two never fall together.
    """
    allowed = set(weekdays) or set(range(7))
    last = max(fixed)
    kept = set(fixed)
    for day in sorted(set(days) - set(fixed)):
        near = [day + step for step in (0, -1, 1, -2, 2, -3, 3)]
        fits = [d for d in near if 0 < d < last and (start_on + timedelta(days=d)).weekday() in allowed]
        if fits:
            kept.add(fits[0])
    return sorted(kept)


def checked_rounds(days: Sequence[int], decision_day: int, baseline: bool = True) -> tuple[int, ...]:
    """The rounds as a gardener set them; without `baseline` nothing is there to be read on day 0.

    Raises
    ------
    DaysError
        No baseline, a round after the decision day, none on it.
    """
    ordered = sorted(set(days))
    if not ordered or (baseline and ordered[0] != 0):
        raise DaysError("The baseline is day 0: without it nobody knows whether the units began alike. Add 0.")
    if ordered[-1] > decision_day:
        text = f"The decision day {decision_day} comes before the last round on day {ordered[-1]}"
        raise DaysError(f"{text}: decide on day {ordered[-1]}, or end the rounds with day {decision_day}.")
    if ordered[-1] != decision_day:
        raise DaysError(f"The last round is on the decision day: add {decision_day}, or decide on day {ordered[-1]}.")
    return tuple(ordered)


def checked_pulls(days: Sequence[int], rounds: Sequence[int], plants: int) -> tuple[int, ...]:
    """The days on which plants are pulled; the decision day where none is named.

    Raises
    ------
    DaysError
        A day without a round, or more pulls than plants in a unit.
    """
    pulls = sorted(set(days)) or [rounds[-1]]
    strange = [day for day in pulls if day not in rounds]
    if strange:
        text = ", ".join(str(day) for day in rounds)
        raise DaysError(f"Pulling on day {strange[0]} needs a round on that day; the rounds are on {text}.")
    if len(pulls) > plants:
        text = f"{len(pulls)} pulls need {len(pulls)} plants in each unit; you keep {plants}"
        raise DaysError(f"{text}. Grow more in each, or pull on day {rounds[-1]} only.")
    return tuple(pulls)


def pulled(seed: str, code: str, plants: int, pulls: Sequence[int]) -> dict[int, int]:
    """Which plant of a unit is pulled on which day, by lot: {day: plant number from 1}."""
    order = shuffled(plants, f"{seed}:pull:{code}")
    return {day: plant + 1 for day, plant in zip(sorted(pulls), order, strict=False)}


def is_asked(measure: Measure, day: int, pull: bool, days: Collection[int] | None = None) -> bool:
    """Whether a round asks a measure: what destroys on days of pulling only, others on their `days` (None: all)."""
    return pull if measure.destructive else days is None or day in days


def seconds_of_round(measures: Sequence[tuple[Measure, int]], units: int, pull: bool) -> int:
    """The reading time of a round that asks everything; what destroys is read on the days of pulling only."""
    return units * sum(m.seconds * per_unit for m, per_unit in measures if is_asked(m, 0, pull))


def units_in(minutes: float, measures: Sequence[tuple[Measure, int]], treatments: int) -> int:
    """The most units of each treatment that can be read in so many minutes a visit."""
    seconds = treatments * sum(m.seconds * per_unit for m, per_unit in measures)
    return int(minutes * 60 // seconds) if seconds else 0


def calendar(
    rounds: Collection[int],
    poured: Mapping[int, float],
    start_on: date,
    measures: Sequence[tuple[Measure, int]],
    units: int,
    pulls: Collection[int],
    grid: Mapping[str, Collection[int]] | None = None,
) -> list[DayLoad]:
    """Every day with work, in order, with its minutes; `poured`: the minutes of a day's applications, `grid`: the
    rounds of each measure by key (None: all)."""
    loads = []
    for day in sorted({*rounds, *poured}):
        reads, pull = day in rounds, day in pulls
        asked = [(m, n) for m, n in measures if is_asked(m, day, pull, None if grid is None else grid[m.key])]
        minutes = seconds_of_round(asked, units, pull) * reads / 60 + poured.get(day, 0.0)
        pull = reads and day in pulls and any(m.destructive for m, _ in measures)
        loads.append(DayLoad(day, start_on + timedelta(days=day), reads, day in poured, pull, minutes))
    return loads
