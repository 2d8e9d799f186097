"""Readings of one trial as CSV, long form: date, unit, measure, reading, value (and, out only, treatment …)."""

import csv
import io
import math
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time
from functools import lru_cache

from eproba.core.errors import EprobaError
from eproba.core.measuring.measures import value_typed
from eproba.core.trial.model import Reading, Round, Trial
from eproba.core.trial.readings import Entry, asked_by_name, rule
from eproba.core.words import exact, parse_date
from eproba.exchange.table import TableError, TableRow, as_it_was, inert, read_table

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
    "read_at",
    "came_at",
    "typed",
    "sure",
    "meter",
)
NO_VALUE = "formula without a value"  # what a workbook's cell reads as whose formula was never worked out
MOST_SHOWN = 50  # faults that are named; the rest is counted
NOON = time(12)


@dataclass(frozen=True)
class WantedReading:
    """One importable reading: the round, unit and measure it belongs to, and when it was read, where the file says."""

    line: int
    round_id: int
    unit_id: int
    measure_key: str
    replicate: int
    value: float | None
    typed: str
    skip_reason: str
    read_at: datetime | None


@dataclass(frozen=True)
class BadRow:
    """A row that can't be taken, and why; `cell` names it in a workbook (“Day 14, C5”)."""

    line: int
    column: str
    why: str
    cell: str = ""


@dataclass(frozen=True)
class Preview:
    """What an import would do. Nothing is taken while a row is bad, or doubted by nobody's word.

    `bad` and `doubted` name the first rows of their kind; `bad_rows` and `doubted_rows` count all. `same`: rows that
    say what is on record already.
    """

    wanted: tuple[WantedReading, ...]
    bad: tuple[BadRow, ...]
    bad_rows: int
    doubted: tuple[BadRow, ...]
    doubted_rows: int
    same: int = 0

    @property
    def takeable(self) -> bool:
        return bool(self.wanted) and not self.bad_rows and not self.doubted_rows


@dataclass(frozen=True)
class Word:
    """What whoever brings the file in says of all of it: that odd values are right, and why it comes so late."""

    today: date
    sure: bool = False
    reason: str = ""


def write_readings(trial: Trial, readings: Iterable[Reading]) -> str:
    """All readings with their treatments, one a line. Where the lots are hidden, the treatment is left empty."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(OUT)
    rounds = {round_.id: round_ for round_ in trial.rounds}
    units = {unit.id: unit for unit in trial.units}
    measures = {asked.measure.key: asked.measure for asked in trial.asked}
    treatments = {treatment.letter: (inert(treatment.name), treatment.role) for treatment in trial.treatments}
    for reading in readings:
        unit, measure = units[reading.unit_id], measures[reading.measure_key]
        name, role = treatments.get(unit.letter, ("", ""))
        day = rounds[reading.round_id].day
        writer.writerow(
            [
                day,
                trial.date_of(day).isoformat(),
                unit.code,
                unit.block or "",
                name,
                role,
                inert(measure.name),
                reading.replicate,
                "" if reading.value is None else exact(reading.value),
                inert(measure.unit),
                inert(reading.skip_reason),
                inert(reading.by),
                _moment(reading.read_at),
                _moment(reading.came_at),
                inert(reading.typed),
                "yes" if reading.sure else "",
                inert(reading.meter),
            ]
        )
    return out.getvalue()


def write_empty(trial: Trial, this: Round) -> str:
    """A round's places in walking order, one a line, with room for each value: to be filled in offline."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(("day", "unit", "measure", "reading", "value", "unit_of_value", "read_on"))
    for unit in trial.living(trial.date_of(this.day)):
        for asked in trial.asked_in(this):
            measure = asked.measure
            for number in range(1, asked.per_unit + 1):
                writer.writerow([this.day, unit.code, inert(measure.name), number, "", inert(measure.unit), ""])
    return out.getvalue()


def _moment(at: datetime | None) -> str:
    return "" if at is None else at.isoformat(timespec="minutes")


def preview(raw: bytes, trial: Trial, taken: Sequence[Reading], word: Word) -> Preview:
    """Check every row against the trial, by the rule that holds for every reading.

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
    known = {(r.round_id, r.unit_id, r.measure_key, r.replicate): r for r in taken}
    places = dict.fromkeys(known, "already on record")
    rounds = {round_.day: round_ for round_ in trial.rounds}
    wanted: list[WantedReading] = []
    bad, doubted, same = _Faults(), _Faults(), 0
    for row in rows:
        if not row.cells["value"] and not row.cells.get("skipped"):
            continue  # an empty cell is nothing
        if _on_record(row, trial, rounds, known):
            same += 1
            continue
        try:
            reading, doubt = _wanted(row, trial, rounds, word)
            key = (reading.round_id, reading.unit_id, reading.measure_key, reading.replicate)
            if key in places:
                raise TableError(f"this reading is {places[key]}; correct it in the table instead", row.line, "unit")
            places[key] = f"in the file twice (line {row.line})"
            wanted.append(reading)
            if doubt:
                doubted.add(row, "value", doubt)
        except EprobaError as error:
            bad.add(row, error.field, str(error.args[0]))
    return Preview(tuple(wanted), tuple(bad.named), bad.count, tuple(doubted.named), doubted.count, same)


def _on_record(
    row: TableRow, trial: Trial, rounds: Mapping[int, Round], known: Mapping[tuple[int, int, str, int], Reading]
) -> bool:
    """Whether a row says what stands on record already: an export that comes back unchanged is no error."""
    cells = row.cells
    try:
        this, unit = _round(row, trial, rounds), trial.by_code.get(cells["unit"].strip().upper())
        asked = asked_by_name(trial, this, cells["measure"])
        if unit is None or isinstance(asked, str):
            return False
        stored = known.get((this.id, unit.id, asked.measure.key, _replicate(row)))
        if stored is None:
            return False
        if not cells["value"]:
            return stored.value is None and stored.skip_reason == as_it_was(cells.get("skipped", ""))
        return stored.value is not None and math.isclose(stored.value, value_typed(asked.measure, cells["value"]))
    except EprobaError:
        return False


class _Faults:
    """Rows with something amiss: the first are named, all are counted."""

    def __init__(self) -> None:
        self.named: list[BadRow] = []
        self.count = 0

    def add(self, row: TableRow, column: str, why: str) -> None:
        self.count += 1
        if self.count <= MOST_SHOWN:
            self.named.append(BadRow(row.line, column, why, row.cells.get("cell", "")))


def _wanted(row: TableRow, trial: Trial, rounds: Mapping[int, Round], word: Word) -> tuple[WantedReading, str]:
    """The reading of a row, and why it is doubted (empty: it is not)."""
    _check_trial(row, trial)
    this, cells = _round(row, trial, rounds), row.cells
    if cells["value"] == NO_VALUE:
        text = "a formula stands here, and the file holds no value of it: open it in your spreadsheet and save it there"
        raise TableError(f"{text}, or type the value", row.line, "value")
    read_at = _read_at(row)
    skip = "" if cells["value"] else as_it_was(cells.get("skipped", ""))
    entry = Entry(
        unit=cells["unit"],
        measure=cells["measure"],
        replicate=_replicate(row),
        typed=cells["value"],
        read_on=read_at.date() if read_at else min(trial.date_of(this.day), word.today),
        skip=skip,
        sure=word.sure,
        reason=word.reason,
        unit_of_value=cells.get("unit_of_value", ""),
    )
    ruling = rule(trial, this, entry, word.today)
    if ruling.outcome == "refused" or ruling.unit is None or ruling.asked is None:
        raise TableError(ruling.why, row.line, ruling.field)
    _check_treatment(row, trial, ruling.unit.letter, ruling.unit.code)
    reading = WantedReading(
        line=row.line,
        round_id=this.id,
        unit_id=ruling.unit.id,
        measure_key=ruling.asked.measure.key,
        replicate=entry.replicate,
        value=ruling.value,
        typed=entry.typed,
        skip_reason=skip,
        read_at=read_at,
    )
    return reading, ruling.why if ruling.outcome == "doubted" else ""


def _check_trial(row: TableRow, trial: Trial) -> None:
    """A file may name the trial of each row; a row of another one is not taken for this."""
    named = as_it_was(row.cells.get("trial", ""))
    if named and named.casefold() not in (trial.name.strip().casefold(), trial.key):
        raise TableError(f"this row is of “{named}”: bring the file in there", row.line, "trial")


def _check_treatment(row: TableRow, trial: Trial, letter: str, code: str) -> None:
    """A file that names the treatment must name the right one; where the lots are hidden, nothing is told."""
    named = as_it_was(row.cells.get("treatment", ""))
    if not named or not letter:
        return
    treatment = trial.treatment(letter)
    if named.lower() not in (treatment.name.lower(), treatment.letter.lower()):
        text = f"unknown or wrong treatment “{named}”: unit {code} was dealt {letter} ({treatment.name})"
        raise TableError(text, row.line, "treatment")


def _replicate(row: TableRow) -> int:
    text = row.cells.get("reading", "") or "1"
    if not re.fullmatch(r"[1-9]\d?", text, re.ASCII):
        raise TableError(f"“{text}” is no reading number; use 1, 2, 3 …", row.line, "reading")
    return int(text)


def _read_at(row: TableRow) -> datetime | None:
    """When it was read, where the file has a column for it; a bare day means its noon."""
    text = row.cells.get("read_on", "") or row.cells.get("read_at", "")
    if not text:
        return None
    try:
        return datetime.fromisoformat(text).astimezone() if "T" in text else noon_of(parse_date(text))
    except ValueError as error:
        raise TableError(f"“{text}” is no date; write it as 2026-05-31", row.line, "read_on") from error


def noon_of(on: date) -> datetime:
    """The hour of a reading of which only the day is known."""
    return datetime.combine(on, NOON).astimezone()


def _round(row: TableRow, trial: Trial, rounds: Mapping[int, Round]) -> Round:
    column = "date" if row.cells.get("date") else "day"
    text = row.cells.get(column, "")
    if column == "date":
        try:
            day = trial.day_of(_date(text))
        except EprobaError as error:
            raise TableError(str(error), row.line, column) from error
    elif re.fullmatch(r"-?\d{1,6}", text, re.ASCII):
        day = int(text)
    else:
        raise TableError(f"“{text}” is no whole number of days", row.line, column)
    if day not in rounds:
        known = ", ".join(f"{trial.date_of(d).isoformat()} (day {d})" for d in rounds)
        raise TableError(f"no round on day {day}; the rounds are {known}", row.line, column)
    return rounds[day]


@lru_cache(maxsize=256)
def _date(text: str) -> date:
    return parse_date(text)


def import_rows(seen: Preview, by: str, at: datetime, batch: str, saw: bool) -> list[dict[str, object]]:
    """The rows of a previewed file for the store, each with an id of its own."""
    return [
        {
            "round_id": wanted.round_id,
            "unit_id": wanted.unit_id,
            "measure_key": wanted.measure_key,
            "replicate": wanted.replicate,
            "value": wanted.value,
            "skip_reason": wanted.skip_reason,
            "typed": wanted.typed,
            "read_at": None if wanted.read_at is None else min(wanted.read_at, at),
            "by": by,
            "at": at,
            "source": "file",
            "saw": saw,
            "client_id": f"file-{batch}-{wanted.line}",
        }
        for wanted in seen.wanted
    ]
