"""Today: what is due, what waits, what is missed, and the brews among it."""

import re

import pytest
from playwright.sync_api import expect

from tests.conftest import crowded_garden, demo_garden
from tests.web.steps import text


@demo_garden
def test_brews_stand_on_today_calendar_and_in_the_file(client):
    today = text(client, "/")
    assert "Strain unrefined-sugar ferment “Ferment, second bucket”" in today
    assert "Start unrefined-sugar ferment, 1.2 L" in today
    assert "Start alfalfa-pellet steep, 0.5 L" in today
    assert "Start it now, and it should be ready between Fri 22 May and Sun 24 May." in today
    assert "Throw away alfalfa-pellet steep “Alfalfa for the pak choi”" in today
    assert "comes late" not in today, "nothing is late before its day is over"
    assert "week-task brew" in text(client, "/calendar")
    assert b"Start unrefined-sugar ferment" in client.get("/trials/5/calendar.ics").data
    strip = text(client, "/trials/5").split("day-strip")[1]
    assert (
        "3 brews: Ferment, second bucket, begun Thu 14 May, ready Tue 19 May; "
        "Ferment, first bucket, begun Thu 7 May, ready Wed 13 May; Unrefined-sugar ferment, "
        "begun Wed 20 May, ready Wed 27 May."
    ) in strip, "poured from, and planned"
    assert "brews: " not in text(client, "/trials/2"), "those of other trials are not its own"


@demo_garden
def test_today_shows_what_is_due(client, clock):
    page = text(client, "/")
    assert page.index("Round, day 9") < page.index("The week") < page.index("Baseline")
    clock.forward(days=2)
    later = text(client, "/")
    assert "2 days ago" in later
    assert later.index("Pour, day 0") < later.index("The week")


@demo_garden
def test_a_round_that_was_passed_over_is_missed_not_due(client, clock):
    assert "Round of day 9</a> is due today" in text(client, "/trials")
    clock.forward(days=4)
    page = text(client, "/trials/2")
    assert "Round, day 9" in page
    assert "Two jobs overdue since Wed 20 May: Wool mulch under the currants" in page
    later = re.search(r'/trials/2/rounds/(\d+)">Round, day 12', page).group(1)
    client.post(f"/trials/2/rounds/{later}/finish", {"note": ""})
    assert "Round, day 9" not in text(client, "/trials/2")
    assert "Round, day 9" not in text(client, "/")


@crowded_garden
def test_what_waits_is_one_line_a_trial_with_its_ways_out(phone):
    phone.goto("/")
    choices = phone.locator(".due-card.choose")
    expect(choices.nth(1).locator(".due-what")).to_have_text(re.compile(r"^\w+ jobs overdue since \w+ \d+ \w+: "))
    expect(choices.nth(1).get_by_text("It was left out")).to_be_hidden()
    choices.nth(1).get_by_text("Other ways out").click()
    expect(choices.nth(1).get_by_text("It was left out")).to_be_visible()
    first = choices.nth(1).locator("[data-due]")
    expect(first).to_have_text(re.compile("^Skip "))
    waiting = choices.count()
    first.click()
    expect(phone.locator(".flash").first).to_contain_text("Skipped: day ")
    phone.goto("/")
    assert phone.locator(".due-card.choose").count() <= waiting


@demo_garden
def test_rounds_whose_day_is_over_can_be_left_out_but_for_the_last(client, clock):
    clock.forward(days=1)
    page = text(client, "/")
    assert "Round, day 9, overdue since Wed 20 May: Wool mulch under the currants" in page
    assert "Measure the round, day 9 now" in page
    assert 'action="/trials/2/rounds/leave-out"' in page
    client.post("/trials/2/rounds/leave-out")
    assert "Round, day 9 waits" not in text(client, "/")
    assert client.post("/trials/2/rounds/9/open-again").status_code == 302
    clock.forward(days=20)
    page = text(client, "/")
    assert "Measure the round, day 21 now, and miss those before it" in page
    assert "Leave out the four rounds" in page
    client.post("/trials/2/rounds/leave-out")
    assert "Round, day 21, overdue since Mon 1 Jun: Wool mulch under the currants" in text(client, "/")


@demo_garden
def test_what_is_ticked_is_done_and_counts(client, clock):
    """Stirring is ticked for all; water set out counts when its brew is mixed; nothing is ticked twice."""
    keys = re.findall(r'data-key="((?:stir|water|stand)-[^"]+)"', text(client, "/"))
    stir = next(key for key in keys if key.startswith("stir-"))
    assert client.post("/done", {"line": stir}).status_code == 302
    assert stir not in text(client, "/").split("The next seven days")[0]
    assert "stirred" in text(client, "/batches/5")
    again = client.post("/done", {"line": stir}, follow_redirects=True).get_data(as_text=True)
    assert "That is done already, or it is no longer asked." in again
    clock.forward(days=6)
    key = re.search(r'data-key="(water-\d+)"', text(client, "/")).group(1)
    client.post("/done", {"line": key})
    assert f'data-key="{key}"' not in text(client, "/")
    clock.forward(days=1)
    start = f"/batches/new?recipe=sugar-ferment&stood={key}"
    assert "Its water stands since yesterday 10:00." in text(client, start)
    form = {"recipe": "sugar-ferment", "litres": "2", "start": "now", "water": "tap with chlorine", "stood": key}
    batch = client.post("/batches/new", form).headers["Location"]
    assert "water set out" in text(client, batch)


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


@demo_garden
@pytest.mark.parametrize(("later", "told"), [(1, "Skipped: day 7."), (8, "Skipped: days 7 and 14.")])
def test_what_is_skipped_is_told_by_its_days(client, clock, later, told):
    clock.forward(days=later)
    answer = client.post("/trials/5/pours/overdue", {"go": "forward"}, follow_redirects=True)
    assert told in answer.text


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


@demo_garden
def test_a_month_of_nothing_is_one_choice_a_trial(client, clock):
    clock.forward(days=31)
    page = text(client, "/")
    choices = re.findall(r'class="due-card late choose" data-key="([^"]+)"', page)
    assert choices == ["choose-2", "choose-4", "choose-5"]
    for trial in (4, 5):
        assert client.post(f"/trials/{trial}/pours/overdue", {"go": "forward"}).status_code == 302
        client.post(f"/trials/{trial}/rounds/leave-out")
    page = text(client, "/")
    assert 'data-key="choose-4"' not in page
    assert "Round, day 28, overdue since Wed 10 Jun: Sugar ferment on the chard beds" in page, "the last one stays"


@demo_garden
def test_a_clock_that_was_a_year_ahead_leaves_nothing_behind(client, clock):
    """What was ticked in a wrong year is still to come when the clock is right again: nothing speaks of it."""
    before = re.findall(r'data-key="([^"]+)"', text(client, "/"))
    clock.forward(days=365)
    assert client.get("/").status_code == 200
    stir = re.search(r'data-key="(stir-2027\d+)"', text(client, "/"))
    if stir is not None:
        client.post("/done", {"line": stir.group(1)})
    client.post("/batches/5/happened", {"what": "stirred"})
    clock.forward(days=-365)
    assert re.findall(r'data-key="([^"]+)"', text(client, "/")) == before
    assert client.get("/shelf").status_code == 200
    assert client.get("/calendar").status_code == 200


@demo_garden
def test_two_brews_of_one_name_are_told_apart(client, clock):
    form = {"recipe": "comfrey-steep", "litres": "5", "start": "standing", "water": "rain", "name": "Bucket"}
    one, two = (client.post("/batches/new", form).headers["Location"].rsplit("/", 1)[1] for _ in range(2))
    clock.forward(days=1)
    page = text(client, "/")
    assert f"Mix comfrey steep “Bucket” (batch {one})" in page
    assert f"Mix comfrey steep “Bucket” (batch {two})" in page


@demo_garden
def test_a_batch_of_tomorrow_is_refused_and_what_was_typed_stays(client):
    form = {"recipe": "comfrey-steep", "litres": "5", "start": "earlier", "began": "2026-05-21T10:00", "water": "rain",
            "place": "behind the shed"}  # fmt: skip
    answer = client.post("/batches/new", form)
    assert answer.status_code == 400
    page = answer.get_data(as_text=True)
    assert "that moment is still to come" in page
    assert 'value="behind the shed"' in page
