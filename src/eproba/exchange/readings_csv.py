"""Readings of one trial as CSV, long form: date, unit, measure, reading, value (and, out only, treatment …)."""

import csv
import io
import re
from collections.abc import Iterable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import date, datetime

from eproba.core.measuring.measures import Measure
from eproba.core.measuring.numbers import parse_number
from eproba.core.trial.model import Reading, Trial
from eproba.exchange.table import Row, TableError, read_table

NEEDED = ("unit", "measure", "value")
OUT = (
    "day",
    "date",
    "unit",
    "block",
    "treatment",
    "role",
    "measure",
    "reading",
    "value",
    "unit_of_value",
    "skipped",
    "by",
)
FORMULA_SIGNS = ("=", "+", "-", "@", "\t", "\r")


@dataclass(frozen=True)
class Wanted:
    """One importable reading: which round, unit and measure it belongs to."""

    line: int
    round_id: int
    unit_id: int
    measure_key: str
    replicate: int
    value: float


@dataclass(frozen=True)
class BadRow:
    """A row that can't be taken, and why."""

    line: int
    column: str
    why: str


@dataclass(frozen=True)
class Preview:
    """What an import would do. Nothing is taken while a row is bad."""

    wanted: tuple[Wanted, ...]
    bad: tuple[BadRow, ...]


def write_readings(trial: Trial, readings: Iterable[Reading]) -> str:
    """All readings with their treatments, one a line."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(OUT)
    rounds = {each.id: each for each in trial.rounds}
    units = {each.id: each for each in trial.units}
    measures = {each.measure.key: each.measure for each in trial.asked}
    for reading in readings:
        unit, measure = units[reading.unit_id], measures[reading.measure_key]
        treatment = trial.treatment(unit.letter)
        day = rounds[reading.round_id].day
        value = "" if reading.value is None else f"{reading.value:g}"
        writer.writerow(
            [
                day,
                trial.date_of(day).isoformat(),
                unit.code,
                unit.block or "",
                inert(treatment.name),
                treatment.role,
                inert(measure.name),
                reading.replicate,
                value,
                inert(measure.unit),
                inert(reading.skip_reason),
                inert(reading.by),
            ]
        )
    return out.getvalue()


def inert(text: str) -> str:
    """Text that a spreadsheet won't take for a formula."""
    return f"'{text}" if text.startswith(FORMULA_SIGNS) else text


def preview(raw: bytes, trial: Trial, taken: Sequence[Reading]) -> Preview:
    """Check every row against the trial.

    Raises
    ------
    TableError
        The file as a whole can't be read.
    """
    rows = read_table(raw, NEEDED)
    if not rows:
        raise TableError("there is a header but no reading below it", 2)
    if "date" not in rows[0].cells and "day" not in rows[0].cells:
        raise TableError("the header needs a column date (2026-05-31) or day (0, 7, 14 …)", 1, "date")
    places = {(r.round_id, r.unit_id, r.measure_key, r.replicate): "already on record" for r in taken}
    wanted: list[Wanted] = []
    bad: list[BadRow] = []
    for row in rows:
        try:
            reading = _wanted(row, trial)
            key = (reading.round_id, reading.unit_id, reading.measure_key, reading.replicate)
            if key in places:
                raise TableError(f"this reading is {places[key]}; correct it in the table instead", row.line, "unit")
            places[key] = f"in the file twice (line {row.line})"
            wanted.append(reading)
        except TableError as error:
            bad.append(BadRow(row.line, error.column or "", str(error.args[0])))
    return Preview(tuple(wanted), tuple(bad))


def _wanted(row: Row, trial: Trial) -> Wanted:
    unit = next((u for u in trial.units if u.code.lower() == row.cells["unit"].lower()), None)
    if unit is None:
        codes = f"{trial.units[0].code} to {trial.units[-1].code}"
        raise TableError(f"no unit “{row.cells['unit']}” in this trial; its units are {codes}", row.line, "unit")
    named = row.cells.get("treatment", "").lstrip("'")
    treatment = trial.treatment(unit.letter)
    if named and named.lower() not in (treatment.name.lower(), treatment.letter.lower()):
        message = (
            f"unknown or wrong treatment “{named}”: unit {unit.code} was dealt {treatment.letter} ({treatment.name})"
        )
        raise TableError(message, row.line, "treatment")
    measure = _measure(row, trial)
    return Wanted(row.line, _round_id(row, trial), unit.id, measure.key, _replicate(row), _value(row, measure))


def _measure(row: Row, trial: Trial) -> Measure:
    text = row.cells["measure"].lower()
    for each in trial.asked:
        if text in (each.measure.key.lower(), each.measure.name.lower()):
            return each.measure
    names = ", ".join(each.measure.name for each in trial.asked)
    raise TableError(f"“{row.cells['measure']}” is no measure of this trial; they are {names}", row.line, "measure")


def _value(row: Row, measure: Measure) -> float:
    try:
        value = parse_number(row.cells["value"])
    except ValueError as error:
        raise TableError(str(error), row.line, "value") from error
    if not measure.low <= value <= measure.high:
        message = f"{value:g} is outside {measure.low:g} to {measure.high:g} {measure.unit}"
        raise TableError(message, row.line, "value")
    return value


def _replicate(row: Row) -> int:
    text = row.cells.get("reading", "") or "1"
    if not re.fullmatch(r"[1-9]\d?", text):
        raise TableError(f"“{text}” is no reading number; use 1, 2, 3 …", row.line, "reading")
    return int(text)


def _round_id(row: Row, trial: Trial) -> int:
    days = {each.day: each.id for each in trial.rounds}
    column = "date" if row.cells.get("date") else "day"
    text = row.cells.get(column, "")
    try:
        day = trial.day_of(parse_date(text)) if column == "date" else int(text)
    except ValueError as error:
        why = str(error) if column == "date" else f"“{text}” is no whole number of days"
        raise TableError(why, row.line, column) from error
    if day not in days:
        known = ", ".join(f"{trial.date_of(d).isoformat()} (day {d})" for d in days)
        raise TableError(f"no round on day {day}; the rounds are {known}", row.line, column)
    return days[day]


def parse_date(text: str) -> date:
    """A date as people write it: 2026-05-31, 31.5.2026, 31/5/2026, 31 May 2026.

    Raises
    ------
    ValueError
        No date, or one that can be read two ways (03/04/2026).
    """
    cleaned = text.strip()
    for form in ("%Y-%m-%d", "%Y/%m/%d", "%d.%m.%Y", "%d.%m.%y", "%d %b %Y", "%d %B %Y", "%Y-%m-%dT%H:%M:%S"):
        try:
            return datetime.strptime(cleaned, form).date()
        except ValueError:
            continue
    slashed = re.fullmatch(r"(\d{1,2})[/-](\d{1,2})[/-](\d{4})", cleaned)
    if slashed:
        first, second, year = map(int, slashed.groups())
        if first <= 12 and second <= 12 and first != second:
            raise ValueError(f"“{cleaned}” can be read two ways; write it as year-month-day")
        day, month = (second, first) if second > 12 else (first, second)
        with suppress(ValueError):
            return date(year, month, day)
    raise ValueError(f"“{cleaned}” is no date; write it as 2026-05-31")
