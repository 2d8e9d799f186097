"""Pages wait for each other, saves for nobody: what a gardener writes down is kept while others still look."""

import threading
from collections.abc import Iterable
from wsgiref.types import StartResponse, WSGIApplication, WSGIEnvironment

LONGEST = 3.0  # seconds that a page waits for another one, which may be a long verdict


class PagesInTurn:
    """Draws one page at a time, since two at once take twice as long; all else goes straight to the app."""

    def __init__(self, app: WSGIApplication, longest: float = LONGEST) -> None:
        self.app, self.longest = app, longest
        self.turn = threading.Lock()

    def __call__(self, environ: WSGIEnvironment, start: StartResponse) -> Iterable[bytes]:
        if environ["REQUEST_METHOD"] != "GET" or environ["PATH_INFO"].startswith("/static/"):
            return self.app(environ, start)
        is_our_turn = self.turn.acquire(timeout=self.longest)
        try:
            return self.app(environ, start)
        finally:
            if is_our_turn:
                self.turn.release()
