"""Pictures of units: what is known of them, and the pictures themselves one by one."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlmodel import Session, col, select

from eproba.store.tables import PictureRow


@dataclass(frozen=True)
class Shot:
    """A picture without its bytes."""

    id: int
    unit_id: int | None
    round_id: int | None
    taken_at: datetime | None
    came_at: datetime
    by: str
    size: int
    numbers: dict[str, Any]
    to_cm: list[list[float]] | None
    outline: list[list[float]] | None
    kept: bool | None

    @property
    def sorted(self) -> bool:
        """Whether it has found its unit and its round."""
        return self.unit_id is not None and self.round_id is not None


NAMES = tuple(Shot.__dataclass_fields__)


def shots_of(session: Session, trial_id: int, **where: int) -> Sequence[Shot]:
    """The pictures of a trial in the order in which they were taken; `where`: of one unit, or one round."""
    columns = [getattr(PictureRow, name) for name in NAMES]
    query = select(*columns).where(PictureRow.trial_id == trial_id)
    for name, value in where.items():
        query = query.where(getattr(PictureRow, name) == value)
    order = (col(PictureRow.taken_at), col(PictureRow.id))
    return [Shot(*row) for row in session.exec(query.order_by(*order)).all()]


def picture_of(session: Session, trial_id: int, picture_id: int) -> PictureRow | None:
    """One picture with its bytes."""
    query = select(PictureRow).where(PictureRow.trial_id == trial_id, PictureRow.id == picture_id)
    return session.exec(query).first()


def last_outline(session: Session, trial_id: int, unit_id: int) -> PictureRow | None:
    """The latest picture of a unit whose outline was tapped."""
    query = select(PictureRow).where(
        PictureRow.trial_id == trial_id,
        PictureRow.unit_id == unit_id,
        col(PictureRow.outline).is_not(None),
        col(PictureRow.to_cm).is_not(None),
    )
    return session.exec(query.order_by(col(PictureRow.taken_at).desc(), col(PictureRow.id).desc())).first()
