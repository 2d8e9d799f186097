"""Between rounds: seedlings' days, what happens once, samples for a laboratory, rounds that follow a pour."""

import json
import re

import pytest

from tests.web.steps import fill, planned, text


@pytest.fixture
def trial(client, draft):
    planned(client, draft)
    fill(client, draft, "measure", also=["first_seedling", "laboratory", "breathing"])
    fill(client, draft, "treatments", blind="y")
    fill(client, draft, "rules", seeds="5", plants="2", thin_on="10", replace_until="7")
    return client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]


def put(client, trial, what, on, units, **more):
    return client.post(
        f"{trial}/happened", {"what": what, "on": on, "units": units, **more}, follow_redirects=True
    ).text


def test_seedlings_are_sown_up_thinned_and_replaced_by_the_rule_each_on_its_day(client, trial, clock):
    clock.forward(days=12)
    page = put(client, trial, "sown", "2026-05-21", ["P1", "P2"], count="5", note="two deep")
    assert "<strong>P1</strong> sown or set, 5, 21 May 2026 (day 0): two deep" in page
    assert "planned for day 10" in put(client, trial, "thinned", "2026-06-01", ["P1"], count="2")
    assert "planned for" not in put(client, trial, "thinned", "2026-05-31", ["P2"], count="2").split("P2")[1]
    for what, on, units, count, why in (
        ("replaced", "2026-05-29", ["P1"], "1", "The plan replaces failures up to day 7; this is day 8"),
        ("up", "2026-05-28", ["P1"], "6", "6 seedlings of 5 sown can’t be up."),
        ("thinned", "2026-05-31", ["P1"], "3", "The plan thins to 2 plants a unit"),
        ("up", "2026-06-02", ["P1"], "3", "That day is still to come"),
        ("up", "2026-05-28", [], "3", "Say to which units it happened."),
        ("up", "2026-05-28", ["P1"], "some", "“some” is no whole number"),
        ("up", "2024-05-28", ["P1"], "3", "That is long before the trial"),
        ("flew", "2026-05-28", ["P1"], "3", "Say what happened: sown or set"),
    ):
        page = client.post(f"{trial}/happened", {"what": what, "on": on, "units": units, "count": count})
        assert (page.status_code, why in page.text) == (400, True), why
        assert f'value="{count}"' in page.text, "nothing typed is lost"
    assert "a failure replaced, 1" in put(client, trial, "replaced", "2026-05-28", ["P1"], count="1")
    last = re.search(r"happened/(\d+)/take-back", text(client, f"{trial}/happened")).group(1)
    client.post(f"{trial}/happened/{last}/take-back")
    assert "planned for day 10" not in text(client, f"{trial}/happened"), "the latest on record was taken back"


def test_a_first_seedling_is_put_down_any_day_and_not_asked_again(client, trial, clock):
    clock.forward(days=5)
    put(client, trial, "first_seedling", "2026-05-24", ["P1", "P4"])
    rows = [row.split(",") for row in text(client, f"{trial}/readings.csv").splitlines()[1:]]
    told = [(row[0], row[2], row[8], row[12][:10]) for row in rows]
    assert told == [("4", "P1", "1", "2026-05-24"), ("4", "P4", "1", "2026-05-24")], (
        "with its own day, in its next round"
    )
    assert "<strong>P4</strong> Day of the first seedling: 24 May 2026 (day 3)" in text(client, f"{trial}/happened")
    assert "still to come" in put(client, trial, "first_seedling", "2026-05-26", ["P2"])
    again = put(client, trial, "first_seedling", "2026-05-23", ["P1"])
    assert "P1: on record with a day already; correct it in the table of readings." in again


def test_a_sample_of_one_treatment_is_one_number_and_counts_once(client, trial, clock):
    page = text(client, f"{trial}/samples")
    day_0 = re.search(r'option value="(\d+)">Day 0', page).group(1)
    new = {"measure": "laboratory", "round": day_0, "depth": "12,5", "taken_on": "2026-05-20", "mixed": "single"}
    hidden = client.post(f"{trial}/samples", {**new, "units": ["P1", "P2"]})
    assert "While this device does not know who got what, each unit is a sample of its own." in hidden.text
    assert 'value="12,5"' in hidden.text
    client.post("/who", {"who": "Ben", "role": "pours"})
    whole = json.loads(text(client, f"{trial}/export.json"))["trial"]
    first, other = ([f"P{each['cut']['number']}" for each in whole["units"] if each["letter"] == a] for a in "AB")
    mixed = client.post(f"{trial}/samples", {**new, "units": [first[0], other[0]]})
    assert "got different treatments: mixed into one sample they can’t be told apart." in mixed.text
    assert "Say which units are in it." in client.post(f"{trial}/samples", new).text
    assert "201 cm deep can’t be" in client.post(f"{trial}/samples", {**new, "depth": "201", "units": first[:1]}).text
    taken = client.post(f"{trial}/samples", {**new, "units": first[:2]}, follow_redirects=True).text
    assert "Sample L1. Print its label" in taken
    twice = client.post(f"{trial}/samples", {**new, "units": first[1:2]})
    assert f"{first[1]}: in another sample of this round already." in twice.text
    number = re.search(r"samples/(\d+)/sample-label", taken).group(1)
    label = text(client, f"{trial}/samples/{number}/sample-label")
    assert "Sample L1" in label
    assert "12.5 cm deep" in label
    assert "Nettle" not in label.split("vessel-label")[1]
    client.post(f"{trial}/samples/{number}/sent", {"laboratory": "Soil room"})
    assert "sent 20 May 2026 to Soil room" in text(client, f"{trial}/samples")
    clock.forward(days=9)
    odd = client.post(f"{trial}/samples/{number}/result", {"result": "plenty"}, follow_redirects=True).text
    assert "Sample L1, “plenty”: “plenty” is not a number" in odd
    done = client.post(f"{trial}/samples/{number}/result", {"result": "42.5"}, follow_redirects=True).text
    assert "42.5 as on the slip</strong>, one number, counted once at" in done
    rows = [row.split(",") for row in text(client, f"{trial}/readings.csv").splitlines()[1:]]
    kept = {row[2]: (row[8], row[10]) for row in rows}
    assert kept == {first[0]: ("42.5", ""), first[1]: ("", '"in sample L1')}
    assert client.get(f"{trial}/samples/99/sample-label").status_code == 404


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
    refused = fill(client, draft, "days", hours="3 dusk").text
    assert "there is no round on day 3" in refused
    assert 'value="3 dusk"' in refused
    fill(client, draft, "days", hours="0 dusk, 7 18:30 ± 2 h")
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    assert "12 units, at dusk" in text(client, "/")
    calendar = text(client, f"{trial}/calendar.ics").replace("\r\n ", "")
    assert re.search(r"DTSTART:20260528T\d\d3000Z", calendar), "an hour, not the whole day"
    assert "DTSTART;VALUE=DATE:20260521" in calendar
    here = text(client, f"{trial}/readings")
    number = re.search(r"round=(\d+)\"[^>]*>\s*Day 7", here).group(1)
    assert "Read it at 18:30, give or take 2 h: " in text(client, f"{trial}/rounds/{number}")
