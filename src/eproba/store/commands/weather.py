"""Weather put on record: the newer word about an hour or a day wins, what was measured wins over what was foretold."""

from collections.abc import Iterable
from datetime import datetime

from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session

from eproba.core.brewing.weather import Day, Hour
from eproba.store.tables import WeatherDayRow, WeatherRow


def add_hours(session: Session, hours: Iterable[Hour], now: datetime) -> int:
    """Keep hours, those after now as foretold; returns how many."""
    rows = [{**vars(hour), "foretold": hour.at > now} for hour in {hour.at: hour for hour in hours}.values()]
    if rows:
        statement = insert(WeatherRow).values(rows)
        fresh = {name: statement.excluded[name] for name in ("temperature", "rain_mm", "humidity", "foretold")}
        session.connection().execute(statement.on_conflict_do_update(index_elements=["at"], set_=fresh))
    return len(rows)


def add_days(session: Session, days: Iterable[Day], foretold: bool) -> int:
    """Keep whole days; a day that is told again is put right, not added up. Returns how many."""
    rows = [{**vars(day), "foretold": foretold} for day in {day.on: day for day in days}.values()]
    if rows:
        statement = insert(WeatherDayRow).values(rows)
        fresh = {name: statement.excluded[name] for name in ("low", "high", "rain_mm")}
        session.connection().execute(statement.on_conflict_do_update(index_elements=["on", "foretold"], set_=fresh))
    return len(rows)
