"""Links for helpers: whose they are, and whether they still hold."""

from collections.abc import Sequence
from datetime import datetime, timedelta

from sqlmodel import Session, col, select

from eproba.store.secrets import hashed
from eproba.store.tables import HelperRow, RoundRow

SECOND_READER = timedelta(days=1)
LATE_COMES = timedelta(days=14)  # after a round was closed: what a phone held back until then


def helper_with(
    session: Session, token: str, now: datetime, after: timedelta = timedelta()
) -> tuple[HelperRow, RoundRow] | None:
    """The helper of a link and the round that he reads; None where it has ended with its round, or never was.

    A second reader has a day longer: the first may close the round before he is through.
    """
    query = select(HelperRow, RoundRow).join(RoundRow, col(RoundRow.id) == col(HelperRow.round_id))
    row = session.exec(query.where(HelperRow.token_hash == hashed(token))).first()
    if row is None or row[1].missed:
        return None
    closed_at = row[1].closed_at
    is_late = after > timedelta() and closed_at is not None and now - closed_at < after
    return row if is_late or still_reads(*row, now) else None


def still_reads(helper: HelperRow, round_: RoundRow, now: datetime) -> bool:
    """Whether a link still holds: its round is neither closed nor missed, but for a second reader's day."""
    late = helper.second and round_.closed_at is not None and now - round_.closed_at < SECOND_READER
    return not round_.missed and (not round_.done or late)


def helpers_of(session: Session, round_id: int, now: datetime) -> Sequence[HelperRow]:
    """Who reads a round by a link that still holds."""
    query = select(HelperRow, RoundRow).join(RoundRow, col(RoundRow.id) == col(HelperRow.round_id))
    rows = session.exec(query.where(HelperRow.round_id == round_id).order_by(col(HelperRow.id)))
    return [helper for helper, round_ in rows if still_reads(helper, round_, now)]
