"""Links for helpers: made and taken back."""

from datetime import datetime

from sqlalchemy import delete
from sqlmodel import Session, col

from eproba.store.secrets import hashed
from eproba.store.tables import HelperRow


def ask_helper(
    session: Session, trial_id: int, round_id: int, token: str, name: str, by: str, now: datetime, second: bool = False
) -> None:
    """Make a link by which `name` reads one round; `second`: beside what is read already, to tell readers apart."""
    values = {"token_hash": hashed(token), "name": name, "by": by, "made_at": now, "second": second}
    session.add(HelperRow.model_validate({"trial_id": trial_id, "round_id": round_id, **values}))


def drop_helper(session: Session, helper_id: int) -> bool:
    """The link holds no longer; what was read by it stays. False: it was taken back already."""
    return session.exec(delete(HelperRow).where(col(HelperRow.id) == helper_id)).rowcount > 0
