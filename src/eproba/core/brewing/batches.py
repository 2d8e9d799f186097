"""The life of a batch: standing water → brewing → ready → strained → used up, too old or thrown away.

The clock of a brew runs with its warmth: by the Q10 rule, twice as fast for every 10 °C more. That is rough, and said.

References
----------
van 't Hoff, J. H. (1884). Études de dynamique chimique: rates double or triple for every 10 °C; 2 is taken here.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Literal

from eproba.core.brewing.recipe import SIGNS, Recipe, time_words
from eproba.core.errors import EprobaError
from eproba.core.quantities import celsius

Q10 = 2.0
STANDING_HOURS = 24.0
NEARLY_NOTHING = 0.02  # of the batch: what sticks to the vessel
OLDEST_FACTOR = 3.0  # a brew this many times its longest time old is past judging by its signs
Ruling = Literal["not yet", "ready", "throw away"]
NOT_YET: Ruling = "not yet"
READY: Ruling = "ready"
AWAY: Ruling = "throw away"
State = Literal["standing", "brewing", "ready", "strained", "used up", "too old", "thrown away"]
GONE: tuple[State, ...] = ("used up", "too old", "thrown away")


class BatchError(EprobaError):
    """Something that can't be done with a batch; the message says what would fit."""


@dataclass(frozen=True)
class Check:
    """One look at a batch: temperature, and what was seen of each sign."""

    at: datetime
    temperature: float | None = None
    seen: Mapping[str, str] = field(default_factory=dict)
    note: str = ""
    by: str = ""
    id: int = 0
    photo: bool = False


@dataclass(frozen=True)
class Batch:
    """One brew. `made_at`: when its ingredients met; `standing_at`: when tap water began to stand, if it did."""

    id: int
    recipe: Recipe
    litres: float
    where: str
    made_at: datetime | None
    standing_at: datetime | None = None
    strained_at: datetime | None = None
    used_up_at: datetime | None = None
    thrown_at: datetime | None = None
    thrown_reason: str = ""
    left: float = 0.0
    checks: tuple[Check, ...] = ()
    amounts: Mapping[str, float] = field(default_factory=dict)
    name: str = ""


def nearly_empty(left: float, made: float) -> bool:
    """Whether what is left hardly covers the bottom: then it is used up."""
    return left <= NEARLY_NOTHING * made + 1e-9


def speed(recipe: Recipe, temperature: float) -> float:
    """How fast it brews at a temperature, 1 in the middle of the recipe's range."""
    if recipe.temperature is None:
        return 1.0
    return float(Q10 ** ((celsius(temperature) - sum(recipe.temperature) / 2) / 10))


def brewed_hours(batch: Batch, now: datetime) -> float:
    """Hours brewed so far, counted at the middle of the recipe's range; each logged temperature holds to the next."""
    if batch.made_at is None or now <= batch.made_at:
        return 0.0
    logged = [(check.at, check.temperature) for check in batch.checks if check.temperature is not None]
    turns = [(at, t) for at, t in sorted(logged) if at <= now]
    pace = speed(batch.recipe, turns[0][1]) if turns else 1.0
    since, hours = batch.made_at, 0.0
    for at, temperature in turns:
        hours += pace * max(0.0, (at - since).total_seconds()) / 3600
        since, pace = max(since, at), speed(batch.recipe, temperature)
    return hours + pace * (now - since).total_seconds() / 3600


def ready_window(batch: Batch, now: datetime) -> tuple[datetime, datetime] | None:
    """When it should be ready, from and to, if it stays as warm as it was at the last check."""
    if batch.made_at is None:
        return None
    start = max(now, batch.made_at)
    done = brewed_hours(batch, now)
    logged = [check for check in batch.checks if check.temperature is not None and check.at <= now]
    pace = speed(batch.recipe, logged[-1].temperature or 0.0) if logged else 1.0
    first, last = (start + timedelta(hours=(hours - done) / pace) for hours in batch.recipe.hours)
    return first, last


@dataclass(frozen=True)
class Ruled:
    """What a check comes to, and why."""

    ruling: Ruling
    why: str


def rule(recipe: Recipe, seen: Mapping[str, str], hours: float) -> Ruled:
    """Judge what was seen by the recipe's own signs.

    One sign to throw away is enough; ready needs all signs of readiness that were looked at, and at least one; before
    the shortest time nothing is ready.

    Raises
    ------
    BatchError
        A sign, or a look of it, that nobody knows.
    """
    for sign, look in seen.items():
        if look not in SIGNS.get(sign, ()):
            raise BatchError(f"“{look}” is no {sign}: choose {', '.join(SIGNS.get(sign, SIGNS))}.")
    bad = [f"{sign} {look}" for sign, look in seen.items() if look in (recipe.away or {}).get(sign, ())]
    if bad:
        return Ruled(AWAY, f"{', '.join(bad)}: for this recipe a sign to throw it away ({recipe.away_words}).")
    if recipe.brews and hours > OLDEST_FACTOR * recipe.hours[1]:
        return Ruled(AWAY, f"It is {_hours(hours)} old: past the time in which its signs can be trusted.")
    wanted = {sign: looks for sign, looks in (recipe.ready or {}).items() if sign in seen}
    missing = [sign for sign, looks in wanted.items() if seen[sign] not in looks]
    if recipe.brews and hours < recipe.hours[0] * 0.5:
        return Ruled(NOT_YET, f"Only {_hours(hours)} of {_hours(recipe.hours[0])} at least: leave it.")
    if missing:
        hint = f" {recipe.normal_words}" if recipe.normal_words else ""
        looks = ", ".join(f"{sign} {' or '.join(wanted[sign])}" for sign in missing)
        return Ruled(NOT_YET, f"Ready would be {recipe.ready_words or looks}.{hint}")
    if wanted:
        return Ruled(READY, f"As it should be: {recipe.ready_words}.")
    if hours >= recipe.hours[0]:
        return Ruled(READY, "Its time is over, and nothing speaks against it.")
    return Ruled(NOT_YET, f"{_hours(hours)} of {_hours(recipe.hours[0])} at least.")


def _hours(hours: float) -> str:
    return time_words((hours, hours))


def ruled(batch: Batch, now: datetime) -> Ruled | None:
    """What the last check came to; None where nobody has looked."""
    checks = [check for check in batch.checks if check.at <= now]
    if not checks:
        return None
    return rule(batch.recipe, checks[-1].seen, brewed_hours(batch, checks[-1].at))


def ready_at(batch: Batch) -> datetime | None:
    """When it was found ready: by a check, else by straining, else at once where it needs no time."""
    for check in sorted(batch.checks, key=lambda each: each.at):
        if rule(batch.recipe, check.seen, brewed_hours(batch, check.at)).ruling == READY:
            return check.at
    if batch.strained_at is not None:
        return batch.strained_at
    return batch.made_at if not batch.recipe.brews else None


def use_by(batch: Batch) -> datetime | None:
    """Until when it keeps; None before it is ready, or where it keeps for ever."""
    since, keeps = ready_at(batch), batch.recipe.keeps_hours
    return None if since is None or keeps is None else since + timedelta(hours=keeps)


def state(batch: Batch, now: datetime) -> State:
    """Where a batch is in its life."""
    if batch.thrown_at is not None:
        return "thrown away"
    if batch.used_up_at is not None:
        return "used up"
    until = use_by(batch)
    if until is not None and now > until:
        return "too old"
    if batch.made_at is None or now < batch.made_at:
        return "standing"
    if batch.strained_at is not None:
        return "strained"
    since = ready_at(batch)
    return "ready" if since is not None and since <= now else "brewing"


@dataclass(frozen=True)
class Next:
    """What a batch wants next; `at` when, if that is known; `urgent`: now or overdue."""

    words: str
    at: datetime | None = None
    urgent: bool = False


def wants(batch: Batch, now: datetime) -> Next:
    """The one thing that a batch wants next."""
    where = state(batch, now)
    if where in GONE:
        return Next({"used up": "Nothing more.", "thrown away": "Nothing more."}.get(where, "Throw it away: too old."))
    if where == "standing":
        since = batch.standing_at or now
        until = since + timedelta(hours=STANDING_HOURS)
        return Next("Water stands; then mix", until, now >= until)
    last = ruled(batch, now)
    if last is not None and last.ruling == AWAY:
        return Next("Throw it away", None, True)
    if where == "brewing":
        return _while_brewing(batch, now)
    if where == "ready" and batch.recipe.strain and batch.recipe.brews:
        return Next("Strain it", None, True)
    return Next("Pour it", use_by(batch))


def _while_brewing(batch: Batch, now: datetime) -> Next:
    window = ready_window(batch, now)
    if window is not None and now >= window[0]:
        return Next("Check it: by the clock it may be ready", window[0], True)
    if batch.recipe.stir_hours is not None and batch.made_at is not None:
        touched = max([batch.made_at, *(check.at for check in batch.checks if check.at <= now)])
        due = touched + timedelta(hours=batch.recipe.stir_hours)
        if window is None or due < window[0]:
            return Next("Stir it", due, now >= due)
    return Next("Let it brew", window[0] if window else None)


def why_not_pour(batch: Batch, now: datetime) -> str:
    """Why a batch can't be poured without being put on record as an override; empty: it can.

    Raises
    ------
    BatchError
        A batch poured before it began: no override mends that.
    """
    where = state(batch, now)
    if where == "standing":
        raise BatchError("This batch has not begun by then: its water still stands. Choose another, or another time.")
    if where == "thrown away":
        return f"This batch was thrown away: {batch.thrown_reason or 'no reason given'}."
    if where == "too old":
        until = use_by(batch)
        return f"This batch is too old: it kept until {until:%d %b, %H:%M}." if until else "This batch is too old."
    if where == "used up":
        return "This batch is used up."
    last = ruled(batch, now)
    if last is not None and last.ruling == AWAY:
        return f"Its last check said: throw away. {last.why}"
    if where == "brewing":
        return "This batch is not ready yet" + (f": {last.why}" if last else ": check it first.")
    return ""


def dead_yeast(recipe: Recipe, checks: Sequence[Check]) -> str:
    """No foam where foam should be: a test that tells dead yeast from bad water."""
    wants_foam = "foam" in (recipe.ready or {})
    if not (wants_foam and checks and checks[-1].seen.get("foam") == "none"):
        return ""
    text = "No foam? Put a pinch of the same yeast with a pinch of sugar into half a cup of bottled water at 35 °C. "
    return text + "Foam there after 15 minutes: your water was too hot or chlorinated. None: the yeast is dead."
