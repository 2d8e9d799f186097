"""The flows that a garden hangs on, in the three engines that phones and laptops have: nothing typed is lost."""

import json
from contextlib import contextmanager

import pytest

from eproba.standins.pictures import jpeg, scene, with_tag
from tests.conftest import Client, Live, demo_garden
from tests.web.engines import ENGINES, ENTER, LAPTOP, PHONE
from tests.web.entries import answers, op, till
from tests.web.steps import fill, planned
from tests.web.test_browser import values

LONG = [pytest.mark.long]
ROUND = "main a[href*='/trials/2/rounds/']"  # of today, on Today
WAITS = "return Device.wasOpen && Device.unkept.length === 0 ? (await Keeper.all()).length : -1"
PAGE = "return document.body?.dataset.page"  # of each answer its own
LINE, COUNT = ".till-line", ".till-count"
# Another window that never ends what it does with the store, as a page that was frozen in the middle.
STUCK = """
    const request = indexedDB.open("eproba");
    const database = await new Promise((done) => { request.onsuccess = () => done(request.result); });
    const store = database.transaction("typed", "readwrite").objectStore("typed");
    window.stuck = true;
    const again = () => { if (window.stuck) store.count().onsuccess = again; };
    again();
"""
NO_STORE = """
    Object.defineProperty(window, "indexedDB", { get() { throw new DOMException("none here", "SecurityError"); } });
    Object.assign(Device, { wasOpen: false });
    Device.close();
"""
FULL = """
    const real = IDBObjectStore.prototype.put;
    IDBObjectStore.prototype.put = function (...args) {
      if (window.full) throw new DOMException("no room", "QuotaExceededError");
      return real.apply(this, args);
    };
    window.full = true;
"""
NEWER = """
    Device.close();
    const request = indexedDB.open("eproba", 99);
    await new Promise((done) => { request.onsuccess = done; });
    request.result.close();
"""
CLEARED = """
    const request = indexedDB.deleteDatabase("eproba");
    await new Promise((done) => { request.onsuccess = done; });
"""
BEFORE = """
    Device.gone = true; // so that nothing opens it meanwhile
    Device.close();
    await new Promise((done) => { indexedDB.deleteDatabase("eproba").onsuccess = done; });
    const request = indexedDB.open("eproba", 3);
    request.onupgradeneeded = () => {
      for (const name of ["typed", "history", "pictures"]) {
        request.result.createObjectStore(name, { keyPath: "n", autoIncrement: true });
      }
    };
    await new Promise((done) => { request.onsuccess = done; });
    const writing = request.result.transaction("typed", "readwrite");
    for (const entry of args[0]) writing.objectStore("typed").add(entry);
    await new Promise((done) => { writing.oncomplete = done; });
    request.result.close();
"""


def in_engines(*always, never=()):
    """Which engines a flow goes through each time; the others when a run takes its time."""
    engines = [pytest.param(name, marks=[] if name in always else LONG) for name in ENGINES if name not in never]
    return pytest.mark.parametrize("browser", engines, indirect=True, scope="session")


# Chromium goes through the like in Playwright's own tests.
till_everywhere = in_engines("firefox", "webkit", never=["chromium"])
webkit_first = in_engines("webkit")
not_again_in_chromium = in_engines("webkit", never=["chromium"])


@pytest.fixture(scope="session")
def browser(request, playwright):
    """One engine after the other."""
    with ENGINES[request.param](playwright) as browser:
        yield browser


@pytest.fixture
def live(app):
    """A server of this test alone, and so a device's store of its own."""
    live = Live(app)
    yield live
    live.stop()


@pytest.fixture
def engine(browser, live):
    browser.size(*PHONE)
    yield browser
    browser.close_tabs()
    browser.open("about:blank")


@pytest.fixture
def today(engine, live):
    engine.open(live.url)
    return engine.ask(PAGE)


@pytest.fixture
def at_round(engine, today):
    """The round of today, come to as a person does: from Today."""
    engine.click(ROUND)
    engine.shows("/rounds/[0-9]+")
    engine.until("return document.activeElement?.id", wanted="typed")
    return engine.ask("return location.href")


def type_in(engine, *readings):
    for reading in readings:
        engine.until("return document.activeElement?.id", wanted="typed")
        engine.keys(f"{reading}{ENTER}")


@contextmanager
def gone(live, engine):
    """The computer is switched off for a while; the page need not wait for its next look."""
    live.stop()
    yield
    live.start()
    engine.ask("if (typeof Keeper === 'object') Keeper.again()")


def back(engine, page, address):
    """Back to a page that is left, and not until it is another than the one that was left."""
    engine.walk(-1)
    fresh = "document.body?.dataset.page !== args[0] && document.readyState === 'complete'"
    engine.until(f"return {fresh} && new RegExp(`${{args[1]}}$`).test(location.href)", page, address)


def back_at_round(engine, page):
    back(engine, page, "/rounds/[0-9]+")
    engine.until("return document.activeElement?.id", wanted="typed")  # the till is ready, nothing moves any more


def stored(live):
    return list(values(live, 2, 9).values())


@till_everywhere
@demo_garden
def test_twelve_entries_from_today_away_and_back_and_loaded_again(engine, today, at_round, live):
    type_in(engine, *range(1, 10), 3.5, "4,5", 2)
    engine.reads(COUNT, "12 of 30")
    engine.reads(LINE, "All sent.")
    back(engine, today, f"{live.url}/")
    engine.until(WAITS, wanted=0)
    engine.walk(1)
    engine.shows("/rounds/[0-9]+")
    engine.reads(COUNT, "12 of 30")
    engine.reload()
    engine.reads(COUNT, "12 of 30")
    assert len(stored(live)) == 12


@pytest.mark.long
@not_again_in_chromium
@demo_garden
def test_typed_while_the_computer_is_away_waits_on_the_device_for_every_tab(engine, at_round, live):
    type_in(engine, 5.1)
    engine.reads(LINE, "All sent.")
    with gone(live, engine):
        type_in(engine, 5.2, 3)
        engine.says(LINE, "2 readings wait safely on this device")
    engine.tab(1)
    engine.open(f"{live.url}/help")
    engine.until(WAITS, wanted=0)
    assert sorted(stored(live)) == ["3", "5.1", "5.2"]
    engine.open(at_round)
    engine.reads(COUNT, "3 of 30")
    engine.click(".till-keys button", "Undo")
    engine.reads(COUNT, "2 of 30")
    engine.reads(LINE, "All sent.")
    engine.close_tabs()
    engine.reload()
    engine.reads(COUNT, "2 of 30")
    assert sorted(stored(live)) == ["5.1", "5.2"]


@pytest.mark.long
@not_again_in_chromium
@demo_garden
def test_a_conflict_waits_for_a_decision_through_a_reload(engine, at_round, live):
    round_ = till(Client(live.app), at_round.removeprefix(live.url))
    answers(Client(live.app), op(round_, 1, "H1", "7"))
    type_in(engine, 5)
    engine.says(".till-conflict", "You typed 5.")
    engine.reload()
    engine.click(".till-conflict button", "Mine: 5")
    engine.reads(LINE, "All sent.")
    assert stored(live) == ["5"]


@pytest.mark.long
@webkit_first
@demo_garden
def test_the_page_that_comes_back_is_fresh(engine, at_round, live):
    """Somebody else read on meanwhile; a note that was typed and not sent is still there."""
    round_ = till(Client(live.app), at_round.removeprefix(live.url))
    page = engine.ask(PAGE)
    engine.click(".till-head a")
    engine.shows("/trials/2")
    answers(Client(live.app), op(round_, 1, "H1", "7"))
    back_at_round(engine, page)
    engine.reads(COUNT, "1 of 30")
    engine.fill("#round-note", "Rain in the night")
    page = engine.ask(PAGE)
    engine.click(".till-head a")
    engine.shows("/trials/2")
    back_at_round(engine, page)
    engine.until("return document.getElementById('round-note').value", wanted="Rain in the night")
    engine.click(".till-end button")
    engine.shows("/trials/2")
    engine.open(at_round)
    engine.until("return document.getElementById('round-note')?.defaultValue", wanted="Rain in the night")
    engine.until("return localStorage.getItem(`note:${Keeper.here}`)", wanted=None)


@pytest.mark.long
@webkit_first
@demo_garden
def test_a_page_that_comes_back_without_signal_goes_on(engine, at_round, live):
    engine.click(".till-head a")
    engine.shows("/trials/2")
    with gone(live, engine):
        engine.walk(-1)
        engine.until("return /rounds/.test(location.href) || location.protocol === 'chrome-error:'")
        if engine.answered("return typeof Keeper") != "object":
            return  # Chromium here keeps no page: nothing comes back without the computer
        type_in(engine, 5.1)
        engine.says(LINE, "1 reading waits safely on this device")
    engine.reads(LINE, "All sent.")
    assert stored(live) == ["5.1"]


@pytest.mark.long
@webkit_first
@demo_garden
def test_a_store_that_does_not_answer_holds_up_nobody(engine, at_round, live):
    """What froze open every iPhone’s store: an entry is held in the page, sent from there, and kept once."""
    engine.ask(STUCK)
    with gone(live, engine):
        type_in(engine, 5.1)
        assert engine.text(COUNT) == "0 of 30", "not before it is kept or held"
        engine.says(LINE, "1 reading waits in this page only: don’t close it.")
        engine.says(LINE, "This device’s store does not answer: what was typed here before may still wait in it.")
        engine.reads(COUNT, "1 of 30")
        assert engine.ask("return !window.dispatchEvent(new Event('beforeunload', { cancelable: true }))")
    engine.until("return Device.unkept.length", wanted=0)
    assert stored(live) == ["5.1"]
    assert "All sent" not in engine.text(LINE), "it may hold more than this page knows"
    engine.ask("window.stuck = false; Keeper.again()")
    engine.reads(LINE, "All sent.")
    assert engine.ask("return (await Device.list('typed')).length") == 0
    assert stored(live) == ["5.1"]


SAFELY = "2 readings wait safely on this device."


@pytest.mark.long
@webkit_first
@demo_garden
@pytest.mark.parametrize(
    ("fault", "said", "kept"),
    [
        (NO_STORE, "1 reading waits in this page only: don’t close it.", ["5.2"]),
        (FULL, "2 readings wait in this page only: don’t close it.", ["5.1", "5.2"]),
        (NEWER, "A newer Eproba wrote on this device: load this page again to see what waits here.", ["5.2"]),
        ("Device.database.close();", SAFELY, ["5.1", "5.2"]),
        (CLEARED, SAFELY, ["5.1", "5.2"]),
    ],
    ids=["no store", "a full store", "a newer store", "a closed connection", "storage cleared"],
)
def test_whatever_the_store_does_nothing_typed_is_lost_without_a_word(engine, at_round, live, fault, said, kept):
    with gone(live, engine):
        type_in(engine, 5.1)
        engine.says(LINE, "1 reading waits safely on this device")
        engine.ask(fault)
        type_in(engine, 5.2)
        engine.says(LINE, said)
    engine.until("return Device.unkept.length + (await Keeper.all()).length", wanted=0)
    assert stored(live) == kept
    engine.reload()
    if fault is NEWER:
        engine.until("return Device.state", wanted="newer")
        engine.until("return document.getElementById('waiting-line').hidden", wanted=True)
        engine.says(LINE, said)
    else:
        engine.until(WAITS, wanted=0)
        assert stored(live) == ["5.1", "5.2"]


@pytest.mark.long
@webkit_first
@demo_garden
def test_entries_of_the_store_before_are_sent_in_their_order(engine, at_round, live):
    """Until now the store numbered its entries itself."""
    round_ = till(Client(live.app), at_round.removeprefix(live.url))
    first = op(round_, 1, "H1", "5.1")
    second = op(round_, 2, "H1", "6.1", replaces=first["id"])
    entries = [{"op": each, "told": {"unit": "H1"}, "state": "waiting"} for each in (first, second)]
    engine.open(f"{live.url}/help")
    engine.ask(BEFORE, entries)
    engine.reload()
    engine.until(WAITS, wanted=0)
    assert stored(live) == ["6.1"]


@pytest.mark.long
@webkit_first
@demo_garden
@pytest.mark.parametrize("days", [400, -400])
def test_a_phone_that_slept_and_whose_clock_was_set_sends_when_it_wakes(engine, at_round, live, days):
    asleep = "Object.defineProperty(document, 'visibilityState', { configurable: true, get: () => 'hidden' });"
    engine.ask(asleep + f"const real = Date.now; Date.now = () => real() + 86400000 * {days};")
    type_in(engine, 5.1, 5.2)
    engine.reads(LINE, "Sending …")
    assert stored(live) == [], "nobody looks at the page: it begins nothing"
    engine.ask("delete document.visibilityState; document.dispatchEvent(new Event('visibilitychange'))")
    engine.reads(LINE, "All sent.")
    assert stored(live) == ["5.1", "5.2"]
    rows = [row.split(",") for row in Client(live.app).get("/trials/2/readings.csv").text.splitlines()]
    assert {row[12][:10] for row in rows if row[0] == "9"} == {"2026-05-20"}, "by the computer’s clock"


@pytest.mark.long
@webkit_first
@demo_garden
def test_a_picture_finds_its_unit_also_after_the_computer_was_away(engine, live, client, draft, tmp_path):
    planned(client, draft)
    fill(client, draft, "measure", also=["cover"])
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    key = json.loads(client.get(f"{trial}/export.json").text)["trial"]["key"]
    shot = with_tag(scene(0.3, (800, 600))[0], f"{live.url}/t/{key}/P1", at=(60, 60), wide=300)
    file = tmp_path / "IMG.jpg"
    file.write_bytes(jpeg(shot))
    engine.open(f"{live.url}{trial}/readings")
    engine.click(f"main a[href*='{trial}/rounds/']")
    engine.shows("/rounds/[0-9]+")
    type_in(engine, 12)
    engine.reads(LINE, "All sent.")
    engine.until("return document.querySelector('.till-shot').checkVisibility()")
    with gone(live, engine):
        engine.choose(".till-shot input", file)
        engine.says(LINE, "1 reading waits safely on this device")
    engine.says(LINE, "All sent. P1, cover")
    assert "1 picture" in client.get(f"{trial}/photos").text


# How often the live part was answered; nothing moves once the last answer stands there.
ANSWERED = """
    const live = document.querySelector("[data-live]");
    if (live.hasAttribute("aria-busy")) return -1;
    return performance.getEntriesByName(new URL(live.dataset.live, location).href).length;
"""


@pytest.mark.long
@not_again_in_chromium
def test_from_the_planner_to_the_lots_with_a_bed_pulled_wider(engine, live):
    engine.size(*LAPTOP)
    engine.open(live.url)
    engine.click("#new-trial button")
    engine.shows("/sheet")
    engine.click("[data-fold=claim] > summary")
    engine.click("[data-fold=claim] a", "On a page of its own")
    engine.shows("/claim")
    engine.fill("[name=thing]", "Diluted whey")
    engine.fill("[name=name]", "Whey tried")
    for step in ("measure", "treatments", "ground"):
        engine.click("main button", "Next")
        engine.shows(f"/{step}")
    engine.click("main button", "Add bed")
    engine.until(f"return (() => {{ {ANSWERED} }})() > 0")
    engine.says(".proposal", "pairs")
    before_pulling = engine.ask(ANSWERED)
    x, y = engine.spot(".size-handle")
    wide = "return JSON.parse(document.getElementById('places-data').value).places[0].width_cm"
    before = engine.ask(wide)
    engine.pointer((x, y), (x + 20, y), (x + 60, y))
    assert engine.ask(wide) > before
    engine.until(f"return (() => {{ {ANSWERED} }})() > args[0]", before_pulling)
    engine.says(".proposal", "pairs")
    for step in ("chance", "days", "rules", "deal"):
        engine.click("main button", "Next")
        engine.shows(f"/{step}")
    engine.click("main button", "Deal the lots")
    engine.shows("dealt=1")
    engine.walk(-1)  # the lots have fallen: the page that dealt them has nothing more to deal
    engine.until("return [...document.querySelectorAll('main button')].some((each) => /Deal/.test(each.innerText))",
                 wanted=False)  # fmt: skip


@pytest.mark.long
@not_again_in_chromium
@demo_garden
def test_mixing_follows_the_typing(engine, live):
    engine.size(*LAPTOP)
    engine.open(f"{live.url}/mix")
    engine.reads(".mix-big b", "2")
    engine.fill("#area", "25")
    engine.reads(".mix-big b", "5")


@pytest.mark.long
@not_again_in_chromium
@demo_garden
def test_verdict_report_print_and_calendar(engine, live):
    engine.size(*LAPTOP)
    engine.open(f"{live.url}/trials/1/verdict")
    engine.until("return document.querySelector('.course svg') !== null")
    engine.open(f"{live.url}/trials/1/report")
    engine.until("return document.querySelectorAll('svg').length > 0")
    if engine.prints:
        assert engine.printed().startswith(b"%PDF")
    engine.open(f"{live.url}/calendar")
    assert "25 May" in engine.text("main")
    assert engine.ask("return document.documentElement.scrollWidth <= innerWidth")
