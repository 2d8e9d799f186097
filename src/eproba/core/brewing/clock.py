"""The brew clock: how far a batch has brewed, when it is ready, until when it keeps; from its events alone.

It runs from the mixing until the brew is ready or strained. Within the warmth that its recipe names it is the
calendar's own time, for which the recipe's hours are written; beyond, by the Q10 rule, twice as fast for every 10 °C
more, and only where something lives. Keeping runs in calendar time, from the event that the recipe names.

References
----------
van 't Hoff, J. H. (1884). Études de dynamique chimique: rates double or triple for every 10 °C; 2 is taken here.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, time, timedelta
from typing import Literal

from eproba.core.brewing.events import Batch, BatchError, Event
from eproba.core.brewing.recipe import SIGNS, Recipe, seen_words, time_words
from eproba.core.quantities import celsius
from eproba.core.words import listed

Q10 = 2.0
COLDEST_BREW, HOTTEST_BREW = 5.0, 45.0  # °C: outside nothing brews, and the clock stands
DEADLY = 55.0  # °C: what a brew lives on is dead
FRIDGE = 4.0  # °C, where something was put cool and nobody measured
OLDEST_FACTOR = 3.0  # a brew this many times its longest time old is past judging by its signs
UNSEEN = 6.0  # hours that the quickest brew may go unseen
GOING = ("foam", "bubbles")  # signs that come and go: past its time a brew shows them no more
LEEWAY = 0.1  # of a recipe's hours: nobody writes them down more exactly
WHOLE_DAYS = 48.0  # hours: what keeps for longer keeps to the end of its last day
Ruling = Literal["not yet", "ready", "throw away"]
NOT_YET: Ruling = "not yet"
READY: Ruling = "ready"
AWAY: Ruling = "throw away"


@dataclass(frozen=True)
class Ruled:
    """What a look comes to, and why."""

    ruling: Ruling
    why: str


def speed(recipe: Recipe, temperature: float) -> float:
    """How fast it brews at a temperature, 1 within the recipe's range; 0 where nothing brews."""
    if not COLDEST_BREW <= celsius(temperature) <= HOTTEST_BREW:
        return 0.0
    if recipe.temperature is None:
        return 1.0
    coolest, warmest = recipe.temperature
    return float(Q10 ** ((temperature - min(max(temperature, coolest), warmest)) / 10))


def oldest(recipe: Recipe) -> float:
    """Hours after which a brew is past judging by its signs."""
    return max(OLDEST_FACTOR * recipe.hours[1], recipe.hours[1] + UNSEEN)


def _paces(batch: Batch) -> list[tuple[datetime, float]]:
    """From when on it brews how fast. Each warmth holds to the next; the first one measured speaks for what was before
    it, unless that was the fridge."""
    if batch.mixed_at is None:
        return []
    turns = []
    for event in batch.events:
        cooled = FRIDGE if event.what == "put cool" else None
        degrees = cooled if event.temperature is None else event.temperature
        if degrees is not None and event.at >= batch.mixed_at:
            turns.append((event.at, speed(batch.recipe, degrees), event.what == "put cool"))
    before = next((pace for _, pace, cool in turns[:1] if not cool), 1.0)
    return [(batch.mixed_at, before), *((at, pace) for at, pace, _ in turns)]


def brewed_hours(batch: Batch, now: datetime) -> float:
    """Hours brewed by a moment, as the recipe counts them. The clock stops when it is ready."""
    stopped = ready_at(batch.until(now))
    return _hours_by(batch, now if stopped is None else min(now, stopped))


def _hours_by(batch: Batch, now: datetime) -> float:
    paces = _paces(batch.until(now))
    if not paces:
        return 0.0
    ends = [*(at for at, _ in paces[1:]), now]
    return sum((end - at).total_seconds() / 3600 * pace for (at, pace), end in zip(paces, ends, strict=True))


def clock_reaches(batch: Batch, hours: float) -> datetime | None:
    """When the clock shows so many hours, if it stays as warm as it was last; None while nothing brews."""
    paces, done = _paces(batch), 0.0
    for i, (at, pace) in enumerate(paces):
        end = paces[i + 1][0] if i + 1 < len(paces) else None
        more = 0.0 if end is None else (end - at).total_seconds() / 3600 * pace
        if pace > 0 and (end is None or done + more >= hours):
            return at + timedelta(hours=(hours - done) / pace)
        done += more
    return None


def ready_window(batch: Batch) -> tuple[datetime, datetime] | None:
    """When it should be ready, from and to, if it stays as warm as it was at the last look."""
    first, last = (clock_reaches(batch, hours) for hours in batch.recipe.hours)
    return None if first is None or last is None else (first, last)


def rule(recipe: Recipe, seen: Mapping[str, str], hours: float, stood: float | None = None) -> Ruled:
    """Judge what was seen of a brew, by the recipe's own signs; `hours` by its clock, `stood` by the calendar.

    One sign to throw away is enough. Ready needs the shortest time, and every sign of readiness looked at and right;
    foam and bubbles that are gone past the longest time do not come again.

    Raises
    ------
    BatchError
        A sign, or a look of it, that nobody knows.
    """
    for sign, look in seen.items():
        if look not in SIGNS.get(sign, ()):
            raise BatchError(f"“{look}” is no {sign}: choose {', '.join(SIGNS.get(sign, SIGNS))}.")
    bad = [seen_words(sign, look) for sign, look in seen.items() if look in recipe.away_signs.get(sign, ())]
    if bad:
        return Ruled(
            AWAY, f"{', '.join(bad).capitalize()}: for this recipe a sign to throw it away ({recipe.told_away})."
        )
    if recipe.brews and hours > oldest(recipe):
        return Ruled(AWAY, f"It has brewed {_told(hours)}: past the time in which its signs can be trusted.")
    if hours < (1 - LEEWAY) * recipe.hours[0]:
        return Ruled(NOT_YET, _too_soon(recipe, hours, hours if stood is None else stood))
    return _by_its_signs(recipe, seen, hours)


def _too_soon(recipe: Recipe, hours: float, stood: float) -> str:
    """How long it has brewed; where the warmth is the reason, it is named."""
    least = _told(recipe.hours[0])
    if stood < (1 - LEEWAY) * recipe.hours[0]:
        return f"It has brewed for {_told(hours)} of at least {least}. Leave it."
    low, high = recipe.temperature or (COLDEST_BREW, HOTTEST_BREW)
    counts = f"{_told(hours)} of at least {least}"
    stands = f"It has stood for {_told(stood)}, but outside its warmth"
    return f"{stands}, so this counts as {counts}. Leave it, and bring it to between {low:g} and {high:g} °C."


def _by_its_signs(recipe: Recipe, seen: Mapping[str, str], hours: float) -> Ruled:
    wanted = recipe.ready or {}
    unseen = [sign for sign in wanted or recipe.away_signs if sign not in seen]
    wrong = [sign for sign in wanted if sign in seen and seen[sign] not in wanted[sign]]
    if wrong:
        hint = f" {recipe.normal_words}" if recipe.normal_words else ""
        looks = ", ".join(" or ".join(seen_words(sign, look) for look in wanted[sign]) for sign in wrong)
        gone = [sign for sign in wrong if sign in GOING and seen[sign] == "none"]
        if gone and hours > (1 + LEEWAY) * recipe.hours[1]:
            past = f"It is past its time: it has brewed {_told(hours)}, and {_told(recipe.hours[1])} at most were meant"
            return Ruled(AWAY, f"{past}. {listed(gone).capitalize()} will not come again.")
        return Ruled(NOT_YET, f"Ready would be {recipe.ready_words or looks}.{hint}")
    if unseen and (wanted or not seen):
        return Ruled(NOT_YET, f"Its time has come: look at {listed(unseen)} too before it is called ready.")
    if wanted:
        return Ruled(
            READY,
            f"As it should be: {recipe.ready_words or listed([seen_words(sign, seen[sign]) for sign in wanted])}.",
        )
    return Ruled(READY, "It’s time, and nothing looks wrong.")


def _told(hours: float) -> str:
    return time_words((hours, hours))


def looks(batch: Batch) -> list[tuple[Event, Ruled]]:
    """Every look at a mixed batch with what it came to. Once ready, a look can only speak against it."""
    ruled: list[tuple[Event, Ruled]] = []
    ready = False
    for event in batch.events:
        if event.what != "looked at":
            continue
        ruling = _look(batch, event, ready)
        ready = ready or ruling.ruling == READY
        ruled.append((event, ruling))
    return ruled


def _look(batch: Batch, event: Event, ready: bool) -> Ruled:
    recipe = batch.recipe
    if recipe.brews and event.temperature is not None and event.temperature > DEADLY:
        return Ruled(AWAY, "That was too hot for what should live in it: begin again.")
    if not ready:
        stood = (event.at - (batch.mixed_at or event.at)).total_seconds() / 3600
        return rule(recipe, event.seen, _hours_by(batch, event.at), stood)
    ruled = rule(recipe, event.seen, recipe.hours[0])
    return ruled if ruled.ruling == AWAY else Ruled(READY, "It was ready, and nothing looked wrong.")


def condemned(batch: Batch) -> Ruled | None:
    """The first look that said “throw away”: it stays until it is corrected. None where no look did."""
    return next((ruled for _, ruled in looks(batch) if ruled.ruling == AWAY), None)


def ready_at(batch: Batch) -> datetime | None:
    """When it was ready: at once what needs no time; else by a look, or when its longest time was over before that
    look, but never while a look still said “not yet”."""
    if not batch.recipe.brews:
        return batch.mixed_at
    not_yet = batch.mixed_at
    for event, ruled in looks(batch):
        if ruled.ruling == READY:
            longest = clock_reaches(batch.until(event.at), batch.recipe.hours[1])
            return event.at if longest is None or not_yet is None else min(event.at, max(longest, not_yet))
        not_yet = event.at
    return None


def keeps_since(batch: Batch) -> datetime | None:
    """From when on its keeping runs: the event that its recipe names."""
    ready, named = ready_at(batch), batch.recipe.keeps_from
    if ready is None or named == "ready":
        return ready
    if named == "mixed":
        return batch.mixed_at
    if named == "strained":
        return batch.first("strained") or ready
    without = _airless_since(batch)
    return None if without is None else max(ready, without)


def _airless_since(batch: Batch) -> datetime | None:
    """From when on no air runs through a brew: straining ends it, and what went without for longer than it keeps is not
    brought back by air. None while it runs, or where nobody ever put it down."""
    keeps, since = timedelta(hours=batch.recipe.keeps_hours or 0.0), None
    for event in batch.events:
        if event.what in ("air off", "strained"):
            since = since or event.at
        elif event.what == "air on" and batch.first("strained") is None and since and event.at - since <= keeps:
            since = None
    return since


def suffocated(batch: Batch, now: datetime) -> bool:
    """Whether a brew that wants air went without, before it was ready, for longer than it keeps."""
    recipe, ready = batch.recipe, ready_at(batch)
    if recipe.keeps_from != "air off" or recipe.keeps_hours is None or not recipe.brews:
        return False
    since = _airless_since(batch.until(now if ready is None else ready))
    return since is not None and (now if ready is None else ready) - since > timedelta(hours=recipe.keeps_hours)


def keeps_until(recipe: Recipe, since: datetime) -> datetime | None:
    """Until when it keeps; None: for ever. What keeps for two days or more keeps to the end of its last day."""
    if recipe.keeps_hours is None:
        return None
    until = since + timedelta(hours=recipe.keeps_hours)
    return until if recipe.keeps_hours < WHOLE_DAYS else _end_of_day(until, since)


def _end_of_day(at: datetime, since: datetime) -> datetime:
    """The last second of a day by the calendar in which `since` was written; where that is the gardener’s own, also if
    its clocks were changed meanwhile."""
    own = since.utcoffset() == since.astimezone().utcoffset()
    day = (at.astimezone() if own else at).date()
    end = datetime.combine(day, time(23, 59, 59))
    return end.astimezone() if own else end.replace(tzinfo=at.tzinfo)


def use_by(batch: Batch) -> datetime | None:
    """Until when it can be used; None before it is ready, or where it keeps for ever. While air runs through a brew it
    can be used for as long as its signs can be trusted."""
    since = keeps_since(batch)
    if since is not None:
        return keeps_until(batch.recipe, since)
    if ready_at(batch) is None or batch.mixed_at is None:
        return None
    return batch.mixed_at + timedelta(hours=oldest(batch.recipe))
