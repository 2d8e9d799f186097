"""The day strip: weather, brews, applications and rounds on one time axis, today, and the envelope at its end."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime

from eproba.core.brewing.weather import Day
from eproba.core.trial.compared import COMPARED
from eproba.core.trial.model import Trial
from eproba.core.words import day_words

WIDTH, LEFT, RIGHT = 1000.0, 88.0, 60.0
ROOM = 24.0  # of a label of three figures
WEATHER_TOP, WEATHER_FOOT = 6.0, 40.0
MOST_RAIN, COLD, HOT = 20.0, -5.0, 35.0


@dataclass(frozen=True)
class Mark:
    """One mark: its place, its state (a CSS class and a word), its label and a title."""

    x: float
    state: str
    label: str
    title: str


@dataclass(frozen=True)
class Span:
    """A brew: from where to where it stands, and from where on it can be poured."""

    start: float
    ready: float
    end: float
    title: str


@dataclass(frozen=True)
class Sky:
    """Weather as drawn: bars of rain (x, y, width, height), a line of warmth (an SVG path)."""

    rain: tuple[tuple[float, float, float, float], ...]
    warmth: str


@dataclass(frozen=True)
class Brewed:
    """One brew of the trial, on the shelf or planned: start, ready, until when it is used."""

    title: str
    start: datetime
    ready: datetime
    end: datetime


@dataclass(frozen=True)
class DayStrip:
    """All marks on the axis; `today` None: outside the strip."""

    start: float
    end: float
    ticks: tuple[Mark, ...]
    rounds: tuple[Mark, ...]
    pours: tuple[Mark, ...]
    brews: tuple[Span, ...]
    sky: Sky | None
    today: float | None
    envelope: float
    sealed: bool
    words: str
    lane: str = "Pour"


def day_strip(trial: Trial, today: date, brews: Sequence[Brewed] = (), weather: Sequence[Day] = ()) -> DayStrip:
    """Lay the trial's days along the axis."""

    def x(day: float) -> float:
        return round(LEFT + (WIDTH - LEFT - RIGHT) * day / trial.decision_day, 1)

    now = trial.day_of(today)
    rounds = tuple(
        Mark(x(r.day), state, str(r.day), f"Round on day {r.day}: {state}")
        for r in trial.rounds
        for state in [_state(trial, r.done, r.day, now)]
    )
    pours = tuple(_pour_mark(trial, day, now, x(day)) for day in sorted({pour.day for pour in trial.pours}))
    step = next(s for s in (1, 2, 7, 14, 28, 56, 112, 224, 448) if trial.decision_day / s <= 12)
    ticks = tuple(
        Mark(x(day), "", f"{trial.date_of(day).day} {trial.date_of(day):%b}", f"day {day}")
        for day in range(0, trial.decision_day + 1, step)
        if day == 0 or step < trial.decision_day or day == trial.decision_day
    )
    taken = sum(r.done for r in trial.rounds)
    words = f"{_where(trial, now)} "
    words += f"{taken} of {len(trial.rounds)} rounds taken"
    if pours:
        words += f", {sum(p.state == 'done' for p in pours)} of {len(pours)} pouring days done"
    words += "."
    spans = tuple(_span(trial, brew) for brew in brews)
    if spans:
        words += f" {len(spans)} brew{'s' if len(spans) > 1 else ''}: {'; '.join(span.title for span in spans)}."
    inside = -0.5 <= now <= trial.decision_day + 0.5
    return DayStrip(
        x(0), x(trial.decision_day), ticks, _labelled(rounds), pours, spans, _sky(trial, weather),
        x(now) if inside else None, x(trial.decision_day), trial.sealed(today), words,
        COMPARED[trial.compared].noun.capitalize(),
    )  # fmt: skip


def _labelled(marks: Sequence[Mark]) -> tuple[Mark, ...]:
    """Where marks stand close, some go without their label; the first and the last keep theirs."""
    labelled: list[Mark] = []
    free = 0.0  # from where on a label has room
    for mark in marks:
        has_room = (mark.x >= free and mark.x <= marks[-1].x - ROOM) or mark is marks[-1]
        labelled.append(mark if has_room else replace(mark, label=""))
        free = mark.x + ROOM if has_room else free
    return tuple(labelled)


def _place(trial: Trial, at: datetime) -> float:
    """Where a moment lies on the axis, kept within the strip."""
    local = at.astimezone()
    days = trial.day_of(local.date()) + local.hour / 24
    x = LEFT + (WIDTH - LEFT - RIGHT) * days / trial.decision_day
    return round(min(max(x, LEFT - 12), WIDTH - RIGHT), 1)


def _span(trial: Trial, brew: Brewed) -> Span:
    begun, ready = (day_words(at.astimezone().date()) for at in (brew.start, brew.ready))
    title = f"{brew.title}, begun {begun}, ready {ready}"
    return Span(_place(trial, brew.start), _place(trial, brew.ready), _place(trial, brew.end), title)


def _sky(trial: Trial, weather: Sequence[Day]) -> Sky | None:
    """Rain as bars and the day's warmest hour as a line, for the days that are known."""
    known = [day for day in weather if 0 <= trial.day_of(day.on) <= trial.decision_day]
    if not known:
        return None
    wide = (WIDTH - LEFT - RIGHT) / trial.decision_day
    rain, points = [], []
    for day in known:
        x = LEFT + wide * trial.day_of(day.on)
        tall = (WEATHER_FOOT - WEATHER_TOP) * min(day.rain_mm, MOST_RAIN) / MOST_RAIN
        if tall > 0.5:
            bar = (x - min(wide, 16) / 2, WEATHER_FOOT - tall, min(wide, 16), tall)
            rain.append((round(bar[0], 1), round(bar[1], 1), round(bar[2], 1), round(bar[3], 1)))
        share = (min(max(day.high, COLD), HOT) - COLD) / (HOT - COLD)
        points.append(f"{x:.1f} {WEATHER_FOOT - (WEATHER_FOOT - WEATHER_TOP) * share:.1f}")
    return Sky(tuple(rain), "M" + "L".join(points))


def _state(trial: Trial, done: bool, day: int, now: int) -> str:
    if done:
        return "done"
    if trial.fell_away(day):
        return "fell away"
    return "due" if day <= now else "to come"


def _where(trial: Trial, now: int) -> str:
    """Which day it is, in words."""
    if trial.ended_on is not None:
        return f"Ended on day {trial.last_day} of {trial.decision_day}."
    if now < 0:
        return f"Day 0 is {day_words(trial.start_on)}."
    return (
        f"Day {now} of {trial.decision_day}."
        if now <= trial.decision_day
        else f"Its {trial.decision_day} days are over."
    )


def _pour_mark(trial: Trial, day: int, now: int, x: float) -> Mark:
    pours = [pour for pour in trial.pours if pour.day == day]
    if all(pour.status == "skipped" for pour in pours):
        state = "skipped"
    else:
        state = _state(trial, all(pour.status != "due" for pour in pours), day, now)
    return Mark(x, state, "", f"Pour on day {day}: {state}")
