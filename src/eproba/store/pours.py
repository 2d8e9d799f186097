"""Applications: what stood on record of them before they were changed."""

from typing import Any

from sqlalchemy import select
from sqlmodel import Session, col

from eproba.store.tables import PourChangeRow, PourRow


def pour_changes_of(session: Session, trial_id: int) -> list[dict[str, Any]]:
    """What each application was before a change, the oldest first: letter, day, what, who, when."""
    c, p = PourChangeRow, PourRow
    columns = (col(p.letter), col(p.day), col(c.was), col(c.by), col(c.at), col(c.sealed))
    query = select(*columns).join(p, col(c.pour_id) == col(p.id)).where(col(p.trial_id) == trial_id)
    return [dict(row) for row in session.connection().execute(query.order_by(col(c.id))).mappings()]
