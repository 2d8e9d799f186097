"""The practice garden: five rounds in the browser, bad input, another person, planning; nothing of it among trials."""

import re

import pytest
from playwright.sync_api import expect
from sqlmodel import Session, func, select

from eproba.core.practice.traps import TRAPS
from eproba.store.tables import PracticeRow, TrialRow
from tests.conftest import demo_garden
from tests.web.eyes import violations
from tests.web.steps import text


@pytest.mark.long
def test_five_rounds_are_played_and_calibrated(page, app):
    """By keyboard and by finger, on a laptop and a phone: story, answer, envelope, next; then how one did."""
    page.goto("/practice")
    page.get_by_role("button", name="First round").click()
    stories = set()
    for number in range(1, 6):
        if number == 3:
            page.set_viewport_size({"width": 390, "height": 844})
        expect(page.locator("h1")).to_have_text(f"Round {number}")
        assert "The truth" not in page.content()
        assert page.evaluate("document.documentElement.scrollWidth") <= 1280
        stories.add(page.locator(".practice-story").inner_text())
        if number in (1, 3):
            assert violations(page) == [], number
        if number == 2:
            page.locator("input[name=says]").first.focus()
            page.keyboard.press("ArrowDown")
            page.keyboard.press("Tab")
            page.keyboard.press("Space")
            page.keyboard.press("Enter")
        else:
            page.get_by_label("Can’t tell").check()
            page.get_by_label("80 %").check()
            page.get_by_role("button", name="Open the envelope").click()
        expect(page.locator("h1")).to_contain_text("The truth: it ")
        assert page.get_by_role("heading", name="What judging says").is_visible()
        if number in (1, 3):
            assert violations(page) == [], number
        page.get_by_role("button", name="Next round").click()
    assert len(stories) == 5
    page.goto("/practice")
    assert re.search(r"Right in \d of 5 rounds", page.locator("main").inner_text())
    assert page.get_by_role("img", name=re.compile("80 % sure: right")).is_visible()
    assert violations(page) == []
    with Session(app.extensions["engine"]) as session:
        assert session.exec(select(func.count()).select_from(PracticeRow)).one() == 6, "the sixth waits"
        assert session.exec(select(func.count()).select_from(TrialRow)).one() == 0


def test_a_round_waits_and_its_first_word_counts(client, app):
    address = client.post("/practice/next").headers["Location"]
    assert client.post("/practice/next").headers["Location"] == address, "the same one waits"
    for half in ({}, {"says": "works"}, {"says": "works", "sure": "75"}, {"says": "maybe", "sure": "80"}):
        refused = client.post(address, half)
        assert (refused.status_code, "Say both: what it does, and how sure you are." in refused.text) == (400, True)
    assert re.search(r'value="works" required checked', client.post(address, {"says": "works"}).text), "nothing is lost"
    client.post(address, {"says": "works", "sure": "90"})
    client.post(address, {"says": "can’t tell", "sure": "50"})
    assert "You said “works”, 90 % sure" in text(client, address)
    assert client.get("/practice/rounds/999").status_code == 404
    client.post("/who", {"who": "Ada", "role": "reads", "next": "/practice"})
    assert "First round" in text(client, "/practice"), "each person has rounds of their own"
    assert client.post("/practice/next").headers["Location"] != address


def test_twelve_rounds_meet_every_kind(client, app):
    for _ in range(12):
        at = client.post("/practice/next").headers["Location"]
        client.post(at, {"says": "can’t tell", "sure": "60"})
    with Session(app.extensions["engine"]) as session:
        assert set(session.exec(select(PracticeRow.trap))) == set(TRAPS)
    page = text(client, "/practice")
    assert re.search(r"Fair trials: right in \d of \d, 60 % sure", page)
    assert re.search(r'class="picture calibration"[^>]*aria-label="60 % sure: right \d+ of 12 times\."', page)
    assert "not met yet" not in page


def test_what_one_would_have_needed_is_a_sheet_of_the_same(client):
    for _ in range(12):
        at = client.post("/practice/next").headers["Location"]
        client.post(at, {"says": "can’t tell", "sure": "60"})
        page = text(client, at)
        if "What would you have needed?" in page:
            break
    form = dict(re.findall(r'type="hidden" name="(thing|crop|measure)" value="([^"]+)"', page))
    sheet = client.post("/trials/new/like", form).headers["Location"]
    assert f'value="{form["thing"]}"' in text(client, sheet)
    assert f'value="{form["crop"]}"' in text(client, sheet)
    assert client.post("/trials/new/like", {"measure": "nonsense"}).status_code == 302


@demo_garden
def test_a_round_a_day_stands_on_today_of_the_device_that_wishes_it(client, clock):
    wish = "One round in the practice garden"
    assert wish not in text(client, "/")
    client.post("/practice/daily", {"daily": "y"})
    assert wish in text(client, "/")
    at = client.post("/practice/next").headers["Location"]
    assert wish in text(client, "/"), "begun is not answered"
    client.post(at, {"says": "works", "sure": "60"})
    assert wish not in text(client, "/")
    clock.forward(days=1)
    assert wish in text(client, "/")
    client.post("/practice/daily", {"daily": ""})
    assert wish not in text(client, "/")


def test_planning_is_practised_on_a_small_plot(client):
    start = client.get("/practice/plan")
    assert re.search(r"/practice/plan\?seed=\d+$", start.headers["Location"])
    bare = text(client, "/practice/plan?seed=4")
    assert "There is room for 24 pots in a row from sun to shade" in bare
    assert "of 100 gardens" not in bare
    thin = text(client, "/practice/plan?seed=4&treatments=3&units=3&readings=1")
    best = re.search(r"two treatments, (\d+) pots of each in blocks, (\d) readings? of each pot", thin)
    found = int(re.search(r"It is found in (\d+) of 100 gardens", thin).group(1))
    again = text(client, f"/practice/plan?seed=4&treatments=2&units={best[1]}&readings={best[2]}&blocks=y")
    assert int(re.search(r"It is found in (\d+) of 100 gardens", again).group(1)) > found
    assert "Nothing that fits here finds it more often." in again


@pytest.mark.parametrize(
    ("typed", "why"),
    [
        ("units=many", "“many” is not a number"),
        ("units=99", "2 × 99 = 198 pots; there is room for 24."),
        ("units=12&readings=60", "minutes; you have"),
        ("treatments=9&units=2", "2 to 4 treatments, the control counted."),
    ],
)
def test_a_plan_that_does_not_fit_is_told_why(client, typed, why):
    answer = client.get(f"/practice/plan?seed=4&{typed}")
    assert (answer.status_code, why in answer.text) == (400, True)
    assert f'value="{typed.split("units=")[1].split("&")[0]}"' in answer.text, "what was typed stands there"
