"""What stands in the log: one line a request, without a secret, and nothing that a stranger could forge a line with."""

import logging
import time
from typing import Any

from flask import Flask, Response, g, request

LONGEST = 200  # characters of what somebody sent
SECRETS = ("token",)  # parts of an address that open something
log = logging.getLogger("eproba.requests")


def one_line(text: str) -> str:
    """Text for the log: line breaks and other signs that are not printed as escapes, and not too long."""
    return text[:LONGEST].encode("unicode_escape").decode("ascii")


def path_asked() -> str:
    """The path of the request, its secrets as a row of dots."""
    path = request.path
    for name in SECRETS:
        secret = str((request.view_args or {}).get(name, ""))
        path = path.replace(secret, "...") if secret else path
    return one_line(path)


class LoggedFlask(Flask):
    """Flask, whose log of a fault bears no secret either."""

    def log_exception(self, exc_info: Any) -> None:
        self.logger.error("Exception on %s [%s]", path_asked(), request.method, exc_info=exc_info)


def log_requests(app: Flask) -> None:
    """One line for each request, with what it took."""

    @app.before_request
    def start() -> None:
        g.started = time.perf_counter()

    @app.after_request
    def end(response: Response) -> Response:
        took = 1000 * (time.perf_counter() - g.get("started", time.perf_counter()))
        log.info("%s %s %s %.0f ms", request.method, path_asked(), response.status_code, took)
        return response
