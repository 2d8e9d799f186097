"""What a device sends, as far as it is an entry at all; whether it may be written is the core's to say."""

from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from typing import Any

from eproba.core.errors import EprobaError
from eproba.core.trial.readings import LONGEST_REASON, Entry
from eproba.exchange.readings_csv import noon_of
from eproba.store.commands.readings import Sent
from eproba.store.commands.rounds import LONGEST_NOTE, RoundWord

LONGEST_ID, LONGEST_TYPED = 64, 600  # a run of readings for a calculator is long
MOST_AT_ONCE = 500
AHEAD = timedelta(minutes=10)  # of our clock: a device that runs ahead by more reads in the future


class NoEntry(EprobaError):
    """Something that is no entry; the message says what it lacks."""


@dataclass(frozen=True)
class Field:
    """One field of an entry, of one kind and at most so long."""

    name: str
    longest: int
    needed: bool = False


TEXTS = (
    Field("trial", LONGEST_ID, True),
    Field("round", LONGEST_ID, True),
    Field("unit", LONGEST_ID, True),
    Field("measure", 100, True),
    Field("typed", LONGEST_TYPED),
    Field("skip", LONGEST_REASON),
    Field("replaces", LONGEST_ID),
    Field("meter", 60),
    Field("unit_of_value", 40),
    Field("reason", LONGEST_REASON),
    Field("on", 10),
)


def sent_from(op: Any, now: datetime) -> Sent:
    """One entry as a device sends it. Raises NoEntry, with what is amiss."""
    if not isinstance(op, dict) or not isinstance(op.get("id"), str) or not 8 <= len(op["id"]) <= LONGEST_ID:
        raise NoEntry("This entry has no id.")
    text = {field.name: _text(op, field) for field in TEXTS}
    read_at = _read_on(text["on"], now) if text["on"] else _moment(op.get("at"), now)
    entry = Entry(
        unit=text["unit"],
        measure=text["measure"],
        replicate=_whole(op, "replicate"),
        typed=text["typed"],
        read_on=read_at.astimezone().date(),
        skip=text["skip"],
        sure=op.get("sure") is True,
        meter=text["meter"],
        unit_of_value=text["unit_of_value"],
        reason=text["reason"],
    )
    return Sent(
        id=_kept("id", op["id"]),
        trial=text["trial"],
        round=text["round"],
        entry=entry,
        read_at=read_at,
        seen=_whole(op, "seen") if "seen" in op else 0,
        replaces=text["replaces"],
        undo=op.get("undo") is True,
        again=op.get("again") is True,
    )


def word_from(op: dict[str, Any]) -> RoundWord:
    """What a device says of a whole round. Raises NoEntry, with what is amiss."""
    if not isinstance(op.get("id"), str) or not 8 <= len(op["id"]) <= LONGEST_ID:
        raise NoEntry("This entry has no id.")
    names = (Field("trial", LONGEST_ID, True), Field("round", LONGEST_ID, True), Field("note", LONGEST_NOTE))
    text = {field.name: _text(op, field) for field in (*names, Field("seen_note", LONGEST_NOTE))}
    note = text["note"].replace("\r\n", "\n").strip() if "note" in op else None
    return RoundWord(op["id"], text["trial"], text["round"], note, text["seen_note"], op.get("finished") is True)


def is_word(op: Any) -> bool:
    """Whether it speaks of a whole round, and of no unit."""
    return isinstance(op, dict) and "unit" not in op and ("note" in op or op.get("finished") is True)


def _text(op: dict[str, Any], field: Field) -> str:
    value = op.get(field.name)
    if value is None and not field.needed:
        return ""
    if not isinstance(value, str) or len(value) > field.longest or (field.needed and not value):
        raise NoEntry(f"Its {field.name} is no text of up to {field.longest} characters.")
    return _kept(field.name, value)


def _kept(name: str, text: str) -> str:
    """Text that can be written down at all."""
    if "\0" in text or any("\ud800" <= letter <= "\udfff" for letter in text):
        raise NoEntry(f"Its {name} holds a character that can’t be kept; type it again without it.")
    return text


def _whole(op: dict[str, Any], name: str) -> int:
    value = op.get(name)
    if not isinstance(value, int) or isinstance(value, bool) or not 0 <= value < 2**31:
        raise NoEntry(f"Its {name} is no whole number.")
    return value


def _read_on(text: str, now: datetime) -> datetime:
    """A day by the household's clock, of which the hour is not known: its noon, of today no later than now."""
    try:
        on = date.fromisoformat(text)
    except ValueError as error:
        raise NoEntry(f"“{text}” is no day such as 2026-05-24.") from error
    return min(noon_of(on), now) if on == now.astimezone().date() else noon_of(on)


def _moment(at: Any, now: datetime) -> datetime:
    """When it was read: milliseconds since 1970 by the device's clock, set right by ours.

    Later today is now (paper typed in the morning says noon); another day to come is left for the rule to refuse.
    """
    if not isinstance(at, (int, float)) or isinstance(at, bool) or not 0 <= at < 2**53:
        raise NoEntry("It does not say when it was read.")
    try:
        read_at = datetime.fromtimestamp(at / 1000, UTC)
    except (ValueError, OverflowError, OSError) as error:
        raise NoEntry("It does not say when it was read.") from error
    today = read_at <= now + AHEAD or read_at.astimezone().date() == now.astimezone().date()
    return min(read_at, now) if today else read_at
