"""Measures of one’s own: added, taken away."""

from sqlmodel import Session, select

from eproba.core.measuring.measures import Measure
from eproba.store.tables import OwnMeasureRow, TrialMeasureRow


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
