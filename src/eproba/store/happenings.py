"""What happened to units between rounds, and samples for a laboratory."""

from sqlmodel import Session, col, select

from eproba.core.trial.happenings import UnitEvent
from eproba.core.trial.samples import Sample
from eproba.store.tables import SampleRow, UnitEventRow


def events_of(session: Session, trial_id: int) -> list[UnitEvent]:
    """The events of a trial's units, the latest first; what was a mistake is left out."""
    query = select(UnitEventRow).where(UnitEventRow.trial_id == trial_id, col(UnitEventRow.taken_back).is_(False))
    rows = session.exec(query.order_by(col(UnitEventRow.on).desc(), col(UnitEventRow.id).desc()))
    return [UnitEvent(r.id, r.unit_id, r.on, r.what, r.count, r.note, r.by) for r in rows]


def samples_of(session: Session, trial_id: int) -> list[Sample]:
    """The samples of a trial in the order in which they were taken."""
    query = select(SampleRow).where(SampleRow.trial_id == trial_id).order_by(col(SampleRow.id))
    names = [name for name in Sample.__dataclass_fields__ if name != "units"]
    return [
        Sample(units=tuple(row.units), **{name: getattr(row, name) for name in names}) for row in session.exec(query)
    ]
