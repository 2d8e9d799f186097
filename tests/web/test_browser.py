"""Real flows in a real browser: the round on a phone, planning by keyboard, every page for every eye."""

import json
import re
from io import BytesIO
from unittest import mock

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect

from eproba.exchange.photo_out import measured
from eproba.standins.pictures import jpeg, scene, with_tag
from tests.conftest import Client, crowded_garden, demo_garden
from tests.web.eyes import violations
from tests.web.steps import fill, planned

LINES = """window.lines = [];
new MutationObserver(() => lines.push(document.querySelector(".till-line")?.textContent)).observe(document,
  { subtree: true, childList: true, characterData: true });"""
FIRST = "Day of the first seedling"
CROWDED = {"/", "/calendar", "/shelf", "/trials/6", "/trials/6/tags", "/trials/7/pours", "/trials/16/verdict"}


def round_address(page, trial, day):
    """The round of a day; the page's own session finds it."""
    page.goto(f"/trials/{trial}/readings")
    name = "Baseline" if day == 0 else f"Day {day}"
    page.get_by_role("link", name=name, exact=True).click()
    page.wait_for_url("**round=*")
    return f"/trials/{trial}/rounds/{page.url.split('round=')[1]}"


def type_in(page, text):
    page.locator("#typed").fill(str(text))
    page.keyboard.press("Enter")


def values(live, trial, day):
    """What the server has for a day: {(unit, measure, reading): value}."""
    rows = (
        live.app.test_client().get(f"/trials/{trial}/readings.csv", base_url="http://localhost").get_data(as_text=True)
    )
    cells = [line.split(",") for line in rows.splitlines()[1:]]
    return {(c[2], c[6], c[7]): c[8] or c[10] for c in cells if c[0] == str(day)}


@pytest.mark.long
@crowded_garden
@pytest.mark.parametrize("part", [0, 1])
def test_a_crowded_year_fits_every_width_and_eye(page, part):
    """Six treatments, forty units, names without a gap: on a phone, a tablet, a laptop, and at 200 % zoom (640 px)."""
    page.goto("/trials")
    links = page.locator("main a").evaluate_all("all => all.map(each => each.getAttribute('href'))")
    trials = sorted({each for each in links if re.fullmatch(r"/trials/\d+", each)})
    assert len(trials) == 22
    under = ("/readings", "/pours", "/mix", "/verdict", "/tags", "/sheet", "/amend")
    # Of trials that look alike one is enough: what is in work, a ladder, two things at once, by turns.
    places = [f"/trials/{trial}" for trial in (6, 7, 8, 16, 21, 22)]
    places += [f"/trials/{trial}{each}" for trial in (6, 7, 8) for each in under]
    page.goto("/together")
    places += [page.locator("main li a").first.get_attribute("href"), "/trials/16/next", "/trials/16/report"]
    places += ["/trials/21/verdict", "/trials/21/report", "/trials/22/verdict"]
    places += ["/trials/16/verdict", "/", "/trials", "/calendar", "/shelf", "/measures", "/mix", "/weather"]
    for place in places[part::2]:
        page.set_viewport_size({"width": 1280, "height": 800})
        page.goto(place)
        for width in (1280, 768, 640, 390):
            page.set_viewport_size({"width": width, "height": 800})
            assert page.evaluate("document.documentElement.scrollWidth") <= width, f"{place} at {width}"
        if place in CROWDED:
            assert violations(page) == [], place


def printed(page, place):
    """How many sheets of A4 a page takes."""
    page.goto(place)
    return len(re.findall(rb"/Type\s*/Page\b", page.pdf(format="A4")))


@pytest.mark.long
@crowded_garden
def test_on_paper_and_who_is_ahead_of_whom(page):
    """A verdict of five treatments on four sheets; a tall panel breaks rather than leaving a sheet empty."""
    page.goto("/trials")
    page.get_by_role("link", name="Read the verdict of Five potting mixes").click()
    ranking = page.locator(".places li")
    expect(ranking).to_have_count(5)
    expect(ranking.last).to_contain_text("Leaf mould of two winters Shown behind all others.")
    expect(ranking.first).to_contain_text("Ahead of")
    assert printed(page, page.url) <= 4
    assert printed(page, "/calendar") <= 3
    assert printed(page, "/trials/6") <= 3
    assert printed(page, "/trials/3/verdict") <= 2, "two treatments, with all that is folded on the screen"


@pytest.mark.long
@demo_garden
def test_a_round_needs_only_the_numbers_and_enter(phone, live):
    """10 units × (2 moisture readings + worms): thirty numbers, thirty Enters, in walking order."""
    phone.goto(round_address(phone, 2, 9))
    expect(phone.locator("#typed")).to_be_focused()
    order = []
    for n in range(30):
        order.append(phone.locator(".till-code").inner_text())
        phone.keyboard.type("4,5" if n % 3 < 2 else str(n % 7))
        phone.keyboard.press("Enter")
    expect(phone.locator(".till-count")).to_have_text("30 of 30")
    expect(phone.locator(".till-end h2")).to_have_text("All in. Finish the round.")
    expect(phone.locator(".till-line")).to_have_text("All sent.")
    assert list(dict.fromkeys(order)) == [f"H{n}" for n in range(1, 11)]
    stored = values(live, 2, 9)
    assert len(stored) == 30
    assert stored["H1", "Moisture meter", "2"] == "4.5"
    phone.get_by_role("button", name="Finish round").click()
    expect(phone.get_by_text("Round of day 9 is in.", exact=True)).to_be_visible()


@pytest.mark.long
def test_a_round_of_every_kind_of_answer_with_the_signal_lost_in_the_middle(phone, live):
    """Twelve units: height, smell by buttons, the first seedling, water by weighing, a picture; out and back."""
    client = Client(live.app)
    draft = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
    planned(client, draft)
    fill(client, draft, "measure", also=["soil_smell", "first_seedling", "water_weighed", "cover", "greenness"])
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    phone.goto(f"{trial}/readings")
    phone.goto(phone.get_by_role("link", name="Type this round").get_attribute("href"))
    key, leaves = json.loads(client.get(f"{trial}/export.json").text)["trial"]["key"], scene(0.3, (800, 600))[0]

    def unit(number):
        expect(phone.locator(".till-code")).to_have_text(f"P{number}")
        type_in(phone, 10 + number)
        phone.get_by_role("button", name="3 faintly of woods").tap()
        phone.get_by_role("button", name="It has happened" if number % 2 else "Not yet").tap()
        for name, grams in (("wet_g", "182.4"), ("dry_g", f"{150 + number}"), ("tin_g", "31,2")):
            phone.locator(f"#in-{name}").fill(grams)
        phone.locator(".till-inputs").get_by_role("button", name="Next").tap()
        shoot(number)

    def shoot(number):
        shown = with_tag(leaves, f"{live.url}/t/{key}/P{number}", at=(60, 60), wide=300)
        file = {"name": "IMG.jpg", "mimeType": "image/jpeg", "buffer": jpeg(shown)}
        phone.locator(".till-shot input").set_input_files(file)

    unit(1)
    expect(phone.locator(".till-line")).to_contain_text(re.compile(r"All sent. P1, cover (29|3\d)"))
    expect(phone.locator(".till-count")).to_have_text("5 of 60")
    phone.get_by_role("button", name="Previous reading").tap()
    other = {"name": "IMG.jpg", "mimeType": "image/jpeg", "buffer": b"no picture"}
    phone.locator(".till-shot input").set_input_files(other)
    expect(phone.locator(".till-conflict")).to_contain_text("This is no picture that can be read")
    expect(phone.locator(".till-count")).to_have_text("4 of 60")
    phone.get_by_role("button", name="Throw mine away").tap()
    phone.get_by_role("button", name="Previous reading").tap()
    shoot(1)
    expect(phone.locator(".till-line")).to_contain_text("All sent. P1, cover")
    expect(phone.locator(".till-count")).to_have_text("5 of 60")
    phone.context.set_offline(True)
    for number in range(2, 7):
        unit(number)
    expect(phone.locator(".till-line")).to_contain_text("25 readings wait safely on this device")
    phone.context.set_offline(False)
    phone.evaluate("window.dispatchEvent(new Event('online'))")
    expect(phone.locator(".till-line")).to_contain_text("All sent.")
    for number in range(7, 13):
        unit(number)
    expect(phone.locator(".till-count")).to_have_text("60 of 60")
    expect(phone.locator(".till-line")).to_contain_text("All sent.")
    assert "12 pictures" in client.get(f"{trial}/photos").text
    stored = values(live, trial.rsplit("/", 1)[1], 0)
    assert stored["P3", "Soil smell", "1"] == "3"
    assert (stored["P3", FIRST, "1"], stored["P4", FIRST, "1"]) == ("1", "0")
    assert float(stored["P2", "Water by weighing", "1"]) == pytest.approx((182.4 - 152) / (152 - 31.2), rel=1e-4)
    phone.goto(f"{trial}/readings")
    phone.get_by_role("link", name="Day 7", exact=True).click()
    phone.goto(phone.get_by_role("link", name="Type this round").get_attribute("href"))
    expect(phone.locator(".till-count")).to_contain_text("of 54")  # half have their seedling: that is not asked again
    phone.locator("#typed").fill("12")
    phone.keyboard.press("Enter")
    phone.get_by_role("button", name="How").tap()
    expect(phone.locator(".till-how")).to_contain_text("Not within 48 hours of a pour.")
    phone.locator(".till-map summary").tap()
    expect(phone.locator(".till-map .here")).to_have_attribute("data-code", "P1")
    phone.get_by_label("One after the other").select_option("measure")
    expect(phone.locator(".till-measure")).to_contain_text("Plant height")
    expect(phone.locator(".till-code")).to_have_text("P2")
    assert phone.evaluate("document.documentElement.scrollWidth") <= 390


@demo_garden
def test_a_printed_tag_is_read_back_from_a_picture(page):
    """As the page draws it, laid on soil: unit, scale and light are found in it."""
    page.goto("/trials/2/tags")
    shot = page.locator(".tag-card").nth(3).screenshot()
    card = np.asarray(Image.open(BytesIO(shot)).convert("RGB"))
    lying = np.full((700, 900, 3), (96, 74, 55), np.uint8)
    lying[100 : 100 + card.shape[0], 150 : 150 + card.shape[1]] = card
    file = BytesIO()
    Image.fromarray(lying).save(file, "PNG")
    found = measured("tag.png", file.getvalue())
    assert (found.unit, found.problem) == ("H4", None)
    assert found.cm_per_px == pytest.approx(8 / card.shape[1], rel=0.02)
    assert found.cover < 0.5


@demo_garden
def test_nothing_typed_is_lost_without_signal_server_or_page(phone, live, server, database):
    address = round_address(phone, 2, 9)
    phone.goto(address)
    assert phone.evaluate("navigator.serviceWorker === undefined || !isSecureContext"), "plain http, not localhost"
    made_before = phone.evaluate("fetch(location.href).then((answer) => answer.text())")
    type_in(phone, 5.1)
    expect(phone.locator(".till-line")).to_have_text("All sent.")
    with mock.patch.dict(live.app.view_functions, {"rounds.show": lambda **_: made_before}):
        phone.goto(address)
        expect(phone.locator(".till-count")).to_have_text("1 of 30")
    phone.context.set_offline(True)
    type_in(phone, 5.2)
    expect(phone.locator(".till-line")).to_contain_text("1 reading waits safely on this device")
    phone.context.set_offline(False)
    phone.evaluate("window.dispatchEvent(new Event('online'))")
    expect(phone.locator(".till-line")).to_have_text("All sent.")
    live.stop()
    type_in(phone, 3)
    type_in(phone, 6.1)
    expect(phone.locator(".till-line")).to_contain_text("2 readings wait safely")
    live.start()
    server.shut(database)
    phone.route("**/entries", lambda route: route.abort())
    phone.goto(address, wait_until="commit")
    expect(phone.get_by_text("The data store is not answering")).to_be_visible()
    server.open(database)
    phone.add_init_script(LINES)
    phone.goto(address)
    expect(phone.locator(".till-count")).to_have_text("4 of 30")
    expect(phone.locator(".till-line")).to_contain_text("2 readings wait safely")
    assert "All sent." not in phone.evaluate("lines"), "not even for a moment"
    phone.unroute("**/entries")
    expect(phone.locator(".till-line")).to_have_text("All sent.")
    expect(phone.locator(".till-code")).to_have_text("H2")
    stored = values(live, 2, 9)
    assert sorted(stored.values()) == ["3", "5.1", "5.2", "6.1"], "each once"


@pytest.mark.long
@demo_garden
def test_the_second_of_two_people_sees_both(phone, page, live):
    address = round_address(phone, 2, 9)
    page.goto("/who")
    page.get_by_label("Your name").fill("Ben")
    page.get_by_role("button", name="Save").click()
    phone.goto(address)
    page.goto(address)
    type_in(page, 7)
    expect(page.locator(".till-line")).to_have_text("All sent.")
    type_in(phone, 5)
    expect(phone.locator(".till-conflict")).to_contain_text("H1: Moisture meter")
    expect(phone.get_by_role("button", name="Ben: 7")).to_be_visible()
    phone.get_by_role("button", name="Mine: 5").click()
    expect(phone.locator(".till-line")).to_have_text("All sent.")
    assert values(live, 2, 9)["H1", "Moisture meter", "1"] == "5"


def press(page, *keys):
    for key in keys:
        page.keyboard.press(key)


def tab_to(page, name):
    """Walk with Tab until the named control has the focus."""
    for _ in range(120):
        page.keyboard.press("Tab")
        label = page.evaluate(
            "(document.activeElement.labels?.[0]?.innerText || document.activeElement.innerText || '').trim()"
        )
        if label.startswith(name):
            return
    pytest.fail(f"“{name}” can't be reached by Tab")


def draw_by_keyboard(page):
    """A bed, turned, moved and made longer, then cut into six pairs."""
    tab_to(page, "Add bed")
    press(page, "Enter")
    for _ in range(30):
        press(page, "Tab")
        if page.evaluate("document.activeElement.classList.contains('place-group')"):
            break
    press(page, "t", "ArrowRight", "ArrowDown", *["Shift+ArrowDown"] * 13)
    drawn = json.loads(page.locator("#places-data").input_value())["places"]
    assert [drawn[0][key] for key in ("x_cm", "y_cm", "width_cm", "length_cm")] == [10, 10, 100, 330]
    expect(page.locator("#ground-says")).to_contain_text("100 cm by 330 cm, 10 cm from left")
    expect(page.locator(".proposal").first).to_contain_text("6 pairs")


CONTROLS = {
    "A mulch": ["untreated ground", "the known good thing"],
    "Growing media, bags or heaps": ["the known good thing"],
    "Something dry": ["untreated ground", "plain water", "the known good thing", "the ingredient alone"],
    "How it is done": ["the known good thing", "untreated ground"],
    "A drench or a spray": [
        "plain water", "untreated ground", "the ingredient alone", "the same brew, boiled", "the known good thing",
    ],
}  # fmt: skip


@pytest.mark.long
def test_choosing_a_kind_and_pausing_plans_that_kind(page, live):
    """Nobody presses a button: what is kept on the way is applied, and the page shows it, whoever types meanwhile."""
    client = Client(live.app)
    draft = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
    page.goto(f"{draft}/claim")
    for kind, controls in CONTROLS.items():
        page.get_by_role("radio", name=kind).check()
        expect(page.locator("label:has(input[name=against])")).to_have_text(controls)
    page.get_by_role("radio", name="A mulch").check()
    with page.expect_response("**/claim/typed"):
        page.get_by_label("What is tried").press_sequentially("Wool", delay=30)
    expect(page.locator(".board-sentence")).to_have_text(
        "By day 28, wool kept the soil 0.9 points moister than bare soil."
    )
    expect(page.get_by_label("What is tried")).to_be_focused()
    page.goto(f"{draft}/treatments")
    expect(page.get_by_label("Name").nth(1)).to_have_value("Bare soil")
    page.get_by_label("Name").first.fill("")
    page.get_by_label("Name").first.press_sequentially("Wool-fibre mulch")
    expect(page.get_by_label("How much").first).to_have_value("recipe")
    page.keyboard.type(", felted")
    expect(page.get_by_label("Name").first).to_have_value("Wool-fibre mulch, felted")
    with page.expect_response("**/treatments/typed"):
        page.get_by_label("How much").first.select_option("m2")
    expect(page.get_by_label("How much").first).to_have_value("m2")
    page.goto(f"{draft}/measure")
    page.get_by_label("Something else").select_option(label=FIRST)
    expect(page.get_by_label("Smallest difference worth having")).to_have_value("1.5")
    expect(page.locator(".with-suffix", has=page.locator("#worth"))).to_contain_text("days")


@pytest.mark.long
def test_a_trial_from_claim_to_verdict_by_keyboard_alone(page, live, clock):
    """The whole path: plan, draw the ground, deal, baseline, pour, last round, verdict."""
    page.goto("/")
    press(page, "n")
    page.wait_for_url("**/sheet")
    tab_to(page, "Own words and promises")
    press(page, "Enter")
    expect(page.get_by_label("A short name")).to_be_visible()
    tab_to(page, "On a page of its own")
    press(page, "Enter")
    page.wait_for_url("**/claim")
    tab_to(page, "What is tried")
    page.keyboard.type("Comfrey steep")
    tab_to(page, "A short name")
    page.keyboard.type("Comfrey on chard")
    press(page, "Enter")
    page.wait_for_url("**/measure")
    for name, value in (("Day 0", "2026-05-20"), ("Decision day", "14")):
        tab_to(page, name)
        press(page, "Control+a")
        page.keyboard.type(value)
    press(page, "Enter")
    page.wait_for_url("**/treatments")
    expect(page.get_by_label("Name").first).to_have_value("Comfrey steep")
    tab_to(page, "Next")
    press(page, "Enter")
    page.wait_for_url("**/ground")
    draw_by_keyboard(page)
    tab_to(page, "Next")
    press(page, "Enter")
    page.wait_for_url("**/chance")
    tab_to(page, "Next")
    press(page, "Enter")
    page.wait_for_url("**/days")
    tab_to(page, "Rounds on days")
    page.keyboard.type("0 14")
    press(page, "Enter")
    page.wait_for_url("**/rules")
    tab_to(page, "Next")
    press(page, "Enter")
    page.wait_for_url("**/deal")
    tab_to(page, "Deal the lots")
    press(page, "Enter")
    page.wait_for_url("**/trials/1?dealt=1")
    tab_to(page, "Start round")
    press(page, "Enter")
    page.wait_for_url("**/rounds/*")
    expect(page.locator("#typed")).to_be_focused()
    for n in range(12):
        page.keyboard.type(str(10 + n % 4))
        press(page, "Enter")
    tab_to(page, "Finish round")
    press(page, "Enter")
    page.wait_for_url("**/trials/1")
    tab_to(page, "Log pour")
    press(page, "Enter")
    page.wait_for_url("**/pours/0")
    tab_to(page, "Save pour")
    press(page, "Enter")
    page.wait_for_url("**/trials/1")
    clock.forward(days=14)
    page.goto("/trials/1/verdict")
    expect(page.get_by_text("The envelope opens when the last round is in.")).to_be_visible()
    letters = page.request.get("/trials/1").text()
    dealt = dict(re.findall(r"<title>(H\d+): (\w)", letters))
    press(page, "d")
    page.wait_for_url("**/rounds/*")
    expect(page.locator("#typed")).to_be_focused()
    for n in range(12):
        unit = page.locator(".till-code").inner_text()
        page.keyboard.type(str(30 + n % 4 + 0.5 * (7 * n % 5) + (12 if dealt[unit] == "A" else 0)))
        press(page, "Enter")
    tab_to(page, "Finish round")
    press(page, "Enter")
    page.wait_for_url("**/trials/1")
    press(page, "d")
    page.wait_for_url("**/verdict")
    expect(page.get_by_role("heading", level=1)).to_have_text("Better; whether by enough is open")
    expect(page.locator(".course svg").first).to_be_visible()
    press(page, "?")
    expect(page.get_by_role("dialog")).to_be_visible()


@demo_garden
def test_first_load_is_light_and_cached(chromium, live):
    """On a device that has nothing of ours yet."""
    sizes = []
    page = chromium.new_page(base_url=live.url)
    page.on("response", lambda r: sizes.append(r.request.sizes()["responseBodySize"]))
    page.goto("/trials/1/verdict", wait_until="networkidle")
    assert sum(sizes) > 100_000
    assert sum(sizes) < 400_000
    styles = page.request.get(re.search(r"/static/styles.css\?v=\w+", page.content()).group())
    assert "immutable" in styles.headers["cache-control"]
    page.close()


@demo_garden
def test_paper_is_black_on_white(page):
    page.goto("/trials/2/tags")
    page.emulate_media(media="print")
    assert page.locator("header.bench-top").is_hidden()
    assert page.locator(".tags-sheet").is_visible()
    assert page.evaluate("getComputedStyle(document.body).backgroundColor") == "rgb(255, 255, 255)"
    page.goto("/trials/1/verdict")
    for part in (".board", ".board h1", ".board-step"):
        assert page.evaluate(f"getComputedStyle(document.querySelector('{part}')).color") == "rgb(0, 0, 0)"
    page.set_viewport_size({"width": 700, "height": 900})
    assert page.evaluate("document.querySelector('.course svg').getBoundingClientRect().right") <= 700


def steps_to_ground(page, name):
    page.goto("/")
    if page.viewport_size["width"] < 500:
        page.locator(".place-more summary").click()
    page.get_by_role("button", name="New trial").click()
    page.locator("summary", has_text="Own words and promises").click()
    page.get_by_role("link", name="On a page of its own").click()
    page.wait_for_url("**/claim")
    page.get_by_label("What is tried").fill(name)
    page.get_by_label("A short name").fill(f"{name} tried")
    for step in ("measure", "treatments", "ground"):
        page.get_by_role("button", name="Next").click()
        page.wait_for_url(f"**/{step}")


@pytest.mark.long
def test_two_beds_become_pairs_are_declared_and_read(page, clock):
    """By mouse: two beds drawn, pairs taken, the chance moved, the plan declared, the first round begun."""
    steps_to_ground(page, "Diluted whey")
    page.get_by_role("button", name="Add bed").click()
    page.get_by_role("button", name="Add bed").click()
    corner = page.locator(".size-handle").bounding_box()
    page.mouse.move(corner["x"] + corner["width"] / 2, corner["y"] + corner["height"] / 2)
    page.mouse.down()
    page.mouse.move(corner["x"] + corner["width"] / 2 + 60, corner["y"] + corner["height"] / 2, steps=5)
    page.mouse.up()
    drawn = json.loads(page.locator("#places-data").input_value())["places"]
    assert [place["name"] for place in drawn] == ["Bed 1", "Bed 2"]
    assert drawn[1]["width_cm"] > drawn[0]["width_cm"], "pulled wider by the corner"
    page.get_by_label("Units of each wanted").fill("4")
    expect(page.locator(".proposal").first).to_contain_text("4 pairs")
    expect(page.locator(".proposal").first).to_contain_text("one whole bed each in none")
    page.get_by_role("button", name="Next").click()
    page.wait_for_url("**/chance")
    before = page.locator(".chance-rest strong").first.inner_text()
    page.locator(".chance-cell").nth(37).click()
    expect(page.locator(".chance-rest strong").first).not_to_have_text(before)
    page.get_by_role("button", name="Next").click()
    page.wait_for_url("**/ground")
    expect(page.get_by_text("Taken into the plan.")).to_be_visible()
    for step in ("chance", "days", "rules", "deal"):
        page.get_by_role("button", name="Next").click()
        page.wait_for_url(f"**/{step}")
    page.get_by_role("button", name="Deal the lots").last.click()
    page.wait_for_url("**/trials/1?dealt=1")
    page.get_by_role("button", name="Declare").click()
    expect(page.get_by_text("Declared. From now on a change needs a reason")).to_be_visible()
    clock.forward(days=1)
    page.goto("/")
    page.get_by_role("link", name="Start round").click()
    page.wait_for_url("**/rounds/*")
    expect(page.locator(".till-code")).to_have_text("H1")


@pytest.mark.long
def test_a_tray_with_a_gradient_becomes_blocks_by_touch(phone):
    """A 6 × 8 tray on a sill, shaded to one side, on the phone."""
    steps_to_ground(phone, "Alfalfa steep")
    phone.get_by_role("button", name="Add tray").tap()
    name, tray = (phone.locator(f".place-group {each}").bounding_box() for each in (".place-label", ".place"))
    assert name["width"] <= tray["width"] + 1, "the name of a small thing is not drawn huge"
    phone.get_by_label("What changes over it").select_option("shade")
    phone.get_by_label("It grows to the").select_option("90")
    phone.get_by_label("Units of each wanted").fill("24")
    first = phone.locator(".proposal").first
    expect(first).to_contain_text("24 pairs, across the gradient")
    expect(first).to_contain_text("anywhere on this gradient in")
    spot = phone.locator(".place-group .place").bounding_box()
    phone.touchscreen.tap(spot["x"] + 5, spot["y"] + 5)
    expect(phone.locator(".place-group.chosen")).to_have_count(1)
    expect(phone.get_by_role("textbox", name="Across")).to_have_value("8")
    phone.get_by_role("button", name="Next").tap()
    phone.wait_for_url("**/chance")
    assert phone.evaluate("document.documentElement.scrollWidth") <= 390


@pytest.mark.long
def test_a_brew_from_water_to_verdict(page, live, clock):
    """A batch from standing water to ready to poured late; its verdict says so. A foul one is refused on the way."""
    steps_to_ground(page, "Sugar ferment")
    page.goto(page.url.replace("/ground", "/treatments"))
    page.get_by_label("Recipe").first.select_option("sugar-ferment")
    for step in ("ground", "chance", "days"):
        page.get_by_role("button", name="Next").click()
        page.wait_for_url(f"**/{step}")
    page.get_by_label("Rounds on days").fill("0 14 28")
    for step in ("rules", "deal"):
        page.get_by_role("button", name="Next").click()
        page.wait_for_url(f"**/{step}")
    page.get_by_role("button", name="Deal the lots").last.click()
    page.wait_for_url("**/trials/1?dealt=1")
    page.goto("/shelf")
    expect(page.get_by_text("at once").first).to_be_visible()
    page.get_by_role("link", name="Start Unrefined-sugar ferment").first.click()
    page.get_by_label("Where it stands").fill("shed")
    page.get_by_label("Recipe").select_option("comfrey-steep")
    expect(page.get_by_label("Comfrey leaves, cut")).to_be_visible()
    page.get_by_label("Recipe").select_option("sugar-ferment")
    expect(page.get_by_label("Unrefined sugar (jaggery)")).to_be_visible()
    expect(page.get_by_label("Where it stands")).to_have_value("shed")
    page.get_by_label("its water is set out now").check()
    page.get_by_role("button", name="Put it on the shelf").click()
    expect(page.locator(".life .here")).to_have_text("standing")
    clock.forward(days=1, hours=1)
    page.reload()
    expect(page.locator(".life .here")).to_have_text("standing")
    page.get_by_role("button", name="It is mixed now").click()
    expect(page.locator(".life .here")).to_have_text("brewing")
    look(page, "foul")
    expect(page.locator(".ruling")).to_contain_text("a sign to throw it away")
    page.goto("/trials/1/pours/0")
    page.get_by_label("From which brew?").select_option("1")
    page.get_by_role("button", name="Save pour").click()
    expect(page.get_by_role("alert")).to_contain_text("Throw it away.")
    page.goto("/batches/1")
    page.locator(".put-right").first.click()
    page.get_by_label("Smell").select_option("none")
    page.get_by_role("button", name="So it was").click()
    expect(page.locator(".life .here")).to_have_text("brewing")
    clock.forward(days=5)
    page.goto("/batches/1")
    look(page, "sweet")
    expect(page.locator(".ruling")).to_contain_text("As it should be")
    page.get_by_role("button", name="Strained").click()
    page.goto("/trials/1/pours/0")
    expect(page.get_by_label("From which brew?")).to_have_value("1")
    page.get_by_role("button", name="Save pour").click()
    expect(page.get_by_text("The pours of day 0 are on record.")).to_be_visible()
    dealt = dict(re.findall(r"<title>(P\d+): (\w)", page.request.get("/trials/1").text()))
    rows = ["day;unit;measure;reading;value"]
    for n, (unit, letter) in enumerate(sorted(dealt.items())):
        gain = 20 if letter == "A" else 0
        rows += [f"{day};{unit};Plant height;1;{10 + day + 7 * n % 5 + gain * (day > 0)}" for day in (0, 14, 28)]
    clock.forward(days=23)
    page.goto("/trials/1/readings/import")
    file = {"name": "r.csv", "mimeType": "text/csv", "buffer": "\n".join(rows).encode()}
    page.locator("input[type=file]").set_input_files(file)
    page.get_by_role("button", name="Look at it first").click()
    page.get_by_role("button", name="Take them all").click()
    page.goto("/trials/1/verdict")
    expect(page.locator(".ledger").first).to_contain_text("pours came late, by up to 5 days (A and B on day 0)")


def look(page, smell):
    """Have a look at a batch: a light foam, and how it smells."""
    page.get_by_label("Smell").select_option(smell)
    page.get_by_label("Foam").select_option("light")
    page.get_by_role("button", name="Save what I saw").click()


@pytest.mark.long
def test_one_batch_serves_two_trials(page, live, clock):
    """Two trials of the same brew within the days that it keeps: one batch to start, on shelf, Today and calendar."""
    client = Client(live.app)
    for name, start in (("Terrace", "2026-05-30"), ("Back plot", "2026-06-02")):
        draft = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
        fill(client, draft, "claim", claim="It helps.", name=name)
        fill(client, draft, "measure", start_on=start)
        once = {"name": "Ferment", "recipe": "sugar-ferment", "often": "once"}
        fill(client, draft, "treatments", **{f"treatments-0-{key}": value for key, value in once.items()})
        assert client.post(f"{draft}/deal", {"go": "deal"}).status_code == 302
    page.goto("/shelf")
    expect(page.locator(".brew-plan tbody tr")).to_have_count(1)
    expect(page.locator(".brew-plan tbody tr")).to_contain_text(
        "2 pours: Terrace, Back plot one brew for as long as it keeps"
    )
    page.goto("/calendar")
    expect(page.locator(".week-task.brew").filter(has_text="Start unrefined-sugar ferment")).to_have_count(1)
    clock.forward(days=4)
    page.goto("/shelf")
    page.get_by_role("link", name="Start Unrefined-sugar ferment").click()
    page.get_by_role("button", name="Put it on the shelf").click()
    page.goto("/shelf")
    expect(page.locator(".shelf")).to_contain_text("for 2 pours: Terrace, Back plot")
    expect(page.get_by_text("No running trial waits for a brew.")).to_be_visible()


@pytest.mark.long
def test_what_a_step_has_sent_itself_is_not_another_window(page):
    """Next is pressed while the answer to what was just kept is still on its way."""
    late = "{ const got = await sent(...all); await new Promise((done) => setTimeout(done, 900)); return got; }"
    page.add_init_script(f"const sent = window.fetch; window.fetch = async (...all) => {late};")
    page.goto("/")
    page.get_by_role("button", name="New trial").click()
    page.locator("summary", has_text="Own words and promises").click()
    page.get_by_role("link", name="On a page of its own").click()
    page.wait_for_url("**/claim")
    page.get_by_label("What is tried").fill("Whey")
    with page.expect_response("**/claim/typed"):
        page.get_by_label("A short name").fill("Whey tried")
    page.get_by_label("A short name").fill("Whey tried out")
    page.get_by_role("button", name="Next").click()
    page.wait_for_url("**/measure")


def drawn(page):
    return json.loads(page.locator("#places-data").input_value())


@pytest.mark.long
def test_the_ground_is_sized_named_turned_and_taken_away(page):
    """The editor's own ways: feet, exact sizes, names, turning, the gradient's arrow, north, removing; all kept."""
    steps_to_ground(page, "Whey")
    page.get_by_role("button", name="Add row of pots").click()
    page.get_by_role("textbox", name="Across").fill("4")
    pots = drawn(page)["places"][0]
    assert (pots["columns"], pots["width_cm"]) == (4, 140), (
        "fewer pots in a row make the row shorter, not the pots larger"
    )
    page.get_by_role("button", name="Add lawn patch").click()
    page.get_by_label("Measured in").select_option("ft")
    page.get_by_label("Width").first.fill("10")
    page.get_by_label("Name").first.fill("Behind the shed")
    lawn = drawn(page)["places"][1]
    assert lawn["width_cm"] == pytest.approx(304.8)
    assert lawn["name"] == "Behind the shed"
    expect(page.locator("#ground")).to_contain_text("Behind the shed 10 ft × 6.56 ft")
    page.get_by_role("button", name="Turn").click()
    assert drawn(page)["places"][1]["length_cm"] == pytest.approx(304.8)
    page.get_by_label("What changes over it").select_option("slope")
    arrow = page.locator(".gradient-head").bounding_box()
    canvas = page.locator("#ground").bounding_box()
    page.mouse.move(arrow["x"] + arrow["width"] / 2, arrow["y"] + arrow["height"] / 2)
    page.mouse.down()
    page.mouse.move(canvas["x"] + canvas["width"] / 2, canvas["y"] + canvas["height"] - 5, steps=6)
    page.mouse.up()
    assert drawn(page)["gradient"] == {"kind": "slope", "towards": 180}
    expect(page.get_by_label("It grows to the")).to_have_value("180")
    page.get_by_label("North is").select_option("90")
    page.get_by_role("button", name="Back").click()
    page.wait_for_url("**/treatments")
    page.go_back()
    page.reload()
    kept = drawn(page)
    assert (kept["north"], kept["gradient"]["towards"], len(kept["places"])) == (90, 180, 2)
    expect(page.get_by_label("Measured in")).to_have_value("ft")
    page.locator(".place-group").first.focus()
    page.keyboard.press("Delete")
    expect(page.locator("#ground-says")).to_have_text(re.compile("removed, 1 left"))
    assert [place["name"] for place in drawn(page)["places"]] == ["Behind the shed"]


@pytest.mark.long
def test_places_over_each_other_are_told_at_once(page):
    steps_to_ground(page, "Whey")
    for _ in range(2):
        page.get_by_role("button", name="Add bed").click()
    page.get_by_role("textbox", name="From top").fill("20")
    expect(page.get_by_role("alert")).to_contain_text("Bed 1 and Bed 2 lie over each other: move one of them.")
    page.get_by_role("textbox", name="From top").fill("150")
    expect(page.locator(".proposal").first).to_contain_text("pairs")
    expect(page.get_by_role("alert")).to_have_count(0)


@pytest.mark.long
def test_a_round_at_the_table_by_keyboard_and_paste(page, live):
    client = Client(live.app)
    draft = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
    planned(client, draft)
    fill(client, draft, "measure", also=["leaf_count"])
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    page.goto(f"{trial}/readings")
    page.get_by_role("link", name="At the table").click()
    page.wait_for_url("**/grid")
    assert violations(page) == []
    page.get_by_label("P1, Plant height").focus()
    for text in ("10,5", "11", "12"):
        page.keyboard.type(text)
        page.keyboard.press("Enter")
    expect(page.get_by_label("P4, Plant height")).to_be_focused()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_label("P4, Leaf count")).to_be_focused()
    page.keyboard.press("ArrowUp")
    pasted = "7\t\n8\n900\ntall"
    page.evaluate(
        """text => { const data = new DataTransfer(); data.setData("text", text);
        document.activeElement.dispatchEvent(new ClipboardEvent("paste", {clipboardData: data, bubbles: true})) }""",
        pasted,
    )
    expect(page.locator(".grid-open li")).to_have_count(2)
    expect(page.locator(".grid-open")).to_contain_text("P5: Leaf count: 900. 900 is outside 0 to 60 leaves")
    expect(page.locator(".grid-open")).to_contain_text("“tall” is not a number")
    page.get_by_role("button", name="900 is right").click()
    expect(page.locator(".grid-open li")).to_have_count(1)
    page.get_by_role("button", name="Throw mine away").click()
    expect(page.locator(".grid-open li")).to_have_count(0)
    expect(page.locator(".typing-line")).to_have_text("All sent.")
    stored = values(live, trial.rsplit("/", 1)[1], 0)
    assert [stored[f"P{n}", "Plant height", "1"] for n in (1, 2, 3)] == ["10.5", "11", "12"]
    assert {unit: value for (unit, name, _), value in stored.items() if name == "Leaf count"} == {
        "P3": "7", "P4": "8", "P5": "900",
    }  # fmt: skip


def test_a_helper_reads_on_a_phone_without_knowing(phone, live):
    client = Client(live.app)
    draft = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
    planned(client, draft)
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    number = re.search(r"round=(\d+)", client.get(f"{trial}/readings").text)[1]
    page = client.post(f"{trial}/rounds/{number}/helper", {"name": "Nele"}, follow_redirects=True).text
    phone.goto(re.search(r"(/h/[\w-]+)</code>", page)[1])
    expect(phone.locator("nav")).to_have_count(0)
    assert violations(phone) == []
    codes = []
    for value in range(12):
        codes.append(phone.locator(".till-code").inner_text())
        type_in(phone, 10 + value)
    assert sorted(codes) == sorted(f"P{n}" for n in range(1, 13)) != codes
    expect(phone.locator(".till-line")).to_have_text("All sent.")
    rows = client.get(f"{trial}/readings.csv").text
    assert rows.count(",Nele,") == 12


@pytest.mark.long
@demo_garden
def test_some_units_are_asked_again_under_way_without_saying_so(phone, live):
    """Twelve units, a share of them a second time some units later; the first values stand."""
    client = Client(live.app)
    draft = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
    planned(client, draft)
    fill(client, draft, "rules", repeats="0.2")
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    phone.goto(f"{trial}/readings")
    phone.goto(phone.get_by_role("link", name="Type this round").get_attribute("href"))
    codes = []
    expect(phone.locator(".till-count")).to_have_text("0 of 15")
    for n in range(15):
        expect(phone.locator(".till-count")).to_have_text(f"{n} of 15")
        codes.append(phone.locator(".till-code").inner_text())
        assert phone.locator("#typed").input_value() == ""
        type_in(phone, 10 + n / 10 + (0.3 if codes[-1] in codes[:-1] else 0))
    twice = sorted(code for code in set(codes) if codes.count(code) == 2)
    assert len(twice) == 3
    for code in twice:
        at = [n for n, each in enumerate(codes) if each == code]
        assert at[1] - at[0] > 3 or at[1] >= 12
    expect(phone.locator(".till-line")).to_have_text("All sent.")
    stored = values(live, trial.rsplit("/", 1)[1], 0)
    assert {code: float(stored[code, "Plant height", "1"]) for code in codes[:1]} == {codes[0]: 10.0}
    assert len(stored) == 12
    page = client.get(f"{trial}/readings").text
    assert "Plant height, read by one reader twice on 3 units: one reading is off by" in page
