"""Applications: what stood on record of them before they were changed."""

from sqlmodel import Session, col, select

from eproba.core.trial.amendments import PourChange
from eproba.store.mapping import pour_change_from
from eproba.store.tables import PourChangeRow, PourRow


def pour_changes_of(session: Session, trial_id: int) -> list[PourChange]:
    """What each application was before a change, the oldest first."""
    query = select(PourChangeRow, PourRow).join(PourRow, col(PourChangeRow.pour_id) == col(PourRow.id))
    rows = session.exec(query.where(PourRow.trial_id == trial_id).order_by(col(PourChangeRow.id)))
    return [pour_change_from(change, pour) for change, pour in rows]
