"""The calendar of all trials, its file and its feed."""

import re
from datetime import timedelta

import pytest
from icalendar import Calendar

from eproba.store.secrets import hashed
from tests.conftest import demo_garden, swept
from tests.databases import TODAY
from tests.web.steps import text


@demo_garden
def test_the_calendar_shows_six_weeks_of_all_trials(client):
    page = text(client, "/calendar")
    assert "Round, day 9: Wool mulch under the currants" in page
    assert "Pour, day 0: Alfalfa steep on pak choi" in page
    assert "min" in page
    assert "Aquarium water" not in page, "a finished trial asks for nothing"


@demo_garden
def test_a_trial_s_calendar_file_and_the_feed(client):
    answer = client.get("/trials/4/calendar.ics")
    assert answer.headers["Content-Type"].startswith("text/calendar")
    entries = list(Calendar.from_ical(answer.data).walk("VEVENT"))
    titles = [str(entry["SUMMARY"]) for entry in entries]
    assert titles[:4] == [
        "Start alfalfa-pellet steep, 0.5 L", "Set 3 L of water out to stand", "Baseline: Alfalfa steep on pak choi",
        "Pour, day 0: Alfalfa steep on pak choi",
    ]  # fmt: skip
    assert entries[2].decoded("DTSTART").isoformat() == "2026-05-22"
    assert len({str(entry["UID"]) for entry in entries}) == len(entries)
    one, other = new_feed(client), new_feed(client)
    assert "/feeds/" not in text(client, "/calendar").replace("/calendar/feeds", ""), "an address is shown once"
    assert b"Wool mulch" in client.get(f"/feeds/{one}.ics").data
    kept = re.findall(r'name="token" value="(\w+)"', text(client, "/calendar"))
    client.post("/calendar/feeds/revoke", {"token": next(key for key in kept if key == hashed(one))})
    assert client.get(f"/feeds/{one}.ics").status_code == 404
    assert client.get(f"/feeds/{other}.ics").status_code == 200


def keys_of(client, address):
    return [key for keys in re.findall(r'data-key="([^"]+)"', text(client, address)) for key in keys.split("|")]


def new_feed(client):
    """A calendar address, as the page shows it once."""
    client.post("/calendar/feeds")
    return re.search(r"/feeds/([\w-]+)\.ics", text(client, "/calendar")).group(1)


def events_of(client):
    """The feed's events, by their UIDs."""
    token = new_feed(client)
    found = Calendar.from_ical(client.get(f"/feeds/{token}.ics").data).walk("VEVENT")
    return {str(event["UID"]).removesuffix("@eproba"): event.decoded("DTSTART") for event in found}


@pytest.mark.parametrize(
    ("garden", "days"), swept([(garden, days) for garden in ("demo", "crowded") for days in (0, 1, 9)], 3),
    indirect=["garden"],
)  # fmt: skip
def test_today_calendar_and_feed_are_one_list(client, clock, days):
    clock.forward(days=days)
    today, calendar, feed = keys_of(client, "/"), keys_of(client, "/calendar"), events_of(client)
    assert len(today) == len(set(today)) > 5
    assert set(today) <= set(calendar) <= set(feed)
    soon = {uid for uid, at in feed.items() if str(at)[:10] < f"{TODAY + timedelta(days=days + 42)}"}
    assert soon == set(calendar), "six weeks of the feed are the calendar"


@demo_garden
def test_an_event_that_moves_keeps_its_name(client):
    before = events_of(client)
    client.post("/trials/4/pours/0/move", {"to": "2026-05-24", "following": "no", "reason": "rain"})
    after = events_of(client)
    pour = next(uid for uid in before if uid.startswith("pour-") and uid.endswith("-4"))
    water = next(uid for uid in before if uid.startswith("water-") and f"{before[uid]}".startswith("2026-05-21"))
    assert (f"{before[pour]}", f"{after[pour]}") == ("2026-05-22", "2026-05-24")
    assert f"{after[water]}".startswith("2026-05-23")
    start = "start-0-0-alfalfa-pellet-steep-26"
    assert {start} <= set(before) & set(after)
