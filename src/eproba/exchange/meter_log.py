"""A meter's log: text with a header, one column for the moment, one for the value; which they are is mapped once."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, tzinfo

from eproba.core.errors import EprobaError
from eproba.core.measuring.meters import MeterError, MeterValue, checked
from eproba.core.words import parse_number
from eproba.exchange.table import TableError, TableRow, logged_at, read_table

LIKELY_TIMES = ("time", "timestamp", "date", "datetime", "zeit", "datum", "moment")


@dataclass(frozen=True)
class BadLine:
    """A line of a log that can't be taken, and why."""

    line: int
    why: str


@dataclass(frozen=True)
class MeterLog:
    """What a log holds: values in its order, and the lines that can't be taken."""

    values: Sequence[MeterValue]
    bad: Sequence[BadLine]


def columns_of(raw: bytes) -> list[str]:
    """The columns of a log. Raises TableError where it is no table."""
    rows = read_table(raw, ())
    return list(rows[0].cells) if rows else []


def likely(columns: Sequence[str]) -> dict[str, str]:
    """Which column most likely holds the moment, and which the value."""
    moment = next((column for column in columns if column in LIKELY_TIMES), columns[0] if columns else "")
    return {"at": moment, "value": next((column for column in columns if column != moment), "")}


def read_log(raw: bytes, columns: Mapping[str, str], now: datetime, zone: tzinfo | None) -> MeterLog:
    """The values of a log by its columns `at` and `value`; lines without a value are passed over.

    Raises
    ------
    TableError
        A file that is no table, or has no lines.
    MeterError
        It lacks one of the columns: choose them again.
    """
    rows = read_table(raw, ())
    if not rows:
        raise TableError("the file has a header but no lines")
    header = list(rows[0].cells)
    if missing := [column for column in columns.values() if column not in header]:
        raise MeterError(f"This log has no column “{missing[0]}”; it has {', '.join(header)}. Choose again.")
    values, bad = [], []
    for row in rows:
        try:
            values += _value(row, columns, now, zone)
        except (EprobaError, ValueError) as error:
            bad.append(BadLine(row.line, str(error)))
    return MeterLog(values, bad)


def _value(row: TableRow, columns: Mapping[str, str], now: datetime, zone: tzinfo | None) -> list[MeterValue]:
    text = row.cells[columns["value"]]
    if not text:
        return []
    return [checked(parse_number(text), logged_at(row.cells[columns["at"]], zone), now)]
