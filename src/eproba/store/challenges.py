"""Challenges between gardens: those called here, and those that came in."""

from dataclasses import dataclass
from datetime import date, datetime

from sqlmodel import Session, col, select

from eproba.core.judging.challenge import GardenStake
from eproba.store.secrets import hashed
from eproba.store.tables import ChallengeGardenRow, ChallengeRow


@dataclass(frozen=True)
class Challenge:
    """A challenge as kept; `raw`: its signed file; `garden`: the short key of the one who called it."""

    key: str
    name: str
    opens_on: date
    raw: bytes
    garden: str
    called_here: bool
    opened_at: datetime | None


def challenges(session: Session) -> list[Challenge]:
    """All of them, the latest first."""
    return [_challenge(row) for row in session.exec(select(ChallengeRow).order_by(col(ChallengeRow.made_at).desc()))]


def challenge(session: Session, key: str) -> Challenge | None:
    row = session.get(ChallengeRow, key)
    return None if row is None else _challenge(row)


def handed_in_by(session: Session, token: str) -> Challenge | None:
    """The challenge that a link to hand in leads to; None: nowhere."""
    row = session.exec(select(ChallengeRow).where(ChallengeRow.token_hash == hashed(token))).first()
    return None if row is None else _challenge(row)


def _challenge(row: ChallengeRow) -> Challenge:
    return Challenge(row.key, row.name, row.opens_on, row.file, row.garden, row.called_here, row.opened_at)


def stakes_of(session: Session, key: str) -> list[GardenStake]:
    """The gardens of a challenge in the order in which they first wrote."""
    rows = session.exec(
        select(ChallengeGardenRow)
        .where(ChallengeGardenRow.challenge == key)
        .order_by(col(ChallengeGardenRow.came_at), col(ChallengeGardenRow.garden))
    )
    return [GardenStake(row.garden, row.standing, row.units) for row in rows]
