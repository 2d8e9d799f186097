"""Rounds: their hours, what they ask, and how they follow a pour that moves."""

import json
import re

import pytest

from tests.web.steps import declared, fill, planned, sown, text


@pytest.fixture
def trial(client, draft):
    return sown(client, draft)


def test_rounds_have_hours_and_follow_the_pour_that_moves(client, trial, clock):
    whole = json.loads(text(client, f"{trial}/export.json"))["trial"]
    hours = {each["day"]: each["time"] for each in whole["rounds"] if each["time"]}
    assert hours[1] == {"at": "", "after_hours": 24, "within": 3.0}
    asked = {each["measure"]["key"]: each["days"] for each in whole["asked"]}
    assert 1 in asked["breathing"]
    later = {"to": "2026-05-22", "following": "no", "reason": "Rain."}
    assert client.post(f"{trial}/pours/0/move", later).status_code == 302
    moved = json.loads(text(client, f"{trial}/export.json"))["trial"]
    assert [each["day"] for each in moved["rounds"] if each["time"]] != sorted(hours)
    assert 3 in [each["day"] for each in moved["rounds"]]
    assert 3 in {each["measure"]["key"]: each["days"] for each in moved["asked"]}["breathing"]


def test_the_hour_of_a_round_is_told_where_it_waits_and_in_calendars(client, draft, clock):
    planned(client, draft)
    refused = fill(client, draft, "days", hour_on=["0", "7"], hour_at=["tea time", "25:00"]).text
    assert "“0 tea time” is no hour of a round: write dusk, 18:30" in refused
    assert ('value="tea time"' in refused, 'value="25:00"' in refused) == (True, True), "what was typed stays"
    fill(client, draft, "days", hour_on=["0", "3", "7"], hour_at=["dusk", "9:00", "18:30 ± 2 h"])
    assert 'value="18:30 ± 2 h"' in text(client, f"{draft}/days"), "a day whose round is gone takes its hour along"
    sheet = text(client, f"{draft}/sheet")
    assert re.search(r"Days and rounds</strong> <span>[^<]*</span> <small>yours", sheet), "hours are one's own too"
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    assert ", at dusk" in text(client, "/")
    calendar = text(client, f"{trial}/calendar.ics").replace("\r\n ", "")
    assert re.search(r"DTSTART:20260528T\d\d3000Z", calendar), "an hour, not the whole day"
    assert "DTSTART;VALUE=DATE:20260521" in calendar
    here = text(client, f"{trial}/readings")
    number = re.search(r"round=(\d+)\"[^>]*>\s*Day 7", here).group(1)
    assert "Read it at 18:30, give or take 2 h: " in text(client, f"{trial}/rounds/{number}")


def test_the_till_and_the_sheet_say_which_plant_is_pulled(client, draft, clock):
    planned(client, draft)
    fill(client, draft, "measure", measure="fresh_mass", also="leaf_count")
    fill(client, draft, "rules", plants="2", seeds="5", thin_on="4", replace_until="3")
    fill(client, draft, "days", rounds="0 14 28", pulls="14 28")
    trial = declared(client, draft)
    page = text(client, trial)
    assert "5 in each pot, thinned to 2 on day 4" in page
    assert "replaced up to day 3" in page
    assert "on day 14, 28, one plant of each pot, by lot" in page
    rounds = dict(re.findall(r'round=(\d+)"[^>]*>\s*(Baseline|Day \d+)', text(client, f"{trial}/readings")))
    by_day = {name: number for number, name in rounds.items()}

    def till(name):
        page = text(client, f"{trial}/rounds/{by_day[name]}")
        return json.loads(re.search(r"<script[^>]*application/json[^>]*>(.*?)</script>", page, re.S).group(1))

    assert [asked["key"] for asked in till("Baseline")["asked"]] == ["leaf_count"]
    first, last = till("Day 14"), till("Day 28")
    assert {asked["key"] for asked in first["asked"]} == {"fresh_mass", "leaf_count"}
    for one, other in zip(first["units"], last["units"], strict=True):
        pulled = re.fullmatch(r"Pull plant (\d)\.", one["pull"]).group(1)
        assert other["pull"] == f"Pull plant {3 - int(pulled)}. Gone: {pulled}."
    sheet = text(client, f"{trial}/sheet?round={by_day['Day 14']}")
    assert sheet.count("<td>plant ") == 12
    assert "fresh" in sheet.lower()
