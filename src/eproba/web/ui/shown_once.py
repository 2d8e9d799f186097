"""Secrets that were just made: shown on the next page, once, since nothing but their hash is kept."""

from flask import Response, after_this_request, session

from eproba.web.ui.responses import NOT_KEPT


def show_once(kind: str, secret: str, of: object = "") -> None:
    """Let the next page that asks for this kind show the secret; `of`: which one of the kind it belongs to."""
    session["shown_once"] = [kind, str(of), secret]


def shown_once(kind: str, of: object = "") -> str:
    """The secret that was just made, to be shown now and never again; empty where none was."""
    kept = session.get("shown_once")
    if not isinstance(kept, list) or kept[:2] != [kind, str(of)]:
        return ""
    session.pop("shown_once")
    after_this_request(_kept_by_nobody)
    return str(kept[2])


def _kept_by_nobody(response: Response) -> Response:
    response.headers.update(NOT_KEPT)
    return response
