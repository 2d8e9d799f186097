"""Six weeks at a glance: a strip a trial and a strip a brew from today on, and the minutes of each day at the foot."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from itertools import groupby
from typing import Literal

from eproba.core.applying.errands import Job
from eproba.core.applying.morning import DayLine
from eproba.core.trial.hours import hours_words
from eproba.core.words import day_words, listed

DAYS = 42
COLUMN, MARGIN = 20, 14
LANE = {"pour": 13, "round": 34}
TRIAL_HEIGHT, BREW_HEIGHT, FOOT_HEIGHT = 50, 34, 44
MOST_HIGH = 24  # of a bar of minutes
TWO_BESIDE = 4  # letters of two days beside each other that have room
BESIDE = 18  # from mark to mark of one day
GAP = 4  # days without work that are worth a word
Shape = Literal[
    "six-round", "six-pull", "six-pour", "six-envelope", "six-tub", "six-water", "six-sieve", "six-gone", "six-choose"
]  # fmt: skip
BREW_SHAPES: dict[str, Shape] = {
    "start": "six-tub", "mix": "six-tub", "stand": "six-water", "water": "six-water", "strain": "six-sieve",
    "check": "six-sieve", "use by": "six-gone", "throw away": "six-gone",
}  # fmt: skip

LEGEND: tuple[tuple[Shape, str], ...] = (
    ("six-round", "round"), ("six-pour", "pour"), ("six-envelope", "the envelope opens"), ("six-tub", "start a brew"),
    ("six-sieve", "look or strain"), ("six-water", "water"), ("six-gone", "last day, or throw away"),
)  # fmt: skip


@dataclass(frozen=True)
class StripMark:
    """One thing of one day: where it stands, its shape, the day of the trial in a stake, and what it is."""

    x: float
    y: float
    shape: Shape
    label: str
    title: str


@dataclass(frozen=True)
class StripBar:
    """A brew from its first errand to its last, and the days on which it is stirred."""

    start: float
    end: float
    ticks: tuple[float, ...]


@dataclass(frozen=True)
class StripRow:
    """One trial or one brew; `words` say what is drawn."""

    name: str
    height: int
    marks: tuple[StripMark, ...]
    bars: tuple[StripBar, ...]
    words: str


@dataclass(frozen=True)
class Minutes:
    """How long a day takes: a bar, and its number."""

    x: float
    height: float
    label: str


@dataclass(frozen=True)
class Strips:
    """The whole picture; `mondays` where a week begins, with its date."""

    width: int
    trials: tuple[StripRow, ...]
    brews: tuple[StripRow, ...]
    minutes: tuple[Minutes, ...]
    mondays: tuple[tuple[float, str], ...]
    today: float
    foot: int = FOOT_HEIGHT
    legend: tuple[tuple[Shape, str], ...] = LEGEND


def strips(lines: Sequence[DayLine], today: date) -> Strips:
    """The strips of six weeks; lines after them are left out."""
    last = today + timedelta(days=DAYS - 1)
    within = [line for line in lines if line.on <= last]
    mondays = [today + timedelta(days=n) for n in range(DAYS) if n == 0 or (today + timedelta(days=n)).weekday() == 0]
    named = [on for on in mondays if on == today or (on - today).days > 3]  # two dates side by side need room
    return Strips(
        2 * MARGIN + DAYS * COLUMN,
        tuple(_trial_rows(within, today)),
        tuple(_brew_rows(within, today)),
        tuple(_minutes(within, today)),
        tuple((_x(on, today), f"{on.day} {on:%b}") for on in named),
        _x(today, today),
    )


def _x(on: date, today: date) -> float:
    return MARGIN + COLUMN * (max(0, (on - today).days) + 0.5)


def _trial_rows(lines: Sequence[DayLine], today: date) -> Iterable[StripRow]:
    """Trials in the order in which something is due."""
    own: dict[int, list[DayLine]] = {}
    for line in lines:
        if line.due:
            own.setdefault(line.due[0].trial_id, []).append(line)
    for of_trial in own.values():
        marks = [mark for line in of_trial for mark in _of_due(line, today)]
        yield StripRow(of_trial[0].due[0].trial_name, TRIAL_HEIGHT, tuple(marks), (), _words(of_trial))


def _of_due(line: DayLine, today: date) -> list[StripMark]:
    due, x, title = line.due[0], _x(line.on, today), f"{day_words(line.on)}: {line.words}"
    if line.sort == "choose":
        return [StripMark(x, LANE["pour"], "six-choose", "!", title)]
    if due.kind == "pour":
        return [StripMark(x, LANE["pour"], "six-pour", "", title)]
    stake = StripMark(x, LANE["round"], "six-pull" if due.pull else "six-round", str(due.day), title)
    opens = StripMark(x, LANE["pour"], "six-envelope", "", f"{day_words(line.on)}: the envelope opens")
    return [stake, opens] if due.last else [stake]


def _words(lines: Sequence[DayLine]) -> str:
    """“Round on Wed 2 Dec and Thu 3 Dec; pour on …”."""
    sorts: dict[str, list[str]] = {}
    for line in lines:
        sort = "something to choose" if line.sort == "choose" else line.due[0].kind
        sorts.setdefault(sort, []).append(day_words(line.on))
    text = "; ".join(f"{sort} on {listed(days)}" for sort, days in sorts.items())
    return f"{text[:1].upper()}{text[1:]}."


def _brew_rows(lines: Sequence[DayLine], today: date) -> Iterable[StripRow]:
    """One row a recipe; the errands of one batch make a bar, and water that is set out a jug."""
    jobs = [(line.on, line.words, job) for line in lines if not line.due for job in line.jobs if job.kind != "late"]
    of_name: dict[str, list[tuple[date, str, Job]]] = {}
    for on, words, job in jobs:
        water = job.recipe is None or job.kind in ("stand", "water")
        of_name.setdefault("Water" if water or job.recipe is None else job.recipe.title, []).append((on, words, job))
    for name in sorted(of_name, key=lambda name: name == "Water"):
        own = of_name[name]
        yield StripRow(
            name, BREW_HEIGHT, tuple(_of_jobs(own, today)), () if name == "Water" else tuple(_bars(own, today)),
            f"{name}: {listed(list(dict.fromkeys(day_words(on) for on, _, _ in own)))}.",
        )  # fmt: skip


def _of_jobs(own: Sequence[tuple[date, str, Job]], today: date) -> Iterable[StripMark]:
    """What falls on one day stands beside each other."""
    of_day: dict[date, int] = {}
    for on, words, job in own:
        if job.kind in BREW_SHAPES:
            x = _x(on, today) + BESIDE * of_day.get(on, 0)
            of_day[on] = of_day.get(on, 0) + 1
            yield StripMark(x, BREW_HEIGHT / 2, BREW_SHAPES[job.kind], "", f"{day_words(on)}: {words}")


def _bars(own: Sequence[tuple[date, str, Job]], today: date) -> Iterable[StripBar]:
    """From the first errand of a batch to its last: a brew that stands there already begins today."""
    by_batch = sorted(own, key=lambda dated: _batch_of(dated[2]))
    for _, errands in groupby(by_batch, key=lambda dated: _batch_of(dated[2])):
        dated = list(errands)
        days = [on for on, _, job in dated]
        begun = any(job.kind in ("start", "mix") for _, _, job in dated)
        ticks = tuple(_x(on, today) for on, _, job in dated if job.kind == "stir")
        yield StripBar(_x(min(days), today) if begun else MARGIN, _x(max(days), today), ticks)


def _batch_of(job: Job) -> str:
    """What the errands of one batch have in common."""
    return job.key.split("-", 2)[2]


def _minutes(lines: Sequence[DayLine], today: date) -> Iterable[Minutes]:
    loads: dict[date, float] = {}
    for line in lines:
        loads[line.on] = loads.get(line.on, 0.0) + line.minutes
    longest = max(loads.values(), default=0.0)
    labels = {on: _short(minutes) for on, minutes in loads.items() if minutes >= 0.5}
    for on in sorted(labels, key=loads.__getitem__):  # beside a longer one the shorter gives way; the list has both
        nearby = (labels.get(on + timedelta(days=step), "") for step in (-1, 1))
        if any(len(other) + len(labels[on]) > TWO_BESIDE for other in nearby):
            labels[on] = ""
    for on, label in labels.items():
        yield Minutes(_x(on, today), round(MOST_HIGH * loads[on] / longest, 1), label)


def _short(minutes: float) -> str:
    """As wide as a column of a day is: minutes, or hours where there are hundreds of them."""
    return f"{minutes:.0f}" if minutes < 99.5 else f"{minutes / 60:.0f}h"


# --- A week in seven cells -------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class WeekCell:
    """A day of the week to come: what falls on it, by shape and in words, and how long it takes."""

    on: date
    marks: tuple[StripMark, ...]
    words: str
    minutes: float


def week_cells(lines: Sequence[DayLine], today: date) -> list[WeekCell]:
    """Today and the six days after it; stirring has no mark of its own."""
    days = [today + timedelta(days=n) for n in range(7)]
    return [_cell(on, [line for line in lines if line.on == on and line.sort != "know"]) for on in days]


def _cell(on: date, of_day: Sequence[DayLine]) -> WeekCell:
    trials = [replace(mark, x=0, y=0) for line in of_day if line.due for mark in _of_due(line, on)]
    brews = [
        StripMark(0, 0, BREW_SHAPES[line.kind_of_job], "", line.words)
        for line in of_day
        if not line.due and line.kind_of_job in BREW_SHAPES
    ]
    words = listed([_with_its_hour(line) for line in of_day]) if of_day else "nothing"
    return WeekCell(on, (*trials, *brews), words, sum(line.minutes for line in of_day))


def _with_its_hour(line: DayLine) -> str:
    time = line.due[0].time if line.due else None
    return line.words if time is None else f"{line.words}, {hours_words(time)}"


# --- The same as a list, for a phone and for whoever can't see the picture --------------------------------------------


@dataclass(frozen=True)
class ListedLine:
    """One thing of a day; `days`: those on which it is stirred alike, this one first."""

    line: DayLine
    days: tuple[date, ...] = ()

    @property
    def keys(self) -> str:
        """Which lines of the day list it stands for."""
        first = self.line
        return "|".join(first.key.replace(f"{first.on:%Y%m%d}", f"{day:%Y%m%d}") for day in self.days) or first.key

    @property
    def until(self) -> date | None:
        return self.days[-1] if len(self.days) > 1 else None


@dataclass(frozen=True)
class ListedDay:
    """A day with work; `after_nothing`: many days without work lie before it."""

    on: date
    entries: tuple[ListedLine, ...]
    minutes: float
    after_nothing: bool


def listed_days(lines: Sequence[DayLine]) -> list[ListedDay]:
    """Days with work, each stirring of several days once, on the first of them."""
    days, seen, before = [], set[str](), None
    stirred: dict[str, set[date]] = {}
    for line in lines:
        if line.kind_of_job == "stir":
            stirred.setdefault(line.words, set()).add(line.on)
    for on, of_day in groupby(lines, key=lambda line: line.on):
        entries, minutes = [], 0.0
        for line in of_day:
            minutes += line.minutes
            if line.kind_of_job != "stir":
                entries.append(ListedLine(line))
            elif f"{line.words} {on}" not in seen:
                run = tuple(_run(on, stirred[line.words]))
                seen |= {f"{line.words} {day}" for day in run}
                entries.append(ListedLine(line, run))
        if entries:
            days.append(ListedDay(on, tuple(entries), minutes, before is not None and (on - before).days > GAP))
        before = on
    return days


def _run(first: date, days: set[date]) -> Iterable[date]:
    """A day and those that follow it without a gap."""
    on = first
    while on in days:
        yield on
        on += timedelta(days=1)
