"""Links for helpers: made and taken back."""

from datetime import datetime

from sqlmodel import Session, select

from eproba.store.tables import HelperRow


def ask_helper(
    session: Session, trial_id: int, round_id: int, token: str, name: str, by: str, now: datetime, second: bool = False
) -> None:
    """Make a link by which `name` reads one round; `second`: beside what is read already, to tell readers apart."""
    values = {"token": token, "name": name, "by": by, "made_at": now, "second": second}
    session.add(HelperRow.model_validate({"trial_id": trial_id, "round_id": round_id, **values}))


def drop_helper(session: Session, round_id: int, token: str) -> None:
    """The link holds no longer; what was read by it stays."""
    query = select(HelperRow).where(HelperRow.round_id == round_id, HelperRow.token == token)
    for row in session.exec(query):
        session.delete(row)
