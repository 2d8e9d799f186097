"""Readings as a workbook: one long sheet, and one sheet a round (units × measures) to look at or to fill in offline."""

import csv
import io
import re
import zipfile
import zlib
from collections.abc import Iterable, Sequence
from datetime import date, datetime
from typing import TYPE_CHECKING, Any

from eproba.core.trial.model import Asked, Reading, Round, Trial
from eproba.core.words import exact
from eproba.exchange.limits import MOST_BYTES, MOST_CELLS, MOST_TEXTS, MOST_UNPACKED, megabytes
from eproba.exchange.ods import TOO_MANY, is_ods, sheets_of_ods
from eproba.exchange.readings_csv import NO_VALUE, write_readings
from eproba.exchange.table import TableError, inert

if TYPE_CHECKING:
    from openpyxl.worksheet.worksheet import Worksheet

FORMULA = re.compile(rb"<f[ >/]")
LONG = ("date", "unit", "measure", "reading", "value", "read_on", "cell")
OF_A_ROUND = re.compile(r"day (-?\d{1,4})$", re.I)
READ_ON = "read on"


def is_workbook(raw: bytes) -> bool:
    """Whether these bytes are a workbook rather than text."""
    return raw.startswith(b"PK\x03\x04")


def write_workbook(trial: Trial, readings: Sequence[Reading], rounds: Sequence[Round], long: bool = True) -> bytes:
    """A workbook of the trial: the long sheet (where wished), and a sheet for each of these rounds.

    No cell is a formula: text that would be one is made harmless. Treatments stand in the long sheet alone, as in the
    CSV file (empty where the lots are hidden).
    """
    from openpyxl import Workbook

    book = Workbook(write_only=True)
    if long:
        sheet = book.create_sheet("Readings")
        for row in csv.reader(io.StringIO(write_readings(trial, readings))):
            sheet.append([_cell(text) for text in row])
    for this in rounds:
        _round_sheet(book.create_sheet(f"Day {this.day}"), trial, this, readings)
    kept = io.BytesIO()
    book.save(kept)
    return kept.getvalue()


def _round_sheet(sheet: "Worksheet", trial: Trial, this: Round, readings: Iterable[Reading]) -> None:
    """Units in walking order down, measures across; a column for each of several readings, and for the day."""
    columns = _columns(trial.asked_in(this))
    stored = {(r.unit_id, r.measure_key, r.replicate): r for r in readings if r.round_id == this.id}
    sheet.append(["unit", *(_heading(asked, number) for asked, number in columns), READ_ON])
    for unit in trial.living(trial.date_of(this.day)):
        cells = [stored.get((unit.id, asked.measure.key, number)) for asked, number in columns]
        read = next((r.read_at.date().isoformat() for r in cells if r is not None and r.read_at is not None), "")
        sheet.append([unit.code, *(_value(cell) for cell in cells), read])


def _columns(asked: Iterable[Asked]) -> list[tuple[Asked, int]]:
    return [(asked_, number) for asked_ in asked for number in range(1, asked_.per_unit + 1)]


def _heading(asked: Asked, number: int) -> str:
    """“Plant height (cm)”, “Plant height (cm) 2”"""
    unit = f" ({asked.measure.unit})" if asked.measure.unit else ""
    return inert(f"{asked.measure.name}{unit}{f' {number}' if asked.per_unit > 1 else ''}")


def _value(reading: Reading | None) -> float | str | None:
    if reading is None:
        return None
    if "=" in reading.typed:
        return reading.typed  # inputs of a calculator, kept as they are
    return reading.value if reading.value is not None else inert(f"skipped: {reading.skip_reason}")


def _cell(text: str) -> float | str:
    """A number as one, so that a spreadsheet reckons with it."""
    return float(text) if re.fullmatch(r"-?\d+(\.\d+)?", text) and len(text) < 16 else text


def rows_of_workbook(raw: bytes, trial: Trial) -> str:
    """A workbook (.xlsx or .ods) as rows of text in long form, each with the cell that it stands in.

    Of a formula the value is read that was stored with it; where none was, the row says so.

    Raises
    ------
    TableError
        No workbook, too large, or no sheet of a round or of readings in it.
    """
    sheets = sheets_of_ods(raw) if is_ods(raw) else _sheets_of_xlsx(raw)
    readings: list[Sequence[str]] = []
    for title, rows in sheets.items():
        match = OF_A_ROUND.search(title.strip())
        if match and rows:
            readings += _of_a_round(trial, title, int(match[1]), rows)
    long = next((rows for rows in sheets.values() if rows and {"unit", "measure", "value"} <= _names(rows[0])), None)
    if long and not readings:
        return _written(long)
    if not readings and any(OF_A_ROUND.search(title.strip()) for title in sheets):
        raise TableError("its sheets are empty; of a formula the value is read, so open and save it once before")
    if not readings:
        days = ", ".join(f"“Day {round_.day}”" for round_ in trial.rounds)
        raise TableError(f"no sheet is named after a round ({days}), and none has the columns unit, measure, value")
    return _written([LONG, *readings])


def _sheets_of_xlsx(raw: bytes) -> dict[str, list[list[str]]]:
    from openpyxl import load_workbook

    has_formulas = _check_size(raw)
    try:
        book = load_workbook(io.BytesIO(raw), read_only=True, data_only=True)
        sheets = {sheet.title: _rows(sheet) for sheet in book.worksheets}
        if has_formulas:
            book = load_workbook(io.BytesIO(raw), read_only=True)
            for sheet in book.worksheets:
                _mark_formulas(sheets[sheet.title], _rows(sheet))
        return sheets
    except TableError:
        raise
    except Exception as error:  # openpyxl lets many kinds of errors through for a file that is broken
        raise TableError("this workbook can’t be opened: save it as .xlsx once more, or as CSV") from error


def _rows(sheet: Any) -> list[list[str]]:
    """The cells of a sheet as they would be typed; counted while they are read."""
    rows, cells = list[list[str]](), 0
    for row in sheet.iter_rows(values_only=True):
        cells += max(1, len(row))
        if cells > MOST_CELLS:
            raise TableError(TOO_MANY)
        rows.append([_text(cell) for cell in row])
    return rows


def _mark_formulas(values: list[list[str]], formulas: list[list[str]]) -> None:
    """Where a formula stands and no value of it, say so in its cell."""
    for kept, typed in zip(values, formulas, strict=False):
        for at, text in enumerate(typed[: len(kept)]):
            if text.startswith("=") and not kept[at]:
                kept[at] = NO_VALUE


def _check_size(raw: bytes) -> bool:
    """Whether a sheet holds formulas; raises TableError where it is too large to be read."""
    too_large = TableError(f"the workbook is too large: {megabytes(MOST_BYTES)} are taken; split it")
    try:
        with zipfile.ZipFile(io.BytesIO(raw)) as packed:
            entries = packed.infolist()
            texts = sum(entry.file_size for entry in entries if "sheets/" not in entry.filename)
            if len(raw) > MOST_BYTES or texts > MOST_TEXTS or sum(e.file_size for e in entries) > MOST_UNPACKED:
                raise too_large
            sheets = [entry for entry in entries if "sheets/" in entry.filename and entry.filename.endswith(".xml")]
            cells, has_formulas = 0, False
            for entry in sheets:
                sheet = packed.read(entry)
                cells += sheet.count(b"<c ") + sheet.count(b"<row")
                has_formulas |= FORMULA.search(sheet) is not None
            if cells > MOST_CELLS:  # before a single one is read, which takes long
                raise TableError(TOO_MANY)
            return has_formulas
    except (zipfile.BadZipFile, zlib.error, RuntimeError, NotImplementedError, OSError, EOFError) as error:
        raise TableError("this workbook is cut short: save it once more") from error


def _names(header: Sequence[str]) -> set[str]:
    return {cell.strip().lower() for cell in header}


def _of_a_round(trial: Trial, title: str, day: int, rows: Sequence[Sequence[str]]) -> list[Sequence[str]]:
    """A sheet of units × measures, one row for each cell that holds something."""
    from openpyxl.utils import get_column_letter

    header = [cell.strip() for cell in rows[0]]
    asked = {_heading(asked_, number): (asked_, number) for asked_, number in _columns(trial.asked)}
    on = header.index(READ_ON) if READ_ON in header else None
    readings: list[Sequence[str]] = []
    for down, row in enumerate(rows[1:], 2):
        for across, text in enumerate(row):
            if across in (0, on) or not text or across >= len(header) or not row[0]:
                continue
            asked_here = asked.get(header[across])
            measure, number = (asked_here[0].measure.name, asked_here[1]) if asked_here else (header[across], 1)
            date_of = trial.date_of(day).isoformat()
            read = row[on] if on is not None and on < len(row) else ""
            cell = f"{title}, {get_column_letter(across + 1)}{down}"
            readings.append((date_of, row[0], measure, str(number), text, read, cell))
    return readings


def _text(cell: object) -> str:
    """A cell as it would be typed."""
    if cell is None:
        return ""
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, float | int):
        return exact(float(cell))
    if isinstance(cell, datetime):
        return cell.date().isoformat() if (cell.hour, cell.minute) == (0, 0) else cell.isoformat(timespec="minutes")
    return cell.isoformat() if isinstance(cell, date) else str(cell).strip()


def _written(rows: Iterable[Sequence[str]]) -> str:
    """As CSV; “skipped: why” in a cell becomes the reason, a skipped reading."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    at = None
    for n, row in enumerate(rows):
        if n == 0:
            at = list(row).index("value") if "value" in row and "skipped" not in row else None
            writer.writerow([*row, "skipped"] if at is not None else row)
            continue
        if at is None:
            writer.writerow(row)
            continue
        text = row[at].removeprefix("'")
        skipped = text.removeprefix("skipped:").strip() if text.lower().startswith("skipped:") else ""
        writer.writerow([*row[:at], "" if skipped else row[at], *row[at + 1 :], skipped])
    return out.getvalue()
