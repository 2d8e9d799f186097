"""How dates and numbers read on a page."""

from collections.abc import Callable
from datetime import date, datetime
from typing import Any

from eproba.core.brewing.events import left
from eproba.core.brewing.recipe import seen_words, time_words
from eproba.core.stats.series import Scale
from eproba.core.trial.claim import claim_of, own_words
from eproba.core.trial.compared import COMPARED, KindWords
from eproba.core.trial.doses import dose_of, given_words
from eproba.core.trial.hours import hours_words
from eproba.core.trial.lots import DEALT, Dealing
from eproba.core.trial.model import Compared, Treatment, Trial
from eproba.core.trial.samples import for_laboratory
from eproba.core.trial.worth import Worth, as_typed
from eproba.core.words import day_words, figure, figure_or_whole, full_date, listed, lower_first, one_in, plural
from eproba.store.drafts import draft_name
from eproba.web.ui.errands import due_address, job_address, line_address
from eproba.web.ui.units import units

LONG_OVER = 14  # days: further back a date says more than a number of days


def moment(at: datetime) -> str:
    """24 Nov 2026, 18:05"""
    local = at.astimezone()
    return f"{full_date(local.date())}, {local:%H:%M}"


def moment_short(at: datetime, now: datetime) -> str:
    """today 17:00, tomorrow 8:00, Thu 26 Nov"""
    local = at.astimezone()
    days = (local.date() - now.astimezone().date()).days
    near = {0: "today", 1: "tomorrow", -1: "yesterday"}.get(days)
    return f"{near} {local:%H:%M}" if near else day_words(local.date())


def from_today(on: date, today: date) -> str:
    """today, tomorrow, in 5 days, 3 days ago; what is long over by its date"""
    days = (on - today).days
    if days < -LONG_OVER:
        return f"on {day_words(on)}"
    near = {0: "today", 1: "tomorrow", -1: "yesterday"}
    if days in near:
        return near[days]
    return f"in {days} days" if days > 0 else f"{-days} days ago"


def duration(minutes: float) -> str:
    """12 minutes; from an hour and a half on in hours"""
    return plural(max(1, round(minutes)), "minute") if minutes < 90 else f"{minutes / 60:.1f} hours"


def plain_unit(unit: str) -> str:
    """L of compost: L"""
    return unit.partition(" of ")[0]


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


def dose(treatment: Treatment) -> str:
    """What a treatment gives: 250 mL each, 2 L/m²."""
    given = dose_of(treatment)
    return "" if given is None else given.said(units())


def given(trial: Trial, treatment: Treatment) -> str:
    """What a treatment is given and when, as a page says it."""
    days = [pour.day for pour in trial.pours if pour.letter == treatment.letter and pour.what == "dose"]
    return given_words(treatment, days, units())


def spoken_of(compared: Compared) -> KindWords:
    """How the applications of a trial of this kind are spoken of."""
    return COMPARED[compared]


def dealt_words(dealing: Dealing) -> str:
    """in blocks"""
    return DEALT[dealing]


def described(field: Any, hint: str) -> dict[str, str]:
    """ARIA attributes that tie a form field to its hint and its error."""
    ids = ([f"{field.id}-hint"] if hint else []) + ([f"{field.id}-error-1"] if field.errors else [])
    attributes = {"aria-describedby": " ".join(ids)} if ids else {}
    return attributes | ({"aria-invalid": "true"} if field.errors else {})


def by_choice(field: Any) -> dict[str, Any]:
    """The options of a field of choices by their values."""
    return {option.data: option for option in field}


ALL: dict[str, Callable[..., Any]] = {
    "lower_first": lower_first,
    "day_and_month": day_words,
    "full_date": full_date,
    "from_today": from_today,
    "moment": moment,
    "moment_short": moment_short,
    "plural": plural,
    "listed": listed,
    "duration": duration,
    "strength": strength,
    "span_of_hours": time_words,
    "figure_or_whole": figure_or_whole,
    "figure": figure,
    "with_decimals": with_decimals,
    "worth": worth,
    "claim": claim_of,
    "own_words": own_words,
    "worth_typed": worth_typed,
    "as_typed": as_typed,
    "one_in": one_in,
    "dose": dose,
    "spoken_of": spoken_of,
    "given_words": given,
    "dealt_words": dealt_words,
    "described": described,
    "by_choice": by_choice,
    "hours_words": hours_words,
    "goes_to_a_laboratory": for_laboratory,
    "draft_name": draft_name,
    "in_it": left,
    "plain_unit": plain_unit,
    "seen_words": seen_words,
    "line_address": line_address,
    "due_address": due_address,
    "job_address": job_address,
}
