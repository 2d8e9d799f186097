"""Measures: the catalogue's and the gardener's own."""

from collections.abc import Collection

from sqlmodel import Session, col, select

from eproba.core.catalogue import measures as catalogue
from eproba.core.measuring.measures import Measure
from eproba.store.mapping import measure_of
from eproba.store.tables import MeasurePictureRow, OwnMeasureRow


def measures_named(session: Session, keys: Collection[str]) -> dict[str, Measure]:
    """The measures with these keys; the gardener's own are fetched only where one of them is asked for."""
    return catalogue() if set(keys) <= set(catalogue()) else all_measures(session)


def picture_of_how(session: Session, key: str) -> bytes | None:
    """A picture of how an own measure is done."""
    row = session.get(MeasurePictureRow, key)
    return None if row is None else row.jpeg


def pictured(session: Session) -> set[str]:
    """The own measures that have one."""
    return set(session.exec(select(MeasurePictureRow.key)))


def all_measures(session: Session) -> dict[str, Measure]:
    """Every measure by key, the catalogue's first."""
    rows = session.exec(select(OwnMeasureRow).order_by(col(OwnMeasureRow.name))).all()
    return {**catalogue(), **{row.key: measure_of(row) for row in rows}}
