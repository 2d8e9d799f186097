"""What devices typed in the garden: taken one by one, and what still waits on a device."""

from dataclasses import replace
from typing import Any

from flask import Blueprint, abort, jsonify, render_template
from flask.typing import ResponseReturnValue

from eproba.core.trial.model import Reading
from eproba.store.commands.readings import EntryAnswer, Sender, Sent, take_entries
from eproba.web.entries.payload import MOST_AT_ONCE, NoEntry, sent_from
from eproba.web.ui.clock import now
from eproba.web.ui.responses import sent_json
from eproba.web.ui.session import db, helping, sees_lots, who
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
    answers: list[EntryAnswer | None] = []
    sent: list[Sent] = []
    helper = helping()
    for op in ops:
        try:
            entry = sent_from(op, now())
            if helper is not None and entry.round != helper[1].key:
                raise NoEntry("This link is for another round; nothing was written.")
            beside = helper is not None and helper[0].second
            sent.append(replace(entry, again=True) if beside else entry)
            answers.append(None)
        except NoEntry as error:
            answers.append(EntryAnswer(_id(op), "refused", why=sentence(error)))
    taken = iter(take_entries(db(), sent, Sender(who(), now(), "till", sees_lots())))
    answers_sent = [answer or next(taken) for answer in answers]
    commit()
    return jsonify(answers=[_told(answer) for answer in answers_sent])


def _id(op: Any) -> str:
    return str(op.get("id") or "")[:64] if isinstance(op, dict) else ""


def _told(answer: EntryAnswer) -> dict[str, Any]:
    reading = None if answer.there is None else reading_told(answer.there)
    return {"id": answer.id, "status": answer.status, "there": reading, "why": answer.why}


def reading_told(reading: Reading) -> dict[str, Any]:
    """A reading for a device: `value` and `skip` empty where one was taken back; `inputs` of what was worked out."""
    values = {"value": reading.value, "skip": reading.skip_reason, "version": reading.version, "by": reading.by}
    return values | ({"inputs": reading.typed} if "=" in reading.typed else {})


@entries.get("/waiting")
def waiting() -> ResponseReturnValue:
    """What this device still holds, with a way out for each."""
    return render_template("entries/waiting.html")
