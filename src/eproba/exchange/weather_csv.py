"""A weather file: a time or a day, temperatures, rain; comma, semicolon or tab; hourly or daily rows."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, tzinfo

from eproba.core.brewing.weather import MOST_RAIN, Day, Hour
from eproba.core.errors import EprobaError
from eproba.core.quantities import celsius
from eproba.core.words import parse_date, parse_number
from eproba.exchange.table import TableError, TableRow, logged_at, read_table

BARE_DAY = 10  # characters: 2026-05-01, 1.5.2026
NAMES: dict[str, Sequence[str]] = {
    "time": ("time", "timestamp", "date", "datetime", "day", "zeit", "datum"),
    "temperature": ("temperature", "temp", "temperature_c", "temp_c", "°c", "t", "air temperature"),
    "low": ("low", "min", "minimum", "t_min", "tmin", "temp_min"),
    "high": ("high", "max", "maximum", "t_max", "tmax", "temp_max"),
    "rain": ("rain", "rain_mm", "precipitation", "precip", "mm", "rainfall"),
    "humidity": ("humidity", "rh", "humidity_percent", "%"),
}


@dataclass(frozen=True)
class BadHour:
    """A line that can't be taken, and why."""

    line: int
    why: str


@dataclass(frozen=True)
class WeatherFile:
    """What a file holds: hours, whole days, and the lines that can't be taken."""

    hours: list[Hour]
    days: list[Day]
    bad: list[BadHour]


def read_weather(raw: bytes, zone: tzinfo | None) -> WeatherFile:
    """A file with a column for the time and one for the temperature, or for the low and the high of days; rain and
    humidity where there are any. A row whose time is a bare day is a whole day.

    Raises
    ------
    TableError
        A file that is no table, or lacks a column for time or temperature.
    """
    rows = read_table(raw, ())
    if not rows:
        raise TableError("the file has a header but no lines")
    columns = {name: _column(rows[0], known) for name, known in NAMES.items()}
    if columns["time"] is None:
        raise TableError("the header lacks a column for the time; call it time")
    if columns["temperature"] is None and (columns["low"] is None or columns["high"] is None):
        raise TableError("the header lacks a column for the temperature; call it temperature, or low and high")
    weather = WeatherFile([], [], [])
    for row in rows:
        try:
            at = row.cells.get(columns["time"], "").strip()
            if len(at) <= BARE_DAY:
                weather.days.append(_day(row, columns, at))
            else:
                weather.hours.append(_hour(row, columns, zone))
        except (EprobaError, ValueError) as error:
            weather.bad.append(BadHour(row.line, str(error)))
    return weather


def _column(row: TableRow, known: Sequence[str]) -> str | None:
    return next((name for name in row.cells if name in known), None)


def _cell(row: TableRow, columns: dict[str, str | None], name: str) -> str:
    column = columns[name]
    return row.cells.get(column, "") if column else ""


def _rain(row: TableRow, columns: dict[str, str | None], span: str) -> float:
    text = _cell(row, columns, "rain")
    rain = parse_number(text) if text else 0.0
    if not 0 <= rain <= MOST_RAIN:
        raise EprobaError(f"{rain:g} mm of rain in {span} doesn’t fit: give 0 to {MOST_RAIN:g}.")
    return rain


def _hour(row: TableRow, columns: dict[str, str | None], zone: tzinfo | None) -> Hour:
    humidity = _cell(row, columns, "humidity")
    degrees = celsius(parse_number(_cell(row, columns, "temperature")))
    at = logged_at(_cell(row, columns, "time"), zone)
    return Hour(at, degrees, _rain(row, columns, "an hour"), parse_number(humidity) if humidity else None)


def _day(row: TableRow, columns: dict[str, str | None], text: str) -> Day:
    mean = _cell(row, columns, "temperature")
    low, high = (celsius(parse_number(_cell(row, columns, name) or mean)) for name in ("low", "high"))
    if low > high:
        raise EprobaError(f"a low of {low:g} °C is above a high of {high:g} °C: are the columns swapped?")
    return Day(_date(text), low, high, _rain(row, columns, "a day"))


def _date(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError:
        return parse_date(text)
