"""Drafts: trials being planned, as typed."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlmodel import Session, col, select

from eproba.store.tables import DraftRow


def draft_of(session: Session, draft_id: int) -> DraftRow | None:
    """One draft as it is now."""
    return session.get(DraftRow, draft_id, populate_existing=True)


def draft_name(draft: DraftRow) -> str:
    """What a draft is called in lists, however little was typed."""
    return typed_name(draft) or "Unnamed plan"


def typed_name(draft: DraftRow) -> str:
    """The name that somebody gave it; empty while nobody has."""
    return str((draft.answers.get("claim", {}).get("name") or [""])[0]).strip()


def drafts(session: Session) -> Sequence[DraftRow]:
    """All drafts, the latest first."""
    return session.exec(select(DraftRow).order_by(col(DraftRow.changed_at).desc(), col(DraftRow.id).desc())).all()


def untouched_draft(session: Session, answers: Mapping[Any, Any]) -> int | None:
    """The latest draft in which nothing was typed yet, where there is one."""
    return next((draft.id for draft in drafts(session) if draft.answers == answers and not draft.taken_back), None)
