"""What the tests share: databases of their own on a real PostgreSQL, the app with a clock that stands, a browser."""

import gc
import inspect
import itertools
import os
import re
import shutil
import threading
from datetime import UTC, datetime, timedelta
from pathlib import Path
from types import SimpleNamespace

import hypothesis
import pytest
from flask.testing import FlaskClient
from werkzeug.serving import make_server
from werkzeug.test import TestResponse
from xdist.scheduler import LoadScopeScheduling

from eproba.start.workbench import CHROMIUM
from eproba.store.database import engine_for
from eproba.store.server import named
from eproba.web.app import create_app
from eproba.web.settings import Settings
from tests.databases import RUN, Lent, Server, Templates, listening

PATIENCE = 120_000  # ms: a busy machine may stand still for a while
BEGUN = Path(f"/tmp/{RUN}begun")  # a home that is begun once for all tests of starting
# What needs one of these waits for programs: it comes first, so that what only reckons fills the gaps.
WAITING = {"page", "phone", "live", "begun", "empty_home", "firefox", "webkit"}
# In CI the same examples each time; elsewhere new ones, so that somebody meets what nobody thought of.
hypothesis.settings.register_profile("ci", derandomize=True, deadline=None, max_examples=25)
hypothesis.settings.register_profile("here", deadline=None, max_examples=25)
hypothesis.settings.load_profile("ci" if os.environ.get("CI") else "here")


def pytest_addoption(parser):
    parser.addoption("--long", action="store_true", help="also what sweeps over all kinds, widths, engines and steps")


def pytest_collection_modifyitems(config, items):
    """What is marked long runs when it is asked for: each of its rules has a shorter test that always runs."""
    if not config.getoption("--long"):
        config.hook.pytest_deselected(items=[item for item in items if item.get_closest_marker("long")])
        items[:] = [item for item in items if not item.get_closest_marker("long")]
    items.sort(key=lambda item: WAITING.isdisjoint(item.fixturenames) and "rehearsal" not in item.nodeid)


@pytest.fixture(scope="session")
def long(request):
    """Whether this run takes its time."""
    return request.config.getoption("--long")


def swept(cases, every):
    """The cases of a sweep: one in so many is for every day, the others are for a long run."""
    marks = itertools.cycle([[], *[[pytest.mark.long]] * (every - 1)])
    return [pytest.param(*case, marks=mark) for case, mark in zip(cases, marks, strict=False)]


class ByEngine(LoadScopeScheduling):
    """Each test to whichever worker is free; but all flows of an engine to one, which starts it once, and all that
    read the sources to one, which reads them once."""

    def _split_scope(self, nodeid: str) -> str:
        together = re.search(r"test_engines.py.*\b(firefox|webkit|chromium)\b|(test_words.py)", nodeid)
        return together[1] or together[2] if together else nodeid


@pytest.hookimpl(optionalhook=True)  # the mutator runs without workers
def pytest_xdist_make_scheduler(config, log):
    return ByEngine(config, log)


class Clock:
    """A clock that the test sets."""

    def __init__(self) -> None:
        self.at = datetime(2026, 5, 20, 10, tzinfo=UTC)

    def __call__(self) -> datetime:
        return self.at

    def forward(self, **by: int) -> None:
        self.at += timedelta(**by)


@pytest.fixture(scope="session")
def server():
    url = os.environ.get("EPROBA_DATABASE_URL")
    if not url:
        pytest.exit("The tests need PostgreSQL: run them with ./eproba test (arguments go to pytest).", 2)
    server = Server(url)
    yield server
    server.admin.close()


@pytest.fixture(scope="session")
def templates(server):
    """Databases to copy, made when they are first asked for: an empty one, one with the demo garden, a crowded one."""
    return Templates(server)


def pytest_collection_finish():
    """What was read so far stays: nothing of it is looked through again for what could go."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 20)


def pytest_sessionfinish(session):
    """What the workers shared goes when all of them are done."""
    for database in lent.values():
        database.drop()
    if hasattr(session.config, "workerinput"):
        return
    shutil.rmtree(BEGUN, ignore_errors=True)
    if url := os.environ.get("EPROBA_DATABASE_URL"):
        server = Server(url)
        for name in server.names(RUN):
            server.drop(name)
        server.admin.close()


@pytest.fixture
def garden(request):
    """Which database a test gets: empty, or demo or crowded with @pytest.mark.parametrize("garden", ["demo"])."""
    return getattr(request, "param", "empty")


lent: dict[tuple[int, str], Lent] = {}  # by process and garden


@pytest.fixture
def apart():
    """For fixtures that write to the database, or shut it, without `engine` hearing of it: the test has its own."""


@pytest.fixture
def database(request, server, templates, garden, engine):
    """A database's name: as if made anew for the test."""
    place, itself = (os.getpid(), garden), {*inspect.signature(request.function).parameters}
    is_apart = "apart" in request.fixturenames or not {"server", "database", "settings"}.isdisjoint(itself)
    if is_apart or "app" not in request.fixturenames:
        name = server.new(templates[garden])
        yield name
        server.drop(name)
        return
    if place not in lent:
        lent[place] = Lent(server, server.new(templates[garden]))
    engine.written = set()
    yield lent[place].name
    if engine.written and not lent[place].is_put_back(engine.written):
        lent.pop(place).drop()
    elif lent[place].counted() != lent[place].counts:
        lent.pop(place).drop()
        pytest.fail("it wrote to the database past `engine`: let its fixture ask for `apart`")


@pytest.fixture
def clock():
    return Clock()


@pytest.fixture
def settings(server, database):
    return Settings(named(server.url, database), secret_key="for tests only", hosts=("garden.test",))


@pytest.fixture(scope="session")
def built():
    """The app, built once a run: each test gives it a database and a clock of its own."""
    return create_app(Settings("postgresql://nowhere", secret_key="for tests only"))


@pytest.fixture(scope="session")
def engine(server):
    return listening(engine_for(server.url))


@pytest.fixture
def app(built, engine, database, settings, clock, monkeypatch):
    """The app; new trials are always dealt with the same seed, so that no verdict hangs on luck."""
    monkeypatch.setattr("eproba.web.new_trial.views.secrets", SimpleNamespace(token_hex=lambda _: "lots of the tests"))
    if engine.leads_to != database:
        engine.dispose()
        engine.leads_to = database
    monkeypatch.setitem(built.extensions, "engine", engine)
    monkeypatch.setitem(built.config, "SETTINGS", settings)
    monkeypatch.setitem(built.config, "CLOCK", clock)
    return built


class Told(TestResponse):
    """An answer whose page reads as a browser shows it: line breaks of the source are spaces."""

    def get_data(self, as_text=False):
        data = super().get_data(as_text)
        return " ".join(data.split()) if as_text and self.mimetype == "text/html" else data


class Client:
    """A test client that sends its CSRF token as a browser does."""

    def __init__(self, app) -> None:
        self.plain = FlaskClient(app, Told, use_cookies=True)
        self.tokens = {}  # by what the cookie of the session holds

    def get(self, path, **more):
        return self.plain.get(path, base_url="http://localhost", **more)

    def token(self):
        if self.session() not in self.tokens:
            token = self.get("/token").get_json()["token"]
            self.tokens[self.session()] = token
        return self.tokens[self.session()]

    def session(self):
        """What the session's cookie holds; when it was signed doesn't matter."""
        cookie = self.plain.get_cookie("eproba")
        return cookie and cookie.value.rsplit(".", 2)[0]

    def post(self, path, data=None, **more):
        return self.plain.post(
            path, base_url="http://localhost", data={"csrf_token": self.token(), **(data or {})}, **more
        )

    def send(self, path, body):
        """JSON, as a device in the garden sends it."""
        headers = {"X-CSRFToken": self.token(), "Accept": "application/json"}
        return self.plain.post(path, base_url="http://localhost", json=body, headers=headers)


@pytest.fixture
def client(app):
    return Client(app)


@pytest.fixture
def draft(client):
    """The address of a trial that is being planned, nothing typed yet."""
    return client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]


demo_garden = pytest.mark.parametrize("garden", ["demo"], indirect=True)
crowded_garden = pytest.mark.parametrize("garden", ["crowded"], indirect=True)


class Live:
    """The app on a real port; it can be stopped and started again, as a computer in a shed is."""

    def __init__(self, app) -> None:
        self.app = app
        self.port = 0
        self.idle, self.asked, self.is_open = threading.Condition(), 0, True
        self.start()

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def answer(self, environ, start):
        """A browser that had opened a connection before the computer was stopped gets nothing over it either; what a
        page of the test before still asks for never meets the database of this one."""
        with self.idle:
            is_answered = not self.stopped and self.is_open
            self.asked += is_answered
        if not is_answered:
            start("503 Service Unavailable", [("Connection", "close"), ("Content-Length", "0")])
            return []
        try:
            return self.app(environ, start)  # what it writes is written; of the rest browsers may want nothing more
        finally:
            with self.idle:
                self.asked -= 1
                self.idle.notify_all()

    def shut(self) -> None:
        """Take nothing more and wait until all that was asked is answered."""
        with self.idle:
            self.is_open = False
            assert self.idle.wait_for(lambda: not self.asked, timeout=PATIENCE / 1000), "something never came back"

    def start(self) -> None:
        self.stopped = False
        self.running = make_server("127.0.0.1", self.port, self.answer, threaded=True)
        self.port = self.running.server_port
        self.thread = threading.Thread(target=self.running.serve_forever, daemon=True)
        self.thread.start()

    def stop(self) -> None:
        self.stopped = True
        self.running.shutdown()
        self.running.server_close()
        self.thread.join()


@pytest.fixture(scope="session")
def lasting(built):
    """One server for all tests of a worker, so that a browser fetches once what it may keep for ever."""
    live = Live(built)
    yield live
    live.stop()


@pytest.fixture
def live(lasting, app):
    lasting.is_open = True
    yield lasting
    lasting.shut()
    if lasting.stopped:
        lasting.start()


@pytest.fixture(scope="session")
def playwright():
    from playwright.sync_api import expect, sync_playwright

    expect.set_options(timeout=PATIENCE)
    with sync_playwright() as playwright:
        yield playwright


@pytest.fixture(scope="session")
def chromium(playwright):
    flags = ["--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking", "--disable-sync"]
    # Pages of one place in one process, and no code made fast: each page lives for a second.
    flags += ["--process-per-site", "--js-flags=--no-opt"]
    flags += ["--disable-component-update", "--host-resolver-rules=MAP garden.test 127.0.0.1"]
    browser = playwright.chromium.launch(executable_path=CHROMIUM, args=flags)
    yield browser
    browser.close()


@pytest.fixture(scope="session")
def laptop_of_all(chromium, lasting):
    yield from _device(chromium, lasting.url, 1280, 800)


@pytest.fixture(scope="session")
def phone_of_all(chromium, lasting):
    yield from _device(chromium, f"http://garden.test:{lasting.port}", 390, 844)


def _device(chromium, url, width, height):
    """A device that all tests of a worker share: it keeps what it fetched, and nothing else."""
    context = chromium.new_context(
        base_url=url, viewport={"width": width, "height": height}, service_workers="block", has_touch=width < 500
    )
    yield context
    context.close()


@pytest.fixture
def page(laptop_of_all, live):
    """A laptop page; anything that the browser complains about fails the test."""
    yield from _page(laptop_of_all, live.url)


@pytest.fixture
def phone(phone_of_all, live):
    """A phone page in the home network: plain http, a name that is not localhost, no service worker."""
    yield from _page(phone_of_all, f"http://garden.test:{live.port}")


def _page(device, url):
    device.set_offline(False)
    device.clear_cookies()
    page = device.new_page()
    kept = {"origin": url, "storageTypes": "local_storage,indexeddb,cache_storage"}
    session = device.new_cdp_session(page)
    session.send("Storage.clearDataForOrigin", kept)
    session.detach()  # two sessions of one page undo each other's media
    page.complaints = []
    page.on("pageerror", lambda error: page.complaints.append(str(error)))
    page.on(
        "console",
        lambda m: page.complaints.append(m.text) if m.type == "error" and "Failed to load" not in m.text else None,
    )
    page.set_default_timeout(PATIENCE)
    yield page
    for each in device.pages:
        each.close()
    assert page.complaints == []
