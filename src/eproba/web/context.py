"""What every view needs: the database session, the time, who types, the trial asked for."""

import hashlib
import json
from collections.abc import Callable
from datetime import UTC, date, datetime
from functools import cache
from pathlib import Path
from typing import Any, cast

from flask import abort, current_app, g, request, url_for
from flask_login import current_user
from sqlmodel import Session

from eproba.core.trial.model import Trial
from eproba.store.trials import load_trial

STATIC = Path(__file__).parent / "static"


def db() -> Session:
    """The request's session; views commit it themselves."""
    if "session" not in g:
        g.session = Session(current_app.extensions["engine"])
    return cast(Session, g.session)


def close_db(_error: BaseException | None) -> None:
    session = g.pop("session", None)
    if session is not None:
        session.close()


def now() -> datetime:
    """The clock, replaceable in tests."""
    clock: Callable[[], datetime] = current_app.config["CLOCK"]
    return clock()


def today() -> date:
    return now().astimezone().date()


def utc_now() -> datetime:
    return datetime.now(UTC)


def who() -> str:
    """The name of whoever types on this device."""
    return str(current_user.who) if current_user.is_authenticated else ""


def trial_or_404(trial_id: int) -> Trial:
    trial = load_trial(db(), trial_id)
    if trial is None:
        abort(404, "There is no such trial; it may have been deleted.")
    return trial


@cache
def _fingerprint(filename: str, _changed: float) -> str:
    return hashlib.sha256((STATIC / filename).read_bytes()).hexdigest()[:12]


def asset(filename: str) -> str:
    """Address of a static file with its fingerprint, so that it can be cached for ever."""
    changed = (STATIC / filename).stat().st_mtime
    return url_for("static", filename=filename, v=_fingerprint(filename, changed))


def as_json(data: Any) -> str:
    """JSON that is safe inside a script element."""
    text = json.dumps(data, ensure_ascii=False, separators=(",", ":"), allow_nan=False)
    return text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026")


def wants_json() -> bool:
    return request.is_json or request.accept_mimetypes.best == "application/json"
