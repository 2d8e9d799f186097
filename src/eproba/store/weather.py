"""Weather on record: a logger's hours, whole days as told or foretold, as a station like any other."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from sqlalchemy.orm import Mapped
from sqlmodel import Session, SQLModel, col

from eproba.core.brewing.weather import Day, Hour
from eproba.store.database import ONLY_READS, rows_of
from eproba.store.tables import WeatherDayRow, WeatherRow

BEFORE, AFTER = timedelta(days=3), timedelta(days=4)  # what a page asks for around what it asks for first


@dataclass(frozen=True)
class KeptSpan:
    """Rows of the weather on record, from start to end."""

    start: date
    end: date
    rows: Sequence[Any]


@dataclass(frozen=True)
class LoggedStation:
    """What is on record, typed or from files; days and hours by the gardener’s own clock."""

    session: Session
    name: str = "your own records"

    def hours(self, start: datetime, end: datetime) -> list[Hour]:
        """Measured hours from start (included) to end (not included)."""
        return self._hours(start, end, foretold=False)

    def days(self, first: date, last: date) -> list[Day]:
        """Days told whole, first and last included."""
        return self._days(first, last, foretold=False)

    def forecast(self, now: datetime, hours: int) -> list[Hour]:
        """Hours of a file that were still to come; usually none."""
        return self._hours(now, now + timedelta(hours=hours), foretold=True)

    def foretold(self, first: date, last: date) -> list[Day]:
        """Days as foretold, first and last included."""
        return self._days(first, last, foretold=True)

    def _hours(self, start: datetime, end: datetime, *, foretold: bool) -> list[Hour]:
        rows = self._kept(WeatherRow, col(WeatherRow.at), start, end)
        asked = (row for row in rows if start <= row.at < end and row.foretold == foretold)
        return [Hour(row.at.astimezone(), row.temperature, row.rain_mm, row.humidity) for row in asked]

    def _days(self, first: date, last: date, *, foretold: bool) -> list[Day]:
        rows = self._kept(WeatherDayRow, col(WeatherDayRow.on), first, last)
        asked = (row for row in rows if first <= row.on <= last and row.foretold == foretold)
        return [Day(row.on, row.low, row.high, row.rain_mm) for row in asked]

    def _kept(self, table: type[SQLModel], at: Mapped[Any], start: date, end: date) -> Sequence[Any]:
        """All that is on record of a span, measured and foretold. A page asks for several that lie beside each other:
        what lies around the first is fetched with it."""
        if not self.session.info.get(ONLY_READS):
            return rows_of(self.session, table, at >= start, at <= end, order=(at,))
        spans: dict[type[SQLModel], KeptSpan] = self.session.info.setdefault("weather", {})
        kept = spans.get(table)
        if kept is None or not kept.start <= start <= end <= kept.end:
            since, until = start - BEFORE, end + AFTER
            kept = KeptSpan(since, until, rows_of(self.session, table, at >= since, at <= until, order=(at,)))
            spans[table] = kept
        return kept.rows
