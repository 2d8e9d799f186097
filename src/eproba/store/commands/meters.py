"""Meters: made known, taken away, and what they say taken in, each value once."""

from collections.abc import Mapping, Sequence
from datetime import datetime

from sqlalchemy import delete, update
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col, select

from eproba.core.measuring.meters import MeterDoubt, MeterError, MeterValue, check_name
from eproba.store.commands.locks import lock_name
from eproba.store.secrets import hashed
from eproba.store.tables import MeterRow, MeterValueRow

MOST_AT_ONCE = 10_000  # rows of one statement


def add_meter(
    session: Session, name: str, unit: str, measure: str, doubt: MeterDoubt, token: str, by: str, now: datetime
) -> int:
    """Make a meter known; returns its number.

    Raises MeterError: its name is taken, or it measures something else than it says.
    """
    check_name(name)
    lock_name(session, "meters")
    if session.exec(select(MeterRow).where(MeterRow.name == name)).first() is not None:
        raise MeterError(f"There is a meter named “{name}” already.")
    row = MeterRow(
        name=name, unit=unit, measure=measure, doubt=doubt.own, doubt_share=doubt.share, token_hash=hashed(token),
        made_at=now, by=by,
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row.id


def give_token(session: Session, meter_id: int, token: str | None) -> bool:
    """Another token for a meter, or none: what it sends with the one of before is refused. False: no such meter."""
    held = update(MeterRow).where(col(MeterRow.id) == meter_id)
    return session.exec(held.values(token_hash=token and hashed(token))).rowcount > 0


def drop_meter(session: Session, meter_id: int) -> bool:
    """Take a meter away with its values; readings that it gave stay, and bear its name. False: it is gone already."""
    return session.exec(delete(MeterRow).where(col(MeterRow.id) == meter_id)).rowcount > 0


def take_values(session: Session, meter_id: int, values: Sequence[MeterValue]) -> int:
    """Keep what a meter said; a value that is there already is not taken twice. Returns how many were new."""
    rows = [{"meter_id": meter_id, "at": value.at, "value": value.value} for value in values]
    new = 0
    for start in range(0, len(rows), MOST_AT_ONCE):
        put = insert(MeterValueRow).values(rows[start : start + MOST_AT_ONCE]).on_conflict_do_nothing()
        new += len(session.connection().execute(put.returning(col(MeterValueRow.at))).all())
    return new


def remember_columns(session: Session, row: MeterRow, columns: Mapping[str, str]) -> None:
    """Which columns of its log hold the moment and the value."""
    row.columns = dict(columns)
    session.add(row)
