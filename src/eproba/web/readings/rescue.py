"""Entries that a device kept as a file: each to its own trial, by the rule that takes entries."""

from dataclasses import dataclass, replace

from eproba.core.errors import EprobaError
from eproba.core.words import exact
from eproba.exchange.readings_csv import Word
from eproba.exchange.rescue_csv import RescuedEntry, read_rescue
from eproba.store.commands.readings import EntryAnswer, Sender, Sent, take_entries
from eproba.web.entries.payload import sent_from
from eproba.web.ui.clock import now
from eproba.web.ui.session import db, sees_lots, who
from eproba.web.ui.units import sentence


@dataclass(frozen=True)
class Fate:
    """What becomes of one row: whether it is taken, else why it is not."""

    row: RescuedEntry
    is_taken: bool
    why: str = ""


def take_rescued(text: str, word: Word) -> list[Fate]:
    """The fate of every row; nothing is kept for good before the caller commits.

    The entries bear their ids, so that what the device has sent meanwhile is not taken twice. Raises TableError.
    """
    fates, sent = list[Fate](), list[tuple[RescuedEntry, Sent]]()
    for row in read_rescue(text.encode()):
        try:
            sent.append((row, _sent(row, word)))
        except EprobaError as error:
            fates.append(Fate(row, False, sentence(error)))
    answers = take_entries(db(), [entry for _, entry in sent], Sender(who(), now(), "file", sees_lots()))
    return [*fates, *(_fate(row, answer) for (row, _), answer in zip(sent, answers, strict=True))]


def _sent(row: RescuedEntry, word: Word) -> Sent:
    """A row as the device would have sent it, with what is said of the whole file."""
    sent = sent_from(row.op, now())
    return replace(sent, entry=replace(sent.entry, reason=word.reason, sure=sent.entry.sure or word.sure))


def _fate(row: RescuedEntry, answer: EntryAnswer) -> Fate:
    if answer.status == "saved":
        return Fate(row, True)
    return Fate(row, False, answer.why or _in_its_place(answer))


def _in_its_place(answer: EntryAnswer) -> str:
    """What stands in the place of an entry that somebody else was quicker with."""
    if answer.there is None:
        return ""
    value = answer.there.skip_reason if answer.there.value is None else exact(answer.there.value)
    return f"Somebody else typed {value} there: correct it in the table if this one is right."
