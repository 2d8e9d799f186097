"""The till in a real browser: nothing typed is lost, and nothing is said to be sent that is not."""

import csv
import io
import re
import time

import pytest
from playwright.sync_api import expect
from sqlalchemy import text

from eproba.exchange.rescue_csv import read_rescue
from tests.conftest import PATIENCE, Client, demo_garden, swept
from tests.web.entries import answers, op, till
from tests.web.test_browser import round_address, type_in, values

pytestmark = demo_garden
FULL = """
const real = IDBObjectStore.prototype.put;
IDBObjectStore.prototype.put = function (...args) {
  if (window.full) throw new DOMException("no room", "QuotaExceededError");
  return real.apply(this, args);
};
"""
NO_STORE = "Object.defineProperty(window, 'indexedDB', { get() { throw new Error('none here'); } });"


@pytest.fixture
def address(phone):
    return round_address(phone, 2, 9)


def line(phone):
    return expect(phone.locator(".till-line"))


def waiting(phone):
    return expect(phone.locator("#waiting-line"))


def offline(phone, off=True):
    phone.context.set_offline(off)
    if not off:
        phone.evaluate("window.dispatchEvent(new Event('online'))")


def test_a_full_device_keeps_entries_in_the_page_says_so_and_asks_before_closing(phone, address, live):
    phone.add_init_script(FULL)
    phone.goto(address)
    phone.evaluate("window.full = true")
    offline(phone)
    type_in(phone, 5.1)
    line(phone).to_contain_text("1 reading waits in this page only: don’t close it.")
    asked = []
    phone.on("dialog", lambda dialog: (asked.append(dialog.type), dialog.dismiss()))
    phone.close(run_before_unload=True)
    phone.wait_for_timeout(300)
    assert asked == ["beforeunload"]
    offline(phone, False)
    line(phone).to_have_text("All sent.")
    assert list(values(live, 2, 9).values()) == ["5.1"]


@pytest.mark.long
def test_a_device_without_a_store_keeps_the_round_in_the_page(phone, address, live):
    phone.wait_for_function("Device.wasOpen")  # what notes that it had one has done so
    phone.evaluate("localStorage.clear()")  # it never had one
    phone.add_init_script(NO_STORE)
    phone.goto(address)
    offline(phone)
    type_in(phone, 5.1)
    type_in(phone, 5.2)
    line(phone).to_contain_text("2 readings wait in this page only")
    phone.get_by_role("button", name="Undo").click()
    expect(phone.locator(".till-count")).to_have_text("1 of 30")
    offline(phone, False)
    line(phone).to_have_text("All sent.")
    assert list(values(live, 2, 9).values()) == ["5.1"]


@pytest.mark.long
def test_entries_of_another_garden_are_refused_by_name_and_kept(phone, address, live, app):
    """A backup of another garden was restored meanwhile: the same numbers, other trials."""
    phone.goto(address)
    offline(phone)
    type_in(phone, 5.1)
    line(phone).to_contain_text("1 reading waits safely")
    with app.extensions["engine"].begin() as connection:
        connection.execute(text("UPDATE trial SET key = 'of-another-garden' WHERE id = 2"))
    offline(phone, False)
    card = phone.locator(".till-conflict")
    expect(card).to_contain_text("H1: Moisture meter")
    expect(card).to_contain_text("This garden has no such trial")
    assert values(live, 2, 9) == {}
    phone.goto("/waiting")
    expect(phone.locator(".waiting-list")).to_contain_text(
        "Wool mulch under the currants, Day 9, H1: Moisture meter, 1"
    )
    expect(phone.locator(".waiting-list")).to_contain_text("5.1")


@pytest.mark.long
@pytest.mark.parametrize("act", ["drop", "sure"])
def test_a_late_answer_never_undoes_what_was_decided_in_another_window(phone, address, live, act):
    """Two windows of one device send the same entry; one hears late, when all is decided."""
    phone.goto(address)
    offline(phone)
    type_in(phone, 5.1)
    line(phone).to_contain_text("1 reading waits safely")
    late = "Keeper.hear(window.sent, { status: 'doubted', why: 'late', there: null })"
    phone.evaluate("Keeper.all().then(([entry]) => { window.sent = entry; })")
    phone.evaluate(late)
    phone.evaluate(f"Keeper.decide(window.sent, '{act}')")
    phone.evaluate(late)
    phone.evaluate("Keeper.hear(window.sent, { status: 'saved', there: null })")
    kept = phone.evaluate("Keeper.all().then((all) => all.map(({ state, op }) => [state, op.sure]))")
    assert kept == ([] if act == "drop" else [["waiting", True]])
    offline(phone, False)
    line(phone).to_have_text("" if act == "drop" else "All sent.")
    assert list(values(live, 2, 9).values()) == ([] if act == "drop" else ["5.1"])


@pytest.mark.long
def test_a_removed_round_says_so_and_offers_its_entries_as_a_file(phone, address, live, app):
    phone.goto(address)
    offline(phone)
    type_in(phone, "5,1")
    type_in(phone, 5.2)
    line(phone).to_contain_text("2 readings wait safely")
    with app.extensions["engine"].begin() as connection:
        connection.execute(text("DELETE FROM round WHERE trial_id = 2 AND day = 9"))
    offline(phone, False)
    expect(phone.locator(".till-conflict")).to_contain_text("This round was removed from the plan")
    phone.goto(address)
    expect(phone.get_by_text("it was removed from the plan")).to_be_visible()
    waiting(phone).to_contain_text("2 entries need your decision")
    phone.locator("#waiting-line a").click()
    with phone.expect_download() as got:
        phone.get_by_role("button", name="Save as a file").click()
    file = got.value.path().read_bytes()
    rows = list(csv.DictReader(io.StringIO(file.decode("utf-8-sig")), delimiter=";"))
    assert [(r["day"], r["unit"], r["measure"], r["reading"], r["value"]) for r in rows] == [
        ("9", "H1", "Moisture meter", "1", "5,1"),
        ("9", "H1", "Moisture meter", "2", "5.2"),
    ]
    held = phone.evaluate("Keeper.all().then((all) => all.map((entry) => entry.op))")
    assert [row.op for row in read_rescue(file)] == [{k: v for k, v in op.items() if v or k == "seen"} for op in held]
    phone.get_by_role("button", name="Throw mine away").first.click()
    waiting(phone).to_contain_text("1 entry needs your decision")


@pytest.mark.long
def test_a_conflict_and_a_refusal_survive_a_reload(phone, address, live):
    client = Client(live.app)
    round_ = till(client, address)
    phone.goto(address)
    offline(phone)
    type_in(phone, 5)
    type_in(phone, 6)
    line(phone).to_contain_text("2 readings wait")
    answers(client, op(round_, 1, "H1", "7"))
    client.post("/trials/2/units/19", {"reason": "slugs"})
    offline(phone, False)
    card = phone.locator(".till-conflict")
    expect(card).to_contain_text("H1 is down as lost")
    phone.get_by_role("button", name="Finish round as it is").click()
    expect(phone.locator(".till-end")).to_contain_text("Decide about H1: Moisture meter first.")
    phone.goto("/trials/2")
    waiting(phone).to_contain_text("2 entries need your decision")
    client.post("/trials/2/units/19", {"found": "1"})
    phone.goto(address)
    phone.get_by_role("button", name="Send again").click()
    expect(phone.get_by_role("button", name="The other device: 7")).to_be_visible()
    phone.reload()
    phone.get_by_role("button", name="Mine: 5").click()
    expect(phone.get_by_role("button", name="Send again")).to_be_visible()
    phone.get_by_role("button", name="Send again").click()
    expect(card).to_be_hidden()
    line(phone).to_have_text("All sent.")
    assert list(values(live, 2, 9).values()) == ["5", "6"]


@pytest.mark.long
def test_undo_goes_back_step_by_step_and_survives_a_reload(phone, address, live):
    phone.goto(address)
    type_in(phone, 5)
    phone.get_by_role("button", name="Previous reading").click()
    type_in(phone, 6)
    line(phone).to_have_text("All sent.")
    phone.reload()
    undo = phone.get_by_role("button", name="Undo")
    expect(undo).to_be_enabled()
    undo.dblclick()  # a trembling hand: once
    expect(phone.locator("#typed")).to_have_value("5")
    line(phone).to_have_text("All sent.")
    assert list(values(live, 2, 9).values()) == ["5"]
    phone.wait_for_timeout(800)  # a second tap at once would be the same one
    undo.click()
    expect(phone.locator(".till-count")).to_have_text("0 of 30")
    expect(undo).to_be_disabled()
    phone.reload()
    expect(phone.locator(".till-count")).to_have_text("0 of 30")
    until = time.monotonic() + PATIENCE / 1000
    while values(live, 2, 9) and time.monotonic() < until:  # what was taken back may still be on its way
        phone.wait_for_timeout(100)
    assert values(live, 2, 9) == {}, "no ghost"


@pytest.mark.long
def test_typed_after_the_fact_bears_its_own_day(phone, address, live):
    phone.goto(address)
    phone.get_by_text("Typed from paper?").click()
    phone.get_by_label("Read on").fill("2026-05-18")
    expect(phone.locator(".till-day")).to_contain_text("was read on 2026-05-18")
    type_in(phone, 4)
    line(phone).to_have_text("All sent.")
    phone.goto("/trials/2/readings?" + address.replace("/trials/2/rounds/", "round="))
    expect(phone.get_by_text("Truly read on: Mon 18 May (day 7)")).to_be_visible()
    page = Client(live.app).get("/trials/2").get_data(as_text=True)
    assert "Day 9: 1 reading truly read on day 7." in page


@pytest.mark.long
def test_an_entry_that_can_not_be_read_holds_up_no_other(phone, address, live):
    """A page gone wrong: one entry that the computer can't read at all, between two good ones."""
    phone.goto(address)
    offline(phone)
    type_in(phone, 5)
    line(phone).to_contain_text("1 reading waits")
    broken = "{ id: Device.newKey(), round: 'x', deep: JSON.parse('['.repeat(1500) + ']'.repeat(1500)) }"
    phone.evaluate(f"Keeper.add({broken}, {{ unit: 'H9', measure: 'Odd', title: 'H9: Odd' }})")
    type_in(phone, 6)
    offline(phone, False)
    line(phone).to_have_text("All sent.")
    assert list(values(live, 2, 9).values()) == ["5", "6"]
    phone.goto("/waiting")
    expect(phone.locator(".waiting-list li")).to_have_count(1)
    assert re.search("H9: Odd", phone.locator(".waiting-list").inner_text())


@pytest.mark.parametrize(
    ("base", "shown"),
    swept(
        [
            ("Rain", "Rain\nslugs in H3"),
            ("", "slugs in H3"),
            ("slugs in H3", "slugs in H3"),
            ("Rain, slugs in H3", "Rain, slugs in H3"),
        ],
        4,
    ),
    ids=["somebody else’s meanwhile", "not sent", "sent", "sent and added to"],
)
def test_a_note_of_a_round_is_never_dropped_for_another(phone, address, base, shown):
    """Finish was pressed without signal, and somebody else wrote a note before this phone could send its own."""
    phone.goto(address)
    offline(phone)
    phone.locator("#round-note").fill("slugs in H3")
    phone.get_by_role("button", name="Finish round as it is").click()
    assert phone.evaluate("(base) => noteWith(base, `note:${Keeper.here}`)", base) == shown
