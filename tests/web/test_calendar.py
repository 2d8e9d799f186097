"""The calendar of all trials, its file and its feed."""

import re

from icalendar import Calendar

from tests.conftest import demo_garden
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
    client.post("/calendar/feeds")
    client.post("/calendar/feeds")
    one, other = re.findall(r"/feeds/([\w-]+)\.ics", text(client, "/calendar"))
    assert b"Wool mulch" in client.get(f"/feeds/{one}.ics").data
    client.post("/calendar/feeds/revoke", {"token": one})
    assert client.get(f"/feeds/{one}.ics").status_code == 404
    assert client.get(f"/feeds/{other}.ics").status_code == 200
