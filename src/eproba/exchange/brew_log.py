"""A batch as a text of dated events (TOML), replayed: what it is after each of them, and why. See docs/brew-log.md."""

import json
import re
import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta, timezone, tzinfo
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from eproba.core.brewing.batches import Standing, check_straining, standing
from eproba.core.brewing.clock import ready_window, use_by
from eproba.core.brewing.events import MOST_LITRES, WHATS, Batch, Event, left, with_event
from eproba.core.brewing.recipe import Recipe, in_the_way_of, recipe_from
from eproba.core.errors import EprobaError
from eproba.core.words import figure_or_whole
from eproba.exchange.recipe_file import check_bounds

MOST_BYTES = 200_000
MOST_EVENTS = 500
YEARS = range(1990, 2101)  # within which a garden's clock may go wrong
EVENTS = re.compile(r"^\[\[event\]\]|^at *= *[-\dTZ:+.]+|^(what|temperature|seen|litres|note) *=", re.MULTILINE)
ASKED = "asked"  # no event: tells how it stands then
KEYS = ("at", "what", "temperature", "seen", "litres", "note")


class BrewLogError(EprobaError):
    """A log that can't be read; the message says where."""


@dataclass(frozen=True)
class Moment:
    """How a batch stands after one line of its log; `refused`: why that line can't have happened (it is left out)."""

    at: datetime
    what: str
    standing: Standing
    window: tuple[datetime, datetime] | None
    use_by: datetime | None
    left: float
    refused: str = ""


def replay(
    raw: bytes, known: Mapping[str, Recipe], ingredients: Mapping[str, Any], cautions: Mapping[str, str]
) -> list[Moment]:
    """Every line of a log in its order, with how the batch stands then; all of it by one calendar: that of `zone`, else
    of the first event.

    Raises
    ------
    BrewLogError, RecipeError
        The text is no such log, or its recipe is none.
    """
    log = _parsed(raw)
    litres = _number(log, "litres", "the log")
    if litres is None or not 0 < litres <= MOST_LITRES:
        raise BrewLogError(f"litres: how much was made, above 0 and up to {MOST_LITRES:g}")
    batch = Batch(0, _recipe(log, known, ingredients, cautions), litres)
    rows = log.get("event")
    if not isinstance(rows, list) or not rows:
        raise BrewLogError("at least one [[event]] with at and what")
    events = sorted((_event(row, number) for number, row in enumerate(rows, 1)), key=lambda event: event[0])
    zone = _zone(log) or events[0][0].tzinfo
    moments = []
    for at, event in events:
        local = _by_calendar(at, zone)
        moment, batch = _after(batch, local, event and replace(event, at=local))
        moments.append(moment)
    return moments


def _zone(log: Mapping[str, Any]) -> ZoneInfo | None:
    """Whose calendar last days go by."""
    name = log.get("zone")
    if name is None:
        return None
    try:
        return ZoneInfo(str(name))
    except (ValueError, OSError, ZoneInfoNotFoundError) as error:
        raise BrewLogError('zone: the name of a zone, such as "Europe/Paris"') from error


def _by_calendar(at: datetime, zone: tzinfo | None) -> datetime:
    """A moment as this calendar shows it, with a fixed offset: two of them are as far apart as they truly are."""
    local = at.astimezone(zone)
    return local.replace(tzinfo=timezone(local.utcoffset() or timedelta()))


def _after(batch: Batch, at: datetime, event: Event | None) -> tuple[Moment, Batch]:
    refused, batch_then = "", batch
    if event is not None:
        try:
            check_straining(batch, event, at)
            batch_then = with_event(batch, event)
        except EprobaError as error:
            refused = str(error)
    what = ASKED if event is None else event.what
    until = batch_then.until(at)
    return Moment(
        at, what, standing(batch_then, at), ready_window(until), use_by(until), left(until), refused
    ), batch_then


def _parsed(raw: bytes) -> Mapping[str, Any]:
    if len(raw) > MOST_BYTES:
        raise BrewLogError(f"this file is longer than {MOST_BYTES // 1000} kB: no batch has so many events")
    try:
        text = raw.decode("utf-8-sig")
        if (events := text.count("[[event]]")) > MOST_EVENTS:
            raise BrewLogError(f"{events} events: no batch has more than {MOST_EVENTS}")
        check_bounds(re.sub(EVENTS, "", text))  # there may be as many events as there are
        return tomllib.loads(text)
    except (UnicodeDecodeError, tomllib.TOMLDecodeError, RecursionError) as error:
        raise BrewLogError(f"this is no TOML: {error}") from error


def _recipe(
    log: Mapping[str, Any], known: Mapping[str, Recipe], ingredients: Mapping[str, Any], cautions: Mapping[str, str]
) -> Recipe:
    """By its key, or as a table like those of the catalogue."""
    named = log.get("recipe")
    if isinstance(named, str) and named in known:
        return _in_its_way(known[named], log.get("school"))
    if isinstance(named, Mapping):
        return _in_its_way(recipe_from("own", named, ingredients, cautions), log.get("school"))
    raise BrewLogError(f"recipe: one of {', '.join(known)}, or a table of its own")


def _in_its_way(recipe: Recipe, school: object) -> Recipe:
    """The recipe as the school that the log names makes it."""
    if school is None:
        return recipe
    names = [school_.name for school_ in recipe.schools if school_.changes]
    if school not in names:
        ways = f"one of {', '.join(names)}" if names else "this recipe is made in one way alone; leave it out"
        raise BrewLogError(f"school: {ways}")
    return in_the_way_of(recipe, str(school))


def _event(row: object, number: int) -> tuple[datetime, Event | None]:
    where = f"event {number}"
    if not isinstance(row, Mapping) or set(row) - set(KEYS):
        raise BrewLogError(f"{where}: knows {', '.join(KEYS)}")
    at, what, seen, note = row.get("at"), row.get("what"), row.get("seen", {}), row.get("note", "")
    if not isinstance(at, datetime) or at.tzinfo is None:
        raise BrewLogError(f"{where}: at is a moment with its zone, such as 2026-05-01T10:00:00+02:00")
    if at.year not in YEARS:
        raise BrewLogError(f"{where}: the year {at.year} is outside {YEARS[0]} to {YEARS[-1]}")
    if what == ASKED:
        return at, None
    if what not in WHATS:
        raise BrewLogError(f"{where}: what is one of {', '.join(WHATS)}, or {ASKED}")
    if not isinstance(seen, Mapping) or not all(isinstance(look, str) for look in seen.values()):
        raise BrewLogError(f'{where}: seen is a table such as {{ smell = "sweet" }}')
    if not isinstance(note, str):
        raise BrewLogError(f"{where}: note is a text")
    temperature, litres = (_number(row, name, where) for name in ("temperature", "litres"))
    return at, Event(at, what, temperature, dict(seen), litres, note)


def _number(row: Mapping[str, Any], name: str, where: str) -> float | None:
    value = row.get(name)
    if value is not None and (isinstance(value, bool) or not isinstance(value, int | float)):
        raise BrewLogError(f"{where}: {name} is a number")
    return None if value is None else float(value)


def brew_json(moments: Sequence[Moment]) -> str:
    """The moments as JSON, a list of objects."""
    return json.dumps([_plain(moment) for moment in moments], ensure_ascii=False, indent=2)


def _plain(moment: Moment) -> dict[str, Any]:
    ready = moment.window or (None, None)
    plain: dict[str, Any] = {
        "at": moment.at.isoformat(),
        "state": moment.standing.state,
        "rule": moment.standing.why,
        "ready_from": _iso(ready[0]),
        "ready_to": _iso(ready[1]),
        "use_by": _iso(moment.use_by),
        "left_litres": round(moment.left, 6),
    }
    return {**plain, "refused": moment.refused} if moment.refused else plain


def _iso(at: datetime | None) -> str | None:
    return None if at is None else at.isoformat(timespec="seconds")


def brew_text(moments: Sequence[Moment]) -> str:
    """The moments for a person to read, a paragraph each."""
    return "\n".join(line for moment in moments for line in _lines(moment))


def _lines(moment: Moment) -> list[str]:
    lines = [
        f"{moment.at:%Y-%m-%d %H:%M}  {moment.what:14} {moment.standing.state}, {figure_or_whole(moment.left)} left"
    ]
    lines += [f"    not taken: {moment.refused}"] if moment.refused else []
    lines.append(f"    {moment.standing.why}")
    if moment.window is not None:
        lines.append(
            f"    ready from {moment.window[0]:%Y-%m-%d %H:%M} to {moment.window[1]:%Y-%m-%d %H:%M} by the clock"
        )
    if moment.use_by is not None:
        lines.append(f"    use by {moment.use_by:%Y-%m-%d %H:%M}")
    return lines
