"""Weather on record: a logger's hours, or what the gardener types, as a station like any other."""

from dataclasses import dataclass
from datetime import datetime

from sqlmodel import Session, col, select

from eproba.core.brewing.weather import Hour
from eproba.store.tables import WeatherRow


@dataclass(frozen=True)
class LoggedStation:
    """What is on record; nobody foretells."""

    session: Session
    name: str = "your own records"

    def hours(self, start: datetime, end: datetime) -> list[Hour]:
        """Measured hours from start (included) to end (not included)."""
        query = select(WeatherRow).where(col(WeatherRow.at) >= start, col(WeatherRow.at) < end)
        rows = self.session.exec(query.order_by(col(WeatherRow.at))).all()
        return [Hour(row.at, row.temperature, row.rain_mm, row.humidity) for row in rows]

    def forecast(self, now: datetime, hours: int) -> list[Hour]:
        """Hours that were typed ahead; usually none."""
        return []
