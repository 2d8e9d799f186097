"""What devices typed in the garden: taken one by one, and what still waits on a device."""

from dataclasses import replace
from typing import Any

from flask import Blueprint, abort, jsonify, render_template
from flask.typing import ResponseReturnValue

from eproba.core.trial.model import Reading
from eproba.store.commands.readings import EntryAnswer, Sender, Sent, take_entries
from eproba.store.commands.rounds import RoundWord, WordAnswer, take_word
from eproba.web.entries.payload import MOST_AT_ONCE, NoEntry, is_word, sent_from, word_from
from eproba.web.ui.clock import now
from eproba.web.ui.responses import sent_json
from eproba.web.ui.session import db, helping, reading_by_link, sees_lots, who
from eproba.web.ui.units import sentence
from eproba.web.verdict.keeping import commit

entries = Blueprint("entries", __name__, template_folder="templates")


@entries.post("/entries")
def take() -> ResponseReturnValue:
    """One answer for each entry: saved, conflict (with what stands there), doubted or refused (with why)."""
    body = sent_json()
    ops = body.get("entries") if isinstance(body, dict) else None
    if not isinstance(ops, list) or len(ops) > MOST_AT_ONCE:
        abort(400, f"Send a list of up to {MOST_AT_ONCE} entries.")
    answers: list[EntryAnswer | RoundWord | None] = []
    sent: list[Sent] = []
    for op in ops:
        try:
            if is_word(op):
                answers.append(_allowed_word(word_from(op)))
                continue
            sent.append(_allowed(sent_from(op, now())))
            answers.append(None)
        except NoEntry as error:
            answers.append(EntryAnswer(_id(op), "refused", why=sentence(error)))
    taken = iter(take_entries(db(), sent, Sender(who(), now(), "till", sees_lots())))
    # What is said of a whole round comes after what was read in it.
    answers_sent = [_said(answer or next(taken)) for answer in answers]
    commit()
    return jsonify(answers=answers_sent)


def _said(answer: EntryAnswer | RoundWord) -> dict[str, Any]:
    """The answer for the device; a word of a whole round is taken now."""
    return _word_told(take_word(db(), answer, now())) if isinstance(answer, RoundWord) else _told(answer)


def _allowed(entry: Sent) -> Sent:
    """A helper writes into his own round; after it was closed only what was read before. Raises NoEntry."""
    helper = reading_by_link()
    if helper is None:
        return entry
    asked, round_ = helper
    if entry.round != round_.key:
        raise NoEntry("This link is for another round; nothing was written.")
    late = entry.read_at is not None and round_.closed_at is not None and entry.read_at > round_.closed_at
    if helping() is None and late:
        raise NoEntry("The round was closed before you read this; nothing was written.")
    return replace(entry, again=True) if asked.second else entry


def _allowed_word(word: RoundWord) -> RoundWord:
    if reading_by_link() is not None:
        raise NoEntry("This link reads a round; whoever asked you closes it.")
    return word


def _word_told(answer: WordAnswer) -> dict[str, Any]:
    return {"id": answer.id, "status": answer.status, "there": {"note": answer.note}, "why": answer.why}


def _id(op: Any) -> str:
    return str(op.get("id") or "")[:64] if isinstance(op, dict) else ""


def _told(answer: EntryAnswer) -> dict[str, Any]:
    reading = None if answer.there is None else reading_told(answer.there)
    return {"id": answer.id, "status": answer.status, "there": reading, "why": answer.why, "field": answer.field}


def reading_told(reading: Reading) -> dict[str, Any]:
    """A reading for a device: `value` and `skip` empty where one was taken back; `inputs` of what was worked out."""
    values = {"value": reading.value, "skip": reading.skip_reason, "version": reading.version, "by": reading.by}
    return values | ({"inputs": reading.typed} if "=" in reading.typed else {})


@entries.get("/waiting")
def waiting() -> ResponseReturnValue:
    """What this device still holds, with a way out for each."""
    return render_template("entries/waiting.html")
