"""Measures: the catalogue's and the gardener's own."""

from sqlmodel import Session, col, select

from eproba.core.catalogue import measures as catalogue
from eproba.core.measuring.measures import Measure
from eproba.store.mapping import measure_of
from eproba.store.tables import OwnMeasureRow, TrialMeasureRow


def all_measures(session: Session) -> dict[str, Measure]:
    """Every measure by key, the catalogue's first."""
    rows = session.exec(select(OwnMeasureRow).order_by(col(OwnMeasureRow.name))).all()
    return {**catalogue(), **{row.key: measure_of(row) for row in rows}}


def add_own_measure(session: Session, measure: Measure) -> None:
    """Keep a gardener's own measure."""
    names = ("key", "name", "unit", "low", "high", "decimals", "better", "scale")
    fields = {name: getattr(measure, name) for name in names}
    session.add(OwnMeasureRow(**fields, how=" ".join(measure.how)))


def drop_own_measure(session: Session, key: str) -> bool:
    """Delete an own measure that no trial uses; False where one does."""
    used = session.exec(select(TrialMeasureRow.id).where(TrialMeasureRow.measure_key == key).limit(1)).first()
    row = session.get(OwnMeasureRow, key)
    if used is not None or row is None:
        return False
    session.delete(row)
    return True
