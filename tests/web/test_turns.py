"""Pages wait for each other, saves for nobody."""

import threading

from eproba.web.turns import PagesInTurn

LONG = 120.0  # a busy machine fails nothing


class Garden:
    """An app whose pages and saves end when they are let go."""

    def __init__(self):
        self.begun, self.let_go = threading.Semaphore(0), threading.Event()

    def __call__(self, environ, start):
        self.begun.release()
        if environ["PATH_INFO"] == "/slow":
            self.let_go.wait(LONG)
        return [environ["PATH_INFO"].encode()]


def asked(app, method, path, answers):
    def ask():
        answers.append(b"".join(app({"REQUEST_METHOD": method, "PATH_INFO": path}, None)).decode())

    thread = threading.Thread(target=ask)
    thread.start()
    return thread


def test_a_save_does_not_wait_for_a_page_and_a_page_does():
    garden, answers = Garden(), []
    app = PagesInTurn(garden, LONG)
    slow = asked(app, "GET", "/slow", answers)
    assert garden.begun.acquire(timeout=LONG)
    asked(app, "POST", "/entries", answers).join(LONG)
    asked(app, "GET", "/static/app.js", answers).join(LONG)
    assert answers == ["/entries", "/static/app.js"]
    page = asked(app, "GET", "/trials", answers)
    page.join(0.3)
    assert len(answers) == 2, "one page at a time"
    garden.let_go.set()
    for thread in (slow, page):
        thread.join(LONG)
    assert sorted(answers[2:]) == ["/slow", "/trials"]


def test_a_page_does_not_wait_for_ever():
    garden, answers = Garden(), []
    app = PagesInTurn(garden, 0.01)
    slow = asked(app, "GET", "/slow", answers)
    assert garden.begun.acquire(timeout=LONG)
    asked(app, "GET", "/trials", answers).join(LONG)
    assert answers == ["/trials"]
    garden.let_go.set()
    slow.join(LONG)
    asked(app, "GET", "/trials", answers).join(LONG)
    assert answers == ["/trials", "/slow", "/trials"], "and takes its turn again"
