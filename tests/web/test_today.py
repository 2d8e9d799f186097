"""Today: what is due, what waits, what is missed, and the brews among it."""

import re

import pytest
from playwright.sync_api import expect

from tests.conftest import crowded_garden, demo_garden
from tests.web.steps import text


@demo_garden
def test_brews_stand_on_today_calendar_and_in_the_file(client):
    today = text(client, "/")
    assert "Strain it" in today
    assert "Let water stand for unrefined-sugar ferment" in today
    unmet = today.split('class="due-card unmet"')[1].split("</section>")[0]
    assert "Start at once: alfalfa-pellet steep, 0.5 L. It can be ready from Sat 23 May to Mon 25 May." in unmet
    assert "The pour of Fri 22 May comes late: alfalfa-pellet steep is missing" in unmet
    for way in ("Start it now", "Move the pour", "Skip it", "Another recipe"):
        assert way in unmet
    assert today.index("unmet") < today.index('aria-label="Due now"'), "it comes first"
    assert "Stir alfalfa" not in today, "nothing stands there to be stirred"
    assert "week-task brew" in text(client, "/calendar")
    assert b"Start unrefined-sugar ferment" in client.get("/trials/5/calendar.ics").data
    strip = text(client, "/trials/5").split("day-strip")[1]
    assert (
        "3 brews: Ferment, second bucket, begun 14 May, ready 19 May; "
        "Ferment, first bucket, begun 07 May, ready 13 May; Unrefined-sugar ferment, begun 21 May, ready 27 May."
    ) in strip, "poured from, and planned"
    assert "brews: " not in text(client, "/trials/2"), "those of other trials are not its own"


@demo_garden
def test_today_shows_what_is_due(client, clock):
    page = text(client, "/")
    assert page.index("Round, day 9") < page.index("The next seven days") < page.index("Baseline")
    clock.forward(days=2)
    later = text(client, "/")
    assert "2 days ago" in later
    assert later.index("Pour, day 0") < later.index("The next seven days")


@demo_garden
def test_a_round_that_was_passed_over_is_missed_not_due(client, clock):
    assert "Round of day 9</a> is due today" in text(client, "/trials")
    clock.forward(days=4)
    page = text(client, "/trials/2")
    assert "Round, day 9" in page
    later = re.search(r'/trials/2/rounds/(\d+)"[^>]*>(?=Start round)', page.split("Round, day 12")[1]).group(1)
    client.post(f"/trials/2/rounds/{later}/finish", {"note": ""})
    assert "Round, day 9" not in text(client, "/trials/2")
    assert "Round, day 9" not in text(client, "/")


@crowded_garden
def test_what_waits_is_folded_by_its_trial(phone):
    phone.goto("/")
    folded = phone.locator(".due-card.folded")
    expect(folded).to_have_count(2)
    expect(folded.first.locator(".due-what").first).to_have_text(re.compile(r"^\d+ things wait since \w+ \d+ \w+$"))
    expect(folded.first.locator(".due-card").first).to_be_hidden()
    folded.first.get_by_text("One by one").click()
    expect(folded.first.locator(".due-card").first).to_be_visible()
    folded.first.get_by_role("link", name="Begin with the oldest").click()
    expect(phone.locator("#typed")).to_be_focused()


@crowded_garden
@pytest.mark.parametrize(
    ("go", "status", "told"), [("poured", "poured", "each as planned"), ("skipped", "skipped", "each as left out")]
)
def test_all_that_waits_is_put_on_record_at_once(client, go, status, told):
    today = client.get("/").get_data(as_text=True)
    trial = re.search(r"/trials/(\d+)/pours/overdue", today).group(1)
    due = [each for each in pours(client, trial) if each["status"] == "due"]
    answer = client.post(f"/trials/{trial}/pours/overdue", {"go": go}, follow_redirects=True).get_data(as_text=True)
    assert told in answer
    kept = {(each["letter"], each["day"]): each for each in pours(client, trial)}
    late = [kept[each["letter"], each["day"]] for each in due if kept[each["letter"], each["day"]]["status"] != "due"]
    assert {each["status"] for each in late} == {status}
    assert {each["amount_each"] for each in late} == ({250.0} if go == "poured" else {None})
    assert f"/trials/{trial}/pours/overdue" not in client.get("/").get_data(as_text=True), "nothing waits any more"


def pours(client, trial):
    return client.get(f"/trials/{trial}/export.json").get_json()["trial"]["pours"]


@crowded_garden
def test_what_is_neither_is_refused_and_changes_nothing(client):
    trial = re.search(r"/trials/(\d+)/pours/overdue", client.get("/").get_data(as_text=True)).group(1)
    before = pours(client, trial)
    answer = client.post(f"/trials/{trial}/pours/overdue", {"go": "both"})
    assert answer.status_code == 400
    assert "Say whether the pours were done as planned, or left out." in answer.get_data(as_text=True)
    assert pours(client, trial) == before
