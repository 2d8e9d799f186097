"""Weather put on record."""

from collections.abc import Iterable

from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session

from eproba.core.brewing.weather import Hour
from eproba.store.tables import WeatherRow


def add_hours(session: Session, hours: Iterable[Hour]) -> int:
    """Keep hours, the newer word winning; returns how many."""
    rows = [vars(hour) for hour in {hour.at: hour for hour in hours}.values()]
    if rows:
        statement = insert(WeatherRow).values(rows)
        fresh = {name: statement.excluded[name] for name in ("temperature", "rain_mm", "humidity")}
        session.connection().execute(statement.on_conflict_do_update(index_elements=["at"], set_=fresh))
    return len(rows)
