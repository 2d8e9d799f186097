"""The life of a batch: standing water → brewing → ready → strained → used up, too old or thrown away."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from eproba.core.brewing.clock import (
    AWAY,
    brewed_hours,
    condemned,
    looks,
    oldest,
    ready_at,
    ready_window,
    rule,
    suffocated,
    use_by,
)
from eproba.core.brewing.events import Batch, BatchError, Event, check_event, left, moment, nearly_empty
from eproba.core.brewing.recipe import time_words
from eproba.core.quantities import METRIC, Amount, Units

STANDING_HOURS = 24.0
SOONEST_AGAIN, LATEST_AGAIN = 0.25, 24.0  # hours from a look that said “not yet” to the next
State = Literal["standing", "brewing", "ready", "strained", "throw away", "used up", "too old", "thrown away"]
GONE: tuple[State, ...] = ("used up", "too old", "thrown away")
CAN_BE_POURED: tuple[State, ...] = ("ready", "strained")


@dataclass(frozen=True)
class Standing:
    """Where a batch is in its life, and the sentence that says why."""

    state: State
    why: str


def standing(batch: Batch, now: datetime) -> Standing:
    """Where a batch is in its life at a moment, by what had happened until then."""
    then = batch.until(now)
    thrown, until = then.last("thrown away"), use_by(then)
    if thrown is not None:
        return Standing("thrown away", f"This batch was thrown away: {thrown.note.rstrip('.') or 'no reason given'}.")
    if nearly_empty(left(then), then.litres):
        return Standing("used up", "This batch is used up.")
    bad = condemned(then)
    if bad is not None:
        return Standing("throw away", bad.why)
    if then.mixed_at is None:
        return Standing("standing", "Its water stands; nothing is mixed by waiting.")
    if until is not None and now > until:
        return Standing("too old", f"This batch is too old: it kept until {moment(until)}.")
    if suffocated(then, now):
        return Standing("throw away", "It went without air for longer than it keeps: what lived in it has suffocated.")
    if ready_at(then) is not None:
        return _ready(then)
    return _brewing(then, now)


def _ready(batch: Batch) -> Standing:
    if batch.first("strained") is not None:
        return Standing("strained", "It is strained, and can be poured.")
    said = [ruled.why for _, ruled in looks(batch)]
    return Standing("ready", said[-1] if said else "It needs no time: it can be poured at once.")


def _brewing(batch: Batch, now: datetime) -> Standing:
    hours = brewed_hours(batch, now)
    if hours > oldest(batch.recipe):
        return Standing("throw away", rule(batch.recipe, {}, hours).why)
    if batch.first("strained") is not None:
        return Standing("brewing", "It was strained before it was ready, so it isn’t what the recipe intends.")
    said = looks(batch)
    if said:
        return Standing("brewing", said[-1][1].why)
    done, least = (time_words((hour, hour)) for hour in (hours, batch.recipe.hours[0]))
    so_far = f"Brewed for {done}" if hours >= batch.recipe.hours[0] else f"Brewed for {done} of {least} at least"
    return Standing("brewing", f"{so_far}, and nobody has looked yet.")


def state(batch: Batch, now: datetime) -> State:
    return standing(batch, now).state


@dataclass(frozen=True)
class Next:
    """What a batch wants next; `at` when, if that is known; `urgent`: now or overdue."""

    words: str
    at: datetime | None = None
    urgent: bool = False


def wants(batch: Batch, now: datetime) -> Next:
    """The one thing that a batch wants next."""
    where, then = state(batch, now), batch.until(now)
    if where == "throw away":
        return Next("Throw it away", None, True)
    if where in GONE:
        return Next({"used up": "Nothing more.", "thrown away": "Nothing more."}.get(where, "Throw it away: too old."))
    if where == "standing":
        until = (then.first("water set out") or now) + timedelta(hours=STANDING_HOURS)
        return Next("Mix it: its water has stood" if now >= until else "Water stands; then mix", until, now >= until)
    if where == "brewing":
        return _while_brewing(then, now)
    if where == "ready" and batch.recipe.strain and batch.recipe.brews:
        if batch.recipe.keeps_from == "air off":
            return Next("Let the air run, and strain it just before you pour", use_by(then))
        return Next("Strain it", None, True)
    return Next("Pour it", use_by(then))


def _while_brewing(batch: Batch, now: datetime) -> Next:
    window = ready_window(batch)
    if window is None:
        return Next("Bring it into the warm: it does not brew now", None, True)
    look = next_look(batch) or window[0]
    if now >= look:
        return Next("Check it: by the clock it may be ready", look, True)
    stirred = next_stirring(batch)
    if stirred is not None and stirred < look:
        return Next("Stir it", stirred, now >= stirred)
    return Next("Let it brew" if now < window[0] else "Look at it again", look)


def next_look(batch: Batch) -> datetime | None:
    """When a look is worth while: from its shortest time on, and after a look that said “not yet” a quarter of its span
    later. None while nothing brews."""
    window, low_high = ready_window(batch), batch.recipe.hours
    if window is None:
        return None
    last = batch.last("looked at")
    if last is None or last.at < window[0]:
        return window[0]
    again = min(max((low_high[1] - low_high[0]) / 4, SOONEST_AGAIN), LATEST_AGAIN)
    return last.at + timedelta(hours=again)


def next_stirring(batch: Batch) -> datetime | None:
    """When it wants to be stirred the next time; None where it needs none."""
    touched = batch.last("mixed", "stirred")
    every = batch.recipe.stir_hours
    return None if every is None or touched is None else touched.at + timedelta(hours=every)


def why_not_pour(batch: Batch, at: datetime) -> str:
    """Why a batch can't be poured at a moment without being put on record as an override; empty: it can.

    Raises
    ------
    BatchError
        A batch poured before it began: no override mends that.
    """
    standing_now = standing(batch, at)
    if standing_now.state == "standing":
        raise BatchError("This batch has not begun by then: its water still stands. Choose another, or another time.")
    if standing_now.state in CAN_BE_POURED:
        return ""
    if standing_now.state == "throw away":
        return f"Throw it away. {standing_now.why}"
    if standing_now.state == "brewing":
        return f"This batch is not ready yet: {standing_now.why}"
    return standing_now.why


def check_straining(batch: Batch, event: Event, now: datetime) -> None:
    """As `check_event`; and a brew is strained when it is ready. Raises BatchError."""
    check_event(batch, event, now)
    standing_now = standing(batch, event.at)
    if event.what == "strained" and standing_now.state != "ready":
        raise BatchError(f"Strain it when it is ready: {standing_now.why}")


def dead_yeast(batch: Batch, units: Units = METRIC) -> str:
    """No foam where foam should be: a test that tells dead yeast from bad water."""
    seen = [event.seen for event in batch.events if event.what == "looked at"]
    if "foam" not in (batch.recipe.ready or {}) or not seen or seen[-1].get("foam") != "none":
        return ""
    warm = units(Amount(35, "°C"))
    text = f"No foam? Put a pinch of the same yeast with a pinch of sugar into half a cup of bottled water at {warm}. "
    return text + "Foam there after 15 minutes: your water was too hot or chlorinated. None: the yeast is dead."


def ruling_of(batch: Batch) -> str:
    """The ruling of the last look, in words; empty where nobody has looked. Once “throw away”, always."""
    said = looks(batch)
    return AWAY if condemned(batch) else said[-1][1].ruling if said else ""
