"""Meters on record, and what they said."""

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import func
from sqlmodel import Session, col, select

from eproba.core.measuring.meters import MeterDoubt, MeterValue, RecordedMeter
from eproba.store.database import once
from eproba.store.secrets import hashed
from eproba.store.tables import MeterRow, MeterValueRow


def meter_rows(session: Session) -> Sequence[MeterRow]:
    """All meters by their names; asked once for a page."""
    return once(session, "meters", lambda: session.exec(select(MeterRow).order_by(col(MeterRow.name))).all())


def meter_with(session: Session, token: str) -> MeterRow | None:
    """The meter that bears a token; None: nobody gave it one, or it was taken away."""
    return session.exec(select(MeterRow).where(MeterRow.token_hash == hashed(token))).first()


def recorded(session: Session, row: MeterRow, since: datetime, until: datetime) -> RecordedMeter:
    """A meter with what it said in that time."""
    query = select(MeterValueRow).where(
        MeterValueRow.meter_id == row.id, col(MeterValueRow.at) >= since, col(MeterValueRow.at) <= until
    )
    values = [MeterValue(row.at, row.value) for row in session.exec(query.order_by(col(MeterValueRow.at)))]
    return RecordedMeter(row.name, row.measure, row.unit, MeterDoubt(row.doubt, row.doubt_share), values)


def last_heard(session: Session) -> dict[int, tuple[datetime, int]]:
    """By meter: its latest value's moment, and how many are on record."""
    query = select(MeterValueRow.meter_id, func.max(MeterValueRow.at), func.count()).group_by(
        col(MeterValueRow.meter_id)
    )
    return {meter: (at, count) for meter, at, count in session.exec(query)}
