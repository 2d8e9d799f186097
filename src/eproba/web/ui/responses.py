"""What goes out: addresses of static files, JSON inside pages, files to download."""

import hashlib
import json
import re
import secrets
from functools import cache
from pathlib import Path
from typing import Any

from flask import Response, request, url_for

from eproba.core.trial.model import Trial

NOT_KEPT = {"Cache-Control": "no-store"}  # no browser or proxy keeps it
STATIC = Path(__file__).parents[1] / "static"


@cache
def _fingerprint(filename: str, _changed: float) -> str:
    return hashlib.sha256((STATIC / filename).read_bytes()).hexdigest()[:12]


def asset(filename: str) -> str:
    """Address of a static file with its fingerprint, so that it can be cached for ever."""
    changed = (STATIC / filename).stat().st_mtime
    return url_for("static", filename=filename, v=_fingerprint(filename, changed))


def page_key() -> str:
    """A key of this one answer, by which a browser knows a page that it shows again; none where something was sent."""
    return secrets.token_hex(8) if request.method == "GET" else ""


def as_json(data: Any) -> str:
    """JSON that is safe inside a script element."""
    text = json.dumps(data, ensure_ascii=False, separators=(",", ":"), allow_nan=False)
    return text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026")


def wants_json() -> bool:
    return request.is_json or request.accept_mimetypes.best == "application/json"


def sent_json() -> Any:
    """The JSON that was sent; None where it is none, or nested beyond reading."""
    try:
        return request.get_json(silent=True)
    except RecursionError:
        return None


def file_name(trial: Trial) -> str:
    """A trial's name as a plain file name."""
    return plain_name(trial.name) or f"trial-{trial.id}"


def plain_name(text: str) -> str:
    """A text as a file's name may be; empty where no letter is left."""
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-")[:60]


def download(text: str | bytes, kind: str, name: str) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(text, content_type=kind if isinstance(text, bytes) else f"{kind}; charset=utf-8", headers=headers)
