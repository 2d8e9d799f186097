"""Measures of one’s own: added, taken away."""

from sqlmodel import Session, select

from eproba.core.measuring.measures import Measure
from eproba.store.tables import MeasurePictureRow, OwnMeasureRow, TrialMeasureRow


def add_own_measure(session: Session, measure: Measure, picture: bytes | None = None) -> None:
    """Keep a gardener's own measure, with a picture of how it is done."""
    columns = ("key", "name", "unit", "low", "high", "decimals", "better", "scale")
    names = (*columns, "kind", "seconds", "when", "destructive")
    fields = {name: getattr(measure, name) for name in names}
    noise = measure.noise_cv if measure.noise_cv is not None else measure.noise_sd
    session.add(OwnMeasureRow(**fields, levels=list(measure.levels), how=" ".join(measure.how), noise=noise))
    if picture is not None:
        session.flush()
        session.add(MeasurePictureRow(key=measure.key, jpeg=picture))


def drop_own_measure(session: Session, key: str) -> bool:
    """Delete an own measure that no trial uses; False where one does."""
    used = session.exec(select(TrialMeasureRow.id).where(TrialMeasureRow.measure_key == key).limit(1)).first()
    row = session.get(OwnMeasureRow, key)
    if used is not None or row is None:
        return False
    session.delete(row)
    return True
