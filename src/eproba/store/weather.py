"""Weather on record: a logger's hours, whole days as told or foretold, as a station like any other."""

from dataclasses import dataclass
from datetime import date, datetime, timedelta

from sqlmodel import Session, col, select

from eproba.core.brewing.weather import Day, Hour
from eproba.store.database import once
from eproba.store.tables import WeatherDayRow, WeatherRow


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
        key = ("hours", start.replace(second=0, microsecond=0), end.replace(second=0, microsecond=0), foretold)
        return once(self.session, key, lambda: self._fetched_hours(start, end, foretold=foretold))

    def _fetched_hours(self, start: datetime, end: datetime, *, foretold: bool) -> list[Hour]:
        query = select(WeatherRow).where(col(WeatherRow.at) >= start, col(WeatherRow.at) < end)
        query = query.where(col(WeatherRow.foretold).is_(foretold))
        rows = self.session.exec(query.order_by(col(WeatherRow.at))).all()
        return [Hour(row.at.astimezone(), row.temperature, row.rain_mm, row.humidity) for row in rows]

    def _days(self, first: date, last: date, *, foretold: bool) -> list[Day]:
        key = ("days", first, last, foretold)
        return once(self.session, key, lambda: self._fetched_days(first, last, foretold=foretold))

    def _fetched_days(self, first: date, last: date, *, foretold: bool) -> list[Day]:
        d = WeatherDayRow
        query = select(d).where(col(d.on) >= first, col(d.on) <= last, col(d.foretold).is_(foretold))
        return [Day(row.on, row.low, row.high, row.rain_mm) for row in self.session.exec(query.order_by(col(d.on)))]
