"""A helper reads one round by a link: no passcode, codes alone, nothing else, and it ends with the round."""

import json
import re

import pytest

from tests.conftest import Client
from tests.web.entries import answers, op, till
from tests.web.steps import fill, planned, text


@pytest.fixture
def asked(client, draft):
    """A trial, its first round, and the link of its helper."""
    planned(client, draft)
    fill(client, draft, "treatments", blind="y")
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    number = re.search(rf"{trial}/readings\?round=(\d+)", text(client, f"{trial}/readings")).group(1)
    page = client.post(f"{trial}/rounds/{number}/helper", {"name": "Nele"}, follow_redirects=True).text
    return trial, number, re.search(r"(/h/[\w-]+)</code>", page).group(1)


def data_of(page):
    return json.loads(re.search(r'id="round-data">(.*?)</script>', page, re.S).group(1))


def test_a_link_shows_codes_in_an_order_of_its_own_and_nothing_else(app, client, asked, clock):
    trial, number, link = asked
    clock.forward(days=1)
    helper = Client(app)
    page = helper.get(link).text
    data = data_of(page)
    assert "read by Nele" in page
    assert "Nettle" not in page, "neither the treatment nor the trial’s name"
    assert {unit["code"] for unit in data["units"]} == {f"P{n}" for n in range(1, 13)}
    assert [unit["code"] for unit in data["units"]] != [f"P{n}" for n in range(1, 13)]
    assert {(unit["block"], unit["crop"]) for unit in data["units"]} == {(None, "")}
    for elsewhere in ("/", trial, f"{trial}/tags", f"{trial}/readings", "/trials"):
        assert helper.get(elsewhere).headers["Location"] == link, elsewhere
    here = till(client, f"{trial}/rounds/{number}")
    other = till(client, f"{trial}/rounds/{int(number) + 1}")
    at = int(clock.at.timestamp() * 1000)
    sent = [op(here, 1, "P1", "12.5", "plant_height", at=at), op(other, 2, "P1", "12.5", "plant_height", at=at)]
    told = answers(helper, *sent)
    assert [each["status"] for each in told] == ["saved", "refused"]
    assert told[1]["why"] == "This link is for another round; nothing was written."
    assert ",Nele," in text(client, f"{trial}/readings.csv")
    helper.post("/h/leave")
    assert helper.get(trial).status_code == 200, "a device of the household again"


def test_a_link_ends_with_its_round_and_can_be_taken_back(app, client, asked):
    trial, number, link = asked
    helper = Client(app)
    assert helper.get(link).status_code == 200
    kept = re.search(r'name="drop" value="(\d+)"', text(client, f"{trial}/rounds/{number}/helper")).group(1)
    client.post(f"{trial}/rounds/{number}/helper", {"drop": kept})
    gone = helper.get(link)
    assert (gone.status_code, "This link has ended with its round." in gone.text) == (404, True)
    place = f"{trial}/rounds/{number}/helper"
    assert "Say who reads: the name stands at the readings." in client.post(place, {"name": " "}).text
    again = client.post(place, {"name": "Ole"}, follow_redirects=True).text
    link = re.search(r"(/h/[\w-]+)</code>", again).group(1)
    client.post(f"{trial}/rounds/{number}/finish", {"note": "", "seen": ""})
    assert Client(app).get(link).status_code == 404
    assert "This round is closed" in client.post(place, {"name": "Ole"}).text


def test_a_second_reader_reads_beside_the_first_and_what_they_differ_by_is_told(app, client, asked, clock):
    trial, number, _ = asked
    place = f"{trial}/rounds/{number}/helper"
    page = client.post(place, {"name": "Ida", "second": "y"}, follow_redirects=True).text
    assert "second reader" in page
    link = re.findall(r"(/h/[\w-]+)</code>", page)[-1]
    clock.forward(days=1)
    at = int(clock.at.timestamp() * 1000)
    here = till(client, f"{trial}/rounds/{number}")
    first = [op(here, n, f"P{n}", str(12 + n), "plant_height", at=at) for n in range(1, 13)]
    assert {each["status"] for each in answers(client, *first)} == {"saved"}, "and the round is closed by it"
    assert "Read twice" not in text(client, f"{trial}/readings")
    helper = Client(app)
    data = data_of(helper.get(link).text)
    assert (data["second"], data["saved"]) == (True, {}), "what the first read stays hidden"
    second = [op(here, 20 + n, f"P{n}", str(12.2 + n), "plant_height", at=at, again=n < 4) for n in range(1, 7)]
    assert {each["status"] for each in answers(helper, *second)} == {"saved"}
    assert {each["status"] for each in answers(helper, *second)} == {"saved"}, "sent twice, kept once"
    changed = op(here, 40, "P1", "13.4", "plant_height", at=at, again=True, replaces="device-a-0021")
    assert answers(helper, changed)[0]["there"]["version"] == 2
    assert len(data_of(helper.get(link).text)["repeated"]) == 6
    told = text(client, f"{trial}/readings")
    assert "Plant height, read by the first reader and Ida on 6 units: one reading is off by" in told
    assert "The units themselves differ: more units help" in told
    rows = text(client, f"{trial}/readings.csv")
    assert ",Ida," not in rows
    assert ",13.4," not in rows, "what counts is the first reader’s"
    clock.forward(days=1, minutes=1)
    assert helper.get(link).status_code == 404, "a day after the round was closed it has ended"
