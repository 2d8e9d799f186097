"""Links for helpers: whose they are, and whether they still hold."""

from collections.abc import Sequence

from sqlmodel import Session, col, select

from eproba.store.tables import HelperRow, RoundRow


def helper_with(session: Session, token: str) -> tuple[HelperRow, RoundRow] | None:
    """The helper of a link and the round that he reads; None where it has ended with its round, or never was."""
    query = select(HelperRow, RoundRow).join(RoundRow, col(RoundRow.id) == col(HelperRow.round_id))
    found = session.exec(query.where(HelperRow.token == token)).first()
    return None if found is None or found[1].done or found[1].missed else (found[0], found[1])


def helpers_of(session: Session, round_id: int) -> Sequence[HelperRow]:
    """Who was asked to read a round."""
    query = select(HelperRow).where(HelperRow.round_id == round_id)
    return session.exec(query.order_by(col(HelperRow.id))).all()
