"""The styles of all pages: a small sheet for each component, sent as one."""

import gzip
import hashlib
from collections.abc import Iterable
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING

from flask import Request, Response, url_for

from eproba.web.ui.responses import STATIC

if TYPE_CHECKING:
    from _typeshed.wsgi import StartResponse, WSGIApplication, WSGIEnvironment

STYLES = STATIC / "styles"
TOKENS = STYLES / "tokens.css"  # comes first: it says which layers win, so the others may come in any order
NAME = "styles.css"
YEAR = 31_536_000


def sheets() -> list[Path]:
    return [TOKENS, *sorted(path for path in STYLES.rglob("*.css") if path != TOKENS)]


def joined(paths: Iterable[Path]) -> str:
    return "\n".join(path.read_text("utf-8") for path in paths)


@cache
def compressed() -> tuple[str, bytes]:
    """The fingerprint of all sheets, and all sheets as gzip; read once, so a changed one needs a new start."""
    text = joined(sheets()).encode()
    return hashlib.sha256(text).hexdigest()[:12], gzip.compress(text, mtime=0)


def styles_address() -> str:
    """With its fingerprint, so that a browser may keep it for ever."""
    return url_for("static", filename=NAME, v=compressed()[0])


def with_styles(app: "WSGIApplication") -> "WSGIApplication":
    """Before the app, as other static files: what depends on a device's cookie is not kept for ever."""

    def answer(environ: "WSGIEnvironment", start: "StartResponse") -> "Iterable[bytes]":
        is_asked = environ["PATH_INFO"] == f"/static/{NAME}"
        return sent_styles(Request(environ))(environ, start) if is_asked else app(environ, start)

    return answer


def sent_styles(request: Request) -> Response:
    styles = compressed()[1]
    response = Response(content_type="text/css; charset=utf-8")
    if request.accept_encodings.quality("gzip"):
        response.data, response.content_encoding = styles, "gzip"
    else:
        response.data = gzip.decompress(styles)
    response.vary.add("Accept-Encoding")
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.cache_control.public, response.cache_control.immutable = True, True
    response.cache_control.max_age = YEAR
    return response
