"""A batch is a row of dated events; everything else about it follows from them, and each of them can be corrected."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Literal, get_args

from eproba.core.brewing.recipe import SIGNS, Recipe
from eproba.core.errors import EprobaError
from eproba.core.quantities import celsius
from eproba.core.words import figure_or_whole

What = Literal[
    "water set out", "mixed", "looked at", "stirred", "air on", "air off", "strained", "put cool", "taken from",
    "thrown away",
]  # fmt: skip
WHATS: tuple[What, ...] = get_args(What)
BEFORE_MIXING: tuple[What, ...] = ("water set out", "mixed", "thrown away")
NEARLY_NOTHING = 0.02  # of the batch: what sticks to the vessel
CAN_ROUNDING = 0.05  # a can holds a little more or less than it says: so much more than is there may be taken
CLOCKS_DIFFER = timedelta(minutes=5)  # a phone may be a little ahead of the server
MOST_LITRES = 10_000.0


class BatchError(EprobaError):
    """Something that can't be done with a batch; the message says what would fit."""


@dataclass(frozen=True)
class Event:
    """One thing that happened to a batch.

    `temperature` °C, as measured then; `seen` what was seen of each sign; `litres` (kg of what is dry) how much was
    taken, or is left after straining; `note` says why it was thrown away; `id` 0: not kept yet.
    """

    at: datetime
    what: What
    temperature: float | None = None
    seen: Mapping[str, str] = field(default_factory=dict)
    litres: float | None = None
    note: str = ""
    by: str = ""
    id: int = 0
    photo: bool = False


def measured_in(recipe: Recipe) -> str:
    """What a batch of a recipe is measured in: litres of what is poured, else what the recipe says."""
    return "L" if recipe.liquid else recipe.yields_unit


@dataclass(frozen=True)
class Batch:
    """One brew: `litres` as made, `where` it stands, its events in order; `amounts` what was really used, by
    ingredient, in the recipe's units; `water` what it was made with; `school` the way of doing it that was chosen."""

    id: int
    recipe: Recipe
    litres: float
    where: str = ""
    events: tuple[Event, ...] = ()
    amounts: Mapping[str, float] = field(default_factory=dict)
    name: str = ""
    water: str = ""
    school: str = ""

    @property
    def title(self) -> str:
        return self.name or self.recipe.title

    @property
    def unit(self) -> str:
        """L, or what a dry amendment is measured in."""
        return measured_in(self.recipe)

    @property
    def mixed_at(self) -> datetime | None:
        """When its ingredients met; nothing is mixed by waiting."""
        return self.first("mixed")

    def first(self, what: What) -> datetime | None:
        return next((event.at for event in self.events if event.what == what), None)

    def last(self, *whats: What) -> Event | None:
        return next((event for event in reversed(self.events) if event.what in whats), None)

    def until(self, now: datetime) -> "Batch":
        """As it stood at a moment: what had happened by then."""
        return replace(self, events=tuple(event for event in self.events if event.at <= now))


def in_order(events: Sequence[Event]) -> tuple[Event, ...]:
    """By their moment; at the same one in the order of a brew’s life, then as they were put down."""
    return tuple(sorted(events, key=lambda event: (event.at, WHATS.index(event.what))))


def left(batch: Batch) -> float:
    """What is in it by its ledger: what was made, less what was taken and what stayed in the cloth."""
    litres = batch.litres
    for event in batch.events:
        if event.what == "taken from":
            litres -= event.litres or 0.0
        elif event.what == "strained" and event.litres is not None:
            litres = min(litres, event.litres)
    return max(0.0, litres)


def nearly_empty(litres: float, whole: float) -> bool:
    """Whether what is left hardly covers the bottom: then it is used up."""
    return litres <= NEARLY_NOTHING * whole + 1e-9


def check_event(batch: Batch, event: Event, now: datetime) -> None:
    """Refuse what can't have happened to a batch.

    Raises
    ------
    BatchError, QuantityError
        With the sentence for what would fit.
    """
    if event.at > now + CLOCKS_DIFFER:
        raise BatchError(f"“{event.what.capitalize()}” is put down when it has happened: that moment is still to come.")
    if event.temperature is not None:
        celsius(event.temperature)
    for sign, look in event.seen.items():
        if look not in SIGNS.get(sign, ()):
            raise BatchError(f"“{look}” is no {sign}: choose {', '.join(SIGNS.get(sign, SIGNS))}.")
    _check_order(batch, event)
    _check_litres(batch, event)


def _check_order(batch: Batch, event: Event) -> None:
    thrown, mixed = batch.first("thrown away"), batch.mixed_at
    if thrown is not None and (event.what == "thrown away" or event.at >= thrown):
        raise BatchError("This batch was thrown away by then. If that was a mistake, take it back first.")
    if event.what == "mixed" and mixed is not None:
        raise BatchError("This batch is mixed already: correct that entry if its time is wrong.")
    if event.what == "water set out" and (batch.first("water set out") or (mixed is not None and mixed < event.at)):
        raise BatchError("Its water was set out already, or it was mixed before: correct that event.")
    if event.what not in BEFORE_MIXING and (mixed is None or event.at < mixed):
        begun = "its ingredients have not met yet" if mixed is None else f"it was mixed only {moment(mixed)}"
        raise BatchError(f"It can’t be {event.what} then: {begun}. Put the mixing down first, or correct it.")
    earlier = [event.at for event in batch.events if event.what not in BEFORE_MIXING]
    if event.what == "mixed" and earlier and min(earlier) < event.at:
        raise BatchError(f"It was {batch.events[0].what} before that moment: mixed comes first.")


def _check_litres(batch: Batch, event: Event) -> None:
    if event.litres is None:
        if event.what == "taken from":
            raise BatchError("Say how much was taken.")
        return
    check_taking(batch.until(event.at), event.litres)


def check_taking(batch: Batch, litres: float) -> None:
    """Refuse to take nothing, or more than there is. Raises BatchError."""
    if not 0 < litres <= MOST_LITRES:
        raise BatchError(
            f"{figure_or_whole(litres)} {batch.unit} doesn’t fit: give more than 0, up to {MOST_LITRES:g}."
        )
    litres_left = left(batch)
    if litres > litres_left * (1 + CAN_ROUNDING) + 1e-9:
        text = f"“{batch.title}” holds {figure_or_whole(litres_left)} {batch.unit} by its ledger"
        advice = "take less, or correct how much was made if it was more"
        raise BatchError(f"{text}, not {figure_or_whole(litres)}: {advice}.")


def with_event(batch: Batch, event: Event) -> Batch:
    return replace(batch, events=in_order([*batch.events, event]))


def corrected(batch: Batch, event_id: int, new: Event | None, now: datetime) -> Batch:
    """The batch with one event changed, or taken back (`new` None); all that came after must still be able to be.

    Raises
    ------
    BatchError
        There is no such event, it belongs to a pour, or what came later hangs on it.
    """
    old = next((event for event in batch.events if event.id == event_id), None)
    if old is None:
        raise BatchError("There is no such event any more: somebody took it back.")
    if old.what == "taken from":
        raise BatchError("What a pour took is corrected where the pour is on record.")
    others = [event for event in batch.events if event is not old]
    batch_then = replace(batch, events=())
    for event in in_order([*others, *([] if new is None else [new])]):
        check_event(batch_then, event, now)
        batch_then = with_event(batch_then, event)
    return batch_then


def resized(batch: Batch, litres: float) -> Batch:
    """The batch with another amount as made, where that covers what was taken. Raises BatchError."""
    if not 0 < litres <= MOST_LITRES:
        raise BatchError(
            f"{figure_or_whole(litres)} {batch.unit} doesn’t fit: a batch holds more than 0, up to {MOST_LITRES:g}."
        )
    taken = sum(event.litres or 0.0 for event in batch.events if event.what == "taken from")
    if taken > litres * (1 + CAN_ROUNDING) + 1e-9:
        raise BatchError(f"{figure_or_whole(taken)} {batch.unit} were taken from it: it held at least that much.")
    return replace(batch, litres=litres)


def moment(at: datetime) -> str:
    """A moment as sentences write it, in the zone that it came with."""
    return f"{at.day} {at:%b, %H:%M}"
