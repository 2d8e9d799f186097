"""Error pages that help: what happened, what to do, and nothing typed is lost."""

from flask import Flask, Response, jsonify, make_response, render_template, request
from flask_wtf.csrf import CSRFError
from psycopg.errors import DiskFull
from sqlalchemy.exc import DataError, DBAPIError, IntegrityError, OperationalError
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge, SecurityError

from eproba.core.errors import EprobaError
from eproba.exchange.limits import MOST_BYTES, MOST_PACKAGE_BYTES, megabytes
from eproba.store.commands.locks import Gone
from eproba.web.ui.doors import host_asked
from eproba.web.ui.responses import wants_json
from eproba.web.ui.session import close_db
from eproba.web.ui.units import sentence

SAID = {
    400: ("That did not arrive in one piece", "Go back and try again; your browser keeps what you typed."),
    403: ("Not from here", "This page can’t be opened from there."),
    404: ("Nothing grows here", "There is no page at this address. Start from Today or Trials."),
    405: ("Nothing grows here", "This address can’t be used that way. Start from Today or Trials."),
    413: (
        "That file is too large",
        f"Eproba takes files up to {megabytes(MOST_BYTES)}, and packages up to {megabytes(MOST_PACKAGE_BYTES)}. "
        "Split it, or check that it is the right file.",
    ),
    409: (
        "Somebody else was quicker",
        "What you sent fits no more with what is there now. Nothing of it was kept: look again, then send it again.",
    ),
    429: ("Too many tries", "Wait a quarter of an hour, then try again."),
    500: ("Something broke on our side", "It is in the log. What was saved before is safe; try again."),
    503: (
        "The data store is not answering",
        "Nothing you typed is lost. Start it again (./eproba serve), then send again.",
    ),
}
CANNOT_BE = "That can’t be done"
FULL_DISK = "The disk of the computer is full. Nothing you typed is lost: make room there, then send again."
MOST_DRAINED = 300_000_000


def register_faults(app: Flask) -> None:
    """Answer every fault with a page, or with JSON where JSON was asked."""
    app.register_error_handler(SecurityError, _wrong_name)
    app.register_error_handler(HTTPException, _http)
    app.register_error_handler(CSRFError, _csrf)
    app.register_error_handler(OperationalError, _database)
    app.register_error_handler(DataError, _unkeepable)
    app.register_error_handler(IntegrityError, _overtaken)
    app.register_error_handler(OverflowError, _unkeepable)
    app.register_error_handler(DBAPIError, _database_error)
    app.register_error_handler(Gone, _gone)
    app.register_error_handler(EprobaError, _cannot_be)
    app.register_error_handler(500, _http)


def _page(code: int, detail: str = "", again: bool = False) -> Response:
    title, help_text = SAID.get(code, SAID[500] if code >= 500 else SAID[400])
    title = CANNOT_BE if code == 400 and detail else title
    if wants_json():
        return make_response(jsonify(error=title, help=detail or help_text), code)
    typed = [(k, v) for k, v in request.form.items(multi=True) if k != "csrf_token"] if again else []
    page = render_template("ui/fault.html", code=code, title=title, help=detail or help_text, typed=typed, again=again)
    return make_response(page, code)


def _http(error: HTTPException) -> Response:
    if isinstance(error, RequestEntityTooLarge):
        _drain()
    code = error.code or 500
    own_words = error.description if error.description != type(error).description else ""
    return _page(code, own_words or "") if code != 500 else _page(500)


def _wrong_name(_error: SecurityError) -> Response:
    """Another name that leads to this computer; no page can be built for it."""
    name = host_asked(request.environ.get("HTTP_HOST", ""))[:80]
    ways = "use the address that the terminal shows, or http://127.0.0.1 on this computer"
    text = f"Eproba does not answer to the name {name} here: {ways}; other names are given in EPROBA_HOSTS."
    return Response(text, 400, content_type="text/plain; charset=utf-8")


def _drain() -> None:
    """Read the oversized body to its end, so that the browser shows our answer rather than a broken line."""
    stream, left = request.environ["wsgi.input"], min(request.content_length or 0, MOST_DRAINED)
    while left > 0:
        chunk = stream.read(min(left, 1 << 20))
        if not chunk:
            return
        left -= len(chunk)


def _csrf(_error: CSRFError) -> Response:
    """The session went (a new secret, a cleared cookie): offer to send the same again."""
    if wants_json():
        return make_response(jsonify(error="csrf", help="The page was open for long; sending again."), 400)
    title, help_text = "This page was open for a long time", "Nothing is lost: look it over and send it again."
    typed = [(k, v) for k, v in request.form.items(multi=True) if k != "csrf_token"]
    page = render_template("ui/fault.html", code=400, title=title, help=help_text, typed=typed, again=True)
    return make_response(page, 400)


def _gone(error: Gone) -> Response:
    """What was to be changed was deleted meanwhile."""
    close_db(None)
    return _page(404, sentence(error))


def _cannot_be(error: EprobaError) -> Response:
    """Something that can't be, said by the rule itself; what was typed can be looked over and sent again."""
    close_db(None)
    return _page(400, sentence(error), again=request.method == "POST")


def _database(error: OperationalError) -> Response:
    close_db(None)
    full = isinstance(error.orig, DiskFull)
    return _page(503, FULL_DISK if full else "", again=request.method == "POST")


def _overtaken(_error: IntegrityError) -> Response:
    """Two wrote the same at once, and this one came second."""
    close_db(None)
    return _page(409, again=request.method == "POST")


def _unkeepable(_error: DataError | OverflowError) -> Response:
    """What nothing can hold: a number or a day far too large in an address, an unprintable character in a text."""
    close_db(None)
    if request.method == "GET":
        return _page(404)
    return _page(400, "It holds a number far too large or an unprintable character; go back and take it out.")


def _database_error(error: DBAPIError) -> Response:
    if error.connection_invalidated:
        return _database(OperationalError("", {}, Exception()))
    raise error
