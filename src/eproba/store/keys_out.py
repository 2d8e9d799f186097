"""All keys that are out beside the devices: links of helpers and of reports, calendar addresses, meters,
where other gardens hand in."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from sqlmodel import Session, col, select

from eproba.store.feeds import feeds
from eproba.store.helpers import still_reads
from eproba.store.meters import meter_rows
from eproba.store.tables import ChallengeRow, HelperRow, RoundRow, SharedLinkRow, TrialRow

KeyKind = Literal["helper", "report", "calendar", "meter", "challenge"]


@dataclass(frozen=True)
class KeyOut:
    """One key that leads here: of what kind, for whom or what, since when, and made by whom."""

    kind: KeyKind
    id: str
    name: str
    made_at: datetime
    by: str = ""


def keys_out(session: Session, now: datetime) -> list[KeyOut]:
    """The keys that still open something, kind by kind."""
    return [*_helpers(session, now), *_reports(session), *_calendars(session), *_meters(session), *_challenges(session)]


def _helpers(session: Session, now: datetime) -> list[KeyOut]:
    query = select(HelperRow, RoundRow, TrialRow.name).join(RoundRow, col(RoundRow.id) == col(HelperRow.round_id))
    rows = session.exec(query.join(TrialRow, col(TrialRow.id) == col(HelperRow.trial_id)).order_by(col(HelperRow.id)))
    return [
        KeyOut("helper", str(helper.id), f"{helper.name}, {_reads(helper)} {trial}, day {round_.day}",
               helper.made_at, helper.by)
        for helper, round_, trial in rows
        if still_reads(helper, round_, now)
    ]  # fmt: skip


def _reads(helper: HelperRow) -> str:
    return "second reader of" if helper.second else "reads"


def _reports(session: Session) -> list[KeyOut]:
    query = select(SharedLinkRow, TrialRow.name).join(TrialRow, col(TrialRow.id) == col(SharedLinkRow.trial_id))
    rows: Sequence[tuple[SharedLinkRow, str]] = session.exec(query.order_by(col(SharedLinkRow.trial_id))).all()
    return [KeyOut("report", str(link.trial_id), f"The report of {trial}", link.made_at, link.by)
            for link, trial in rows]  # fmt: skip


def _calendars(session: Session) -> list[KeyOut]:
    return [KeyOut("calendar", feed.token_hash, "A calendar that follows what is due", feed.made_at)
            for feed in feeds(session)]  # fmt: skip


def _meters(session: Session) -> list[KeyOut]:
    return [
        KeyOut("meter", str(meter.id), f"{meter.name} sends its values", meter.made_at, meter.by)
        for meter in meter_rows(session)
        if meter.token_hash is not None
    ]


def _challenges(session: Session) -> list[KeyOut]:
    rows = session.exec(select(ChallengeRow).where(ChallengeRow.token_hash != "").order_by(col(ChallengeRow.made_at)))
    return [KeyOut("challenge", row.key, f"Other gardens hand in to {row.name}", row.made_at) for row in rows]
