"""A logger's weather file: a time, a temperature, rain; comma, semicolon or tab; daily or hourly."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, tzinfo

from eproba.core.brewing.weather import MOST_RAIN, Hour
from eproba.core.errors import EprobaError
from eproba.core.quantities import celsius
from eproba.core.words import parse_date, parse_number
from eproba.exchange.table import TableError, TableRow, read_table

NAMES: dict[str, Sequence[str]] = {
    "time": ("time", "timestamp", "date", "datetime", "day", "zeit", "datum"),
    "temperature": ("temperature", "temp", "temperature_c", "temp_c", "°c", "t", "air temperature"),
    "rain": ("rain", "rain_mm", "precipitation", "precip", "mm", "rainfall"),
    "humidity": ("humidity", "rh", "humidity_percent", "%"),
}


@dataclass(frozen=True)
class BadHour:
    """A line that can't be taken, and why."""

    line: int
    why: str


def read_weather(raw: bytes, zone: tzinfo | None) -> tuple[list[Hour], list[BadHour]]:
    """Hours of a file with columns time and temperature, rain and humidity where there are any.

    Raises
    ------
    TableError
        A file that is no table, or lacks a column for time or temperature.
    """
    rows = read_table(raw, ())
    if not rows:
        raise TableError("the file has a header but no lines")
    columns = {name: _column(rows[0], known) for name, known in NAMES.items()}
    for name in ("time", "temperature"):
        if columns[name] is None:
            raise TableError(f"the header lacks a column for the {name}; call it {name}")
    good, bad = [], []
    for row in rows:
        try:
            good.append(_hour(row, columns, zone))
        except (EprobaError, ValueError) as error:
            bad.append(BadHour(row.line, str(error)))
    return good, bad


def _column(row: TableRow, known: Sequence[str]) -> str | None:
    return next((name for name in row.cells if name in known), None)


def _hour(row: TableRow, columns: dict[str, str | None], zone: tzinfo | None) -> Hour:
    def cell(name: str) -> str:
        column = columns[name]
        return row.cells.get(column, "") if column else ""

    rain = parse_number(cell("rain")) if cell("rain") else 0.0
    if not 0 <= rain <= MOST_RAIN:
        raise EprobaError(f"{rain:g} mm of rain in an hour can't be: 0 to {MOST_RAIN:g} fits.")
    humidity = parse_number(cell("humidity")) if cell("humidity") else None
    return Hour(_moment(cell("time"), zone), celsius(parse_number(cell("temperature"))), rain, humidity)


def _moment(text: str, zone: tzinfo | None) -> datetime:
    """A moment as loggers write it; a bare day means its noon."""
    try:
        found = datetime.fromisoformat(text.strip())
        whole_day = len(text.strip()) <= 10
    except ValueError:
        day, _, clock = text.strip().partition(" ")
        found, whole_day = datetime.combine(parse_date(day), datetime.min.time()), not clock
        if clock:
            at = datetime.strptime(clock.strip()[:5], "%H:%M")
            found = found.replace(hour=at.hour, minute=at.minute)
    if whole_day:
        found = found.replace(hour=12)
    return found if found.tzinfo is not None else found.replace(tzinfo=zone)
