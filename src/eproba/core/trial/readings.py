"""What may be written as a reading: one rule for the till, a correction and a file alike.

*taken*: it stands. *doubted*: outside the sensible range; it stands once somebody says that he is sure. *refused*: it
can't be, and the sentence says why and what to do.
"""

import math
from dataclasses import dataclass, replace
from datetime import date
from typing import Literal

from eproba.core.errors import EprobaError
from eproba.core.measuring.measures import BY_STEPS, BY_TAP, Kind, value_typed
from eproba.core.trial.doses import EARLIEST
from eproba.core.trial.model import Asked, Round, Trial, Unit
from eproba.core.words import figure

Outcome = Literal["taken", "doubted", "refused"]
LONGEST_REASON = 300
WHOLE: tuple[Kind, ...] = ("count", "proportion", *BY_STEPS)


@dataclass(frozen=True)
class Entry:
    """A reading as somebody gives it: `typed` as it was typed, or `skip`, the reason for none.

    `sure`: he was asked about a value outside the sensible range. `reason`: why something is changed or added after
    the envelope was opened. `meter`: what gave the value, where nobody typed it. `unit_of_value`: the unit that stood
    beside the field (empty: the measure's), which a household may have changed since.
    """

    unit: str
    measure: str
    replicate: int
    typed: str
    read_on: date
    skip: str = ""
    sure: bool = False
    reason: str = ""
    meter: str = ""
    unit_of_value: str = ""


@dataclass(frozen=True)
class Limits:
    """Sensible (`low` to `high`) and possible (`least` to `most`) values of one measure in one trial."""

    low: float
    high: float
    least: float
    most: float
    whole: bool


@dataclass(frozen=True)
class Ruling:
    """What becomes of an entry: the outcome, why, which `field` is at fault, what would be kept (`value` None:
    skipped)."""

    outcome: Outcome
    why: str = ""
    field: str = ""
    value: float | None = None
    unit: Unit | None = None
    asked: Asked | None = None


def limits(asked: Asked) -> Limits:
    """What can be typed for a measure: of seeds sown, no more can be up; counts are whole."""
    measure = asked.measure
    if measure.kind in BY_TAP:
        return Limits(0, 1, 0, 1, True)
    least, most = measure.possible
    high = measure.high
    if measure.kind == "proportion" and asked.sown:
        high = most = float(asked.sown)
    return Limits(measure.low, high, least, most, measure.kind in WHOLE)


def rule(trial: Trial, this: Round, entry: Entry, today: date) -> Ruling:
    """Rule on one entry of a round."""
    unit = trial.by_code.get(entry.unit.strip().upper())
    if unit is None:
        return _refused(f"no unit “{entry.unit}” in this trial; its units are {codes_told(trial)}", "unit")
    asked = asked_by_name(trial, this, entry.measure)
    if isinstance(asked, str):
        return _refused(asked, "measure")
    why, field = _amiss(trial, unit, asked, entry, today)
    ruled = _refused(why, field) if why else _valued(asked, entry)
    return replace(ruled, unit=unit, asked=asked)


def codes_told(trial: Trial) -> str:
    """The codes of all units, those that follow one another as a span: “H1 to H10, P3”."""
    parts = sorted((code.rstrip("0123456789"), code) for code in trial.by_code)
    spans: list[list[str]] = []
    for name, code in sorted(parts, key=lambda part: (part[0], int(part[1][len(part[0]) :] or 0))):
        number = int(code[len(name) :] or 0)
        if spans and spans[-1][-1] == f"{name}{number - 1}":
            spans[-1].append(code)
        else:
            spans.append([code])
    return ", ".join(span[0] if len(span) == 1 else f"{span[0]} to {span[-1]}" for span in spans)


def asked_by_name(trial: Trial, this: Round, name: str) -> Asked | str:
    """The measure that a round asks, by key or name; else the sentence that says which it asks."""
    wanted = name.strip().lower()
    of_round = trial.asked_in(this)
    for asked_for in of_round:
        if wanted in (asked_for.measure.key.lower(), asked_for.measure.name.lower()):
            return asked_for
    if any(wanted in (asked.measure.key.lower(), asked.measure.name.lower()) for asked in trial.asked):
        days = ", ".join(str(day) for day in trial.pulls)
        return f"“{name}” is not part of the round of day {this.day}: it uses the plant up, and is read on day {days}"
    return f"“{name}” is no measure of this trial; they are {', '.join(asked_.measure.name for asked_ in of_round)}"


def _amiss(trial: Trial, unit: Unit, asked: Asked, entry: Entry, today: date) -> tuple[str, str]:
    """What is in the way, whatever the value, and the field at fault."""
    if not 1 <= entry.replicate <= asked.per_unit:
        many = "once" if asked.per_unit == 1 else f"{asked.per_unit} times"
        return f"{asked.measure.name} is read {many} in each unit; this is reading {entry.replicate}", "reading"
    if _unkeepable(entry.typed + entry.skip + entry.reason):
        return "it holds a character that can’t be kept; type it again without it", "value"
    if why := _wrong_day(trial, unit, entry.read_on, today):
        return why, "read_on"
    if not trial.sealed(today) and not entry.reason.strip():
        return "the envelope is open: it needs a reason why it comes now (in the table of readings)", "reason"
    if not entry.typed.strip() and not entry.skip.strip():
        return "type a value, or skip with a reason", "value"
    return "", ""


def _wrong_day(trial: Trial, unit: Unit, on: date, today: date) -> str:
    """Why nothing of this unit can have been read that day; empty: it can."""
    if on > today:
        return f"{on.isoformat()} is still to come: a reading bears the day on which it was read"
    if on < trial.start_on - EARLIEST:
        return f"nobody read this on {on.isoformat()}: that is long before the trial"
    if unit.lost_on is not None and on >= unit.lost_on:
        lost = f"{unit.code} is down as lost since {unit.lost_on.isoformat()} ({unit.lost_reason})"
        return f"{lost}: say on which day before it was read, or say that it was found again"
    if trial.ended_on is not None and on > trial.ended_on:
        return f"the trial ended on {trial.ended_on.isoformat()}; what was read later is not part of it"
    return ""


def _valued(asked: Asked, entry: Entry) -> Ruling:
    """The value as typed against what is possible and what is sensible."""
    if not entry.typed.strip():
        return Ruling("taken", value=None)
    try:
        value = value_typed(asked.measure, entry.typed, entry.unit_of_value)
    except EprobaError as error:
        return _refused(str(error))
    measure, within = asked.measure, limits(asked)
    if not within.least <= value <= within.most or (within.whole and value != int(value)):
        return _refused(f"{value:g} doesn’t fit: {possible_words(asked)}")
    if not within.low <= value <= within.high and not entry.sure:
        said = f"{value:g} is outside {within.low:g} to {within.high:g} {measure.unit}"
        return Ruling("doubted", said, "value", value)
    return Ruling("taken", value=value)


def possible_words(asked: Asked) -> str:
    """What can be, as the end of a sentence."""
    measure, within = asked.measure, limits(asked)
    if measure.kind in BY_TAP:
        return f"{measure.name} is yes or no"
    if measure.kind == "proportion" and asked.sown:
        return f"of {asked.sown} sown, a whole number from 0 to {asked.sown} can be up"
    if math.isinf(within.most):
        return f"{measure.name} is {'a whole number, ' if within.whole else ''}{figure(within.least)} or more"
    if measure.levels:
        return f"choose {within.least:g} to {within.most:g}"
    said = f"{measure.name} goes from {within.least:g} to {within.most:g} {measure.unit}".rstrip()
    return f"{said}, in whole numbers" if within.whole else said


def _refused(why: str, field: str = "value") -> Ruling:
    return Ruling("refused", why, field)


def _unkeepable(text: str) -> bool:
    """Characters that no text can hold: NUL, and halves of a character (lone surrogates)."""
    return any(letter == "\0" or "\ud800" <= letter <= "\udfff" for letter in text)
