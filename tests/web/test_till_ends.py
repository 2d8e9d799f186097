"""The ends of a round, and what outlives it: the last unit, a finish without signal, days, restored data, the table."""

import pytest
from playwright.sync_api import expect
from sqlalchemy import text as sql
from sqlmodel import Session

from eproba.store.garden import garden_facts, renew_store
from tests.conftest import Client, demo_garden
from tests.web.entries import answers, op, till
from tests.web.steps import text
from tests.web.test_browser import round_address, type_in, values
from tests.web.test_till import line, offline, waiting

pytestmark = demo_garden
AHEAD = "const real = Date.now; Date.now = () => real() + {};"


@pytest.fixture
def address(phone):
    return round_address(phone, 2, 9)


@pytest.mark.long
def test_after_the_last_unit_there_is_a_way_back(phone, address, live):
    client = Client(live.app)
    told = till(client, address)
    ops = [
        op(told, 100 * n + r, unit["code"], "5", asked["key"], replicate=r, sure=True)
        for n, (unit, asked) in enumerate((u, a) for u in told["units"] for a in told["asked"])
        for r in range(1, asked["perUnit"] + 1)
    ]
    answers(client, *ops[:-1])
    phone.goto(address)
    type_in(phone, 4)
    expect(phone.locator(".till-count")).to_have_text("30 of 30")
    back, undo = phone.get_by_role("button", name="Previous reading"), phone.get_by_role("button", name="Undo")
    expect(back).to_be_enabled()
    expect(phone.get_by_role("button", name="Next reading")).to_be_disabled()
    undo.click()
    expect(phone.locator(".till-count")).to_have_text("29 of 30")
    expect(phone.locator("#typed")).to_have_value("")


@pytest.mark.long
def test_a_round_is_noted_and_finished_without_signal(phone, address, live):
    phone.goto(address)
    offline(phone)
    type_in(phone, 5.1)
    note = phone.locator("#round-note")
    note.fill("slugs " * 300)
    expect(phone.locator("#note-left")).to_have_text("200 characters left")
    note.press("Tab")
    line(phone).to_contain_text("1 reading and what you said of the round wait safely on this device")
    phone.get_by_role("button", name="Finish round as it is").click()
    expect(phone.locator(".till-end [role=alert]")).to_contain_text("Finished on this device. The computer hears of it")
    phone.close()
    again = phone.context.new_page()
    offline(again, False) if again.url != "about:blank" else again.context.set_offline(False)
    again.goto("/trials/1")
    again.wait_for_function("async () => (await Keeper.all()).length === 0")
    waiting(again).to_be_hidden()
    client = Client(live.app)
    assert list(values(live, 2, 9).values()) == ["5.1"]
    assert "Open it again" in text(client, address)
    assert "slugs slugs slugs" in text(client, address)
    again.close()


@pytest.mark.long
@pytest.mark.parametrize(("jump", "said"), [(-7_200_000, True), (7_200_000, True), (20_000, False)])
def test_a_clock_that_jumps_while_offline_is_seen_and_put_right(phone, address, live, jump, said):
    """Set between two entries: the first was typed by the old clock, the second by the new one."""
    phone.goto(address)
    offline(phone)
    type_in(phone, 5)
    line(phone).to_contain_text("1 reading waits")
    phone.evaluate(AHEAD.format(jump))
    type_in(phone, 6)
    line(phone).to_contain_text("2 readings wait")
    told = "This device’s clock was set meanwhile"
    line(phone).to_contain_text(told) if said else line(phone).not_to_contain_text(told)
    offline(phone, False)
    line(phone).to_have_text("All sent.")
    rows = [row.split(",") for row in text(Client(live.app), "/trials/2/readings.csv").splitlines()]
    read_at = {row[12][:16] for row in rows if row[0] == "9"}
    assert read_at <= {"2026-05-20T09:59", "2026-05-20T10:00"}, "the computer’s clock stands at ten"


def test_after_a_backup_was_restored_the_phone_offers_what_is_missing(phone, address, live, app):
    phone.goto(address)
    type_in(phone, 5)
    type_in(phone, 6)
    line(phone).to_have_text("All sent.")
    with app.extensions["engine"].begin() as connection:
        connection.execute(sql("DELETE FROM reading WHERE round_id = 9 AND value = 6"))
        connection.execute(sql("UPDATE garden SET store = gen_random_uuid()"))
    phone.goto("/trials/1")
    waiting(phone).to_contain_text(
        "The computer’s data are of a backup: 2 readings of this device may be missing there"
    )
    phone.locator("#waiting-line a").click()
    with phone.expect_response("**/entries"):
        phone.get_by_role("button", name="Send them again").click()
    expect(phone.get_by_text("Nothing waits here")).to_be_visible()
    assert sorted(values(live, 2, 9).values()) == ["5", "6"]
    with app.extensions["engine"].begin() as connection:
        connection.execute(sql("UPDATE garden SET store = gen_random_uuid()"))
    phone.goto("/waiting")
    phone.get_by_role("button", name="Leave it so").click()
    expect(phone.get_by_text("Nothing waits here")).to_be_visible()


@pytest.mark.long
def test_a_store_that_was_emptied_between_two_pages_is_told(phone, address, live):
    phone.goto(address)
    offline(phone)
    type_in(phone, 5)
    line(phone).to_contain_text("1 reading waits safely")
    phone.route("**/entries", lambda route: route.fulfill(status=503, json={}))
    phone.context.set_offline(False)
    phone.goto("/static/till.js")  # no page of ours
    phone.evaluate("new Promise((done) => { indexedDB.deleteDatabase('eproba').onsuccess = done; })")
    phone.goto("/trials/1")
    waiting(phone).to_contain_text(
        "This device’s store was emptied: 1 entry that waited there is gone. Type them again."
    )
    phone.locator("#waiting-line a").click()
    expect(phone.get_by_role("button", name="I have read that")).to_be_visible()
    expect(phone.get_by_role("button", name="Send again")).to_be_hidden()
    phone.get_by_role("button", name="I have read that").click()
    waiting(phone).to_be_hidden()


def test_an_entry_refused_since_the_envelope_is_open_goes_with_a_reason(phone, live):
    client = Client(live.app)
    told = till(client, "/trials/1/rounds/1")
    unit, measure = told["units"][0]["code"], told["asked"][0]["key"]
    seen = next(iter(told["saved"].values()))["version"]
    entry = {**op(told, 1, unit, "5", measure, seen=seen, sure=True), "id": "late-entry-1"}
    phone.goto("/trials/1")
    phone.evaluate("(op) => Keeper.add(op, { trial: 'T', unit: op.unit, measure: 'M', title: 'M' })", entry)
    phone.evaluate("Keeper.send()")
    phone.goto("/waiting")
    expect(phone.locator("main")).to_contain_text("The envelope is open: it needs a reason")
    phone.get_by_label("Why it comes now").fill("The phone lay in the shed")
    phone.get_by_role("button", name="Send it with this reason").click()
    expect(phone.get_by_text("Nothing waits here")).to_be_visible()
    assert "The phone lay in the shed" in text(client, "/trials/1/readings")


@pytest.mark.long
def test_the_table_asks_its_day_tells_what_did_not_fit_and_takes_nothing_back_by_itself(page, address, live):
    client = Client(live.app)
    told = till(client, address)
    answers(client, op(told, 1, "H1", "5.5"))
    page.goto(f"{address}/grid")
    expect(page.get_by_label("Read on")).to_have_value("2026-05-20")
    page.get_by_label("Read on").fill("2026-05-19")
    last = page.locator(".typing-grid tbody tr").nth(-2).locator("input").first
    paste = """(cell) => { const data = new DataTransfer(); data.setData("text", "6.1\\n6.2\\n6.3\\n6.4");
        cell.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true })); }"""
    last.evaluate(paste)
    expect(page.locator(".typing-line")).to_contain_text("2 pasted values have no cell and were not taken: 6.3, 6.4.")
    expect(page.locator(".typing-line")).to_contain_text("All sent.")
    first = page.locator("[data-place='H1:moisture_meter:1']")
    first.fill("")
    first.press("Tab")
    item = page.locator(".grid-open li")
    expect(item).to_contain_text("H1, Moisture meter: 5.5 stays on record, though its cell is empty.")
    item.get_by_role("button", name="Leave it").click()
    expect(first).to_have_value("5.5")
    first.fill("")
    first.press("Tab")
    item.get_by_role("textbox").fill("typed into the wrong row")
    item.get_by_role("button", name="Take it out").click()
    expect(item).to_have_count(0)
    expect(page.locator(".typing-line")).to_contain_text("All sent.")
    rows = [row.split(",") for row in text(client, "/trials/2/readings.csv").splitlines()]
    assert sorted((row[8], row[12][:10]) for row in rows if row[0] == "9") == [
        ("6.1", "2026-05-19"),
        ("6.2", "2026-05-19"),
    ]
    page.context.set_offline(True)
    first.fill("7 points")
    first.press("Tab")
    expect(first).to_have_class("is-waiting")
    page.route("**/entries", lambda route: route.fulfill(status=503, json={}))
    page.context.set_offline(False)
    page.reload()
    expect(first).to_have_value("7 points")
    expect(first).to_have_class("is-waiting")
    page.unroute("**/entries")
    expect(first).to_have_class("is-saved")


def test_restoring_gives_the_data_another_name(app):
    with Session(app.extensions["engine"]) as session:
        before = garden_facts(session).store
        renew_store(session)
        assert garden_facts(session).store != before
