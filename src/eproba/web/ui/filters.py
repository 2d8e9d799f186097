"""How dates and numbers read on a page."""

from collections.abc import Callable
from datetime import date, datetime
from typing import Any

from eproba.core.brewing.mixing import figure_or_whole
from eproba.core.brewing.recipe import time_words
from eproba.core.stats.series import Scale
from eproba.core.trial.worth import Worth, as_typed
from eproba.core.words import figure, one_in
from eproba.store.drafts import draft_name


def day_and_month(on: date) -> str:
    """Tue 24 Nov"""
    return f"{on:%a} {on.day} {on:%b}"


def full_date(on: date) -> str:
    """24 Nov 2026"""
    return f"{on.day} {on:%b} {on.year}"


def moment(at: datetime) -> str:
    """24 Nov 2026, 18:05"""
    local = at.astimezone()
    return f"{full_date(local.date())}, {local:%H:%M}"


def moment_short(at: datetime, now: datetime) -> str:
    """today 17:00, tomorrow 8:00, Thu 26 Nov"""
    local = at.astimezone()
    days = (local.date() - now.astimezone().date()).days
    near = {0: "today", 1: "tomorrow", -1: "yesterday"}.get(days)
    return f"{near} {local:%H:%M}" if near else day_and_month(local.date())


def from_today(on: date, today: date) -> str:
    """today, tomorrow, in 5 days, 3 days ago"""
    days = (on - today).days
    near = {0: "today", 1: "tomorrow", -1: "yesterday"}
    if days in near:
        return near[days]
    return f"in {days} days" if days > 0 else f"{-days} days ago"


def plural(count: int, one: str, many: str | None = None) -> str:
    """3 units"""
    return f"{count} {one if count == 1 else many or one + 's'}"


def duration(minutes: float) -> str:
    """12 minutes; from an hour and a half on in hours"""
    return f"{max(1, round(minutes))} minutes" if minutes < 90 else f"{minutes / 60:.1f} hours"


def strength(parts: tuple[float, float]) -> str:
    """1 + 10, or undiluted"""
    return "undiluted" if parts[1] == 0 else f"{figure_or_whole(parts[0])} + {figure_or_whole(parts[1])}"


def with_decimals(value: float | None, decimals: int) -> str:
    """A reading as it was typed, or an empty text."""
    return "" if value is None else figure(value, decimals)


def worth(size: float | None, scale: Scale, unit: str = "") -> str:
    """15 %, 0.5 cm"""
    return Worth(size, scale).words(unit)


def worth_typed(size: float | None, scale: Scale) -> str:
    """As it stands in the field that it is typed into: 15, 0.5"""
    return Worth(size, scale).typed


def described(field: Any, hint: str) -> dict[str, str]:
    """ARIA attributes that tie a form field to its hint and its error."""
    ids = ([f"{field.id}-hint"] if hint else []) + ([f"{field.id}-error-1"] if field.errors else [])
    attributes = {"aria-describedby": " ".join(ids)} if ids else {}
    return attributes | ({"aria-invalid": "true"} if field.errors else {})


ALL: dict[str, Callable[..., Any]] = {
    "day_and_month": day_and_month,
    "full_date": full_date,
    "from_today": from_today,
    "moment": moment,
    "moment_short": moment_short,
    "plural": plural,
    "duration": duration,
    "strength": strength,
    "span_of_hours": time_words,
    "figure_or_whole": figure_or_whole,
    "figure": figure,
    "with_decimals": with_decimals,
    "worth": worth,
    "worth_typed": worth_typed,
    "as_typed": as_typed,
    "one_in": one_in,
    "described": described,
    "draft_name": draft_name,
}
