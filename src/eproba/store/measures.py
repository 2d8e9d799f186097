"""Measures: the catalogue's and the gardener's own."""

from sqlmodel import Session, col, select

from eproba.core.catalogue import measures as catalogue
from eproba.core.measuring.measures import Measure
from eproba.store.mapping import measure_of
from eproba.store.tables import OwnMeasureRow


def all_measures(session: Session) -> dict[str, Measure]:
    """Every measure by key, the catalogue's first."""
    rows = session.exec(select(OwnMeasureRow).order_by(col(OwnMeasureRow.name))).all()
    return {**catalogue(), **{row.key: measure_of(row) for row in rows}}
