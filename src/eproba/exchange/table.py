"""Delimited text as gardeners have it: comma, semicolon or tab, with or without BOM, CRLF and quotes."""

import csv
import io
from dataclasses import dataclass
from datetime import datetime, tzinfo

from eproba.core.errors import EprobaError
from eproba.core.words import parse_date
from eproba.exchange.limits import MOST_BYTES, megabytes

csv.field_size_limit(1_000_000)
MARK = "'"  # before a text that a spreadsheet would take for a formula, or that begins with such a mark itself
SIGNS = (MARK, "=", "+", "-", "@", "\t", "\r", " ")


class TableError(EprobaError):
    """A file that can't be read; the message says what to do. `line` counts from 1, the header."""

    def __init__(self, message: str, line: int | None = None, column: str = "") -> None:
        super().__init__(message, field=column)
        self.line = line

    def __str__(self) -> str:
        where = [f"line {self.line}"] if self.line else []
        where += [f"column {self.field}"] if self.field else []
        return f"{', '.join(where)}: {self.args[0]}" if where else str(self.args[0])


@dataclass(frozen=True)
class TableRow:
    """One line of the table: its line number in the file and its cells by column name."""

    line: int
    cells: dict[str, str]


def inert(text: str) -> str:
    """Text that a spreadsheet won't take for a formula."""
    return f"{MARK}{text}" if text.startswith(SIGNS) else text


def as_it_was(text: str) -> str:
    """The way back from `inert`; a text that somebody typed with a mark of his own stays."""
    return text[1:] if text.startswith(MARK) and text[1:].startswith(SIGNS) else text


def decode(raw: bytes) -> str:
    """UTF-8 (with or without BOM), UTF-16 with BOM, else Windows-1252."""
    if raw.startswith((b"\xff\xfe", b"\xfe\xff")):
        return raw.decode("utf-16", errors="replace")
    try:
        return raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        return raw.decode("cp1252", errors="replace")


def read_table(raw: bytes, needed: tuple[str, ...]) -> list[TableRow]:
    """Read all rows; column names are compared in lower case, empty lines are passed over.

    Raises
    ------
    TableError
        An empty file, no header with the needed columns, a column twice, a row with more cells than columns.
    """
    if len(raw) > MOST_BYTES:
        raise TableError(f"the file is too large ({megabytes(len(raw))}; {megabytes(MOST_BYTES)} are taken): split it")
    text = decode(raw)
    if "\x00" in text:
        raise TableError("this is not a text file; save the sheet as CSV")
    if not text.strip():
        raise TableError("the file is empty; it needs a header line, and lines below it")
    header_line = next(line for line in text.splitlines() if line.strip())
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=_delimiter(header_line))
    rows: list[TableRow] = []
    header: list[str] = []
    start = 1
    try:
        for cells in reader:
            line, start = start, reader.line_num + 1
            if not any(cell.strip() for cell in cells):
                continue
            if not header:
                header = _header(cells, line, needed)
                continue
            rows.append(TableRow(line, _named(header, cells, line)))
    except csv.Error as error:
        raise TableError(f"can't be read as a table ({error})", reader.line_num) from error
    return rows


def logged_at(text: str, zone: tzinfo | None) -> datetime:
    """A moment as loggers write it; `zone` where it names none. Raises ValueError or EprobaError where it is none."""
    try:
        moment = datetime.fromisoformat(text.strip())
    except ValueError:
        day, _, clock = text.strip().partition(" ")
        at = datetime.strptime(clock.strip()[:5], "%H:%M")
        moment = datetime.combine(parse_date(day), at.time())
    return moment if moment.tzinfo is not None else moment.replace(tzinfo=zone)


def _delimiter(header: str) -> str:
    return max(";\t,", key=lambda sign: (header.count(sign), ";\t,".index(sign) == 2))


def _header(cells: list[str], line: int, needed: tuple[str, ...]) -> list[str]:
    header = [cell.strip().lower() for cell in cells]
    for name in header:
        if name and header.count(name) > 1:
            raise TableError("this column stands there twice; rename one", line, name)
    missing = [name for name in needed if name not in header]
    if missing:
        columns = ", ".join(needed)
        raise TableError(f"the header lacks the column {missing[0]}; it needs {columns}", line, missing[0])
    return header


def _named(header: list[str], cells: list[str], line: int) -> dict[str, str]:
    if len(cells) > len(header) and any(cell.strip() for cell in cells[len(header) :]):
        message = (
            f"{len(cells)} cells where the header has {len(header)} columns; "
            "with decimal commas, separate by semicolons or put numbers in quotes"
        )
        raise TableError(message, line)
    padded = cells + [""] * (len(header) - len(cells))
    return {name: cell.strip() for name, cell in zip(header, padded, strict=False) if name}
