"""What leaves while the envelope is shut, and what a trial leaves behind when it is deleted."""

import io
import json
import re
import zipfile

import pytest
from openpyxl import load_workbook
from sqlmodel import Session, select

from eproba.store.tables import FindingRow
from tests.conftest import demo_garden
from tests.web.steps import dealt, declared, fill, planned, text
from tests.web.test_verdict import read_days, taller


@pytest.fixture
def trial(client, draft):
    planned(client, draft)
    return declared(client, draft)


def new_draft(client):
    return client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]


def treatments(client, trial):
    """The treatments that stand in the files of the readings: CSV, workbook, JSON."""
    rows = [row.split(",") for row in text(client, f"{trial}/readings.csv").splitlines()]
    place = rows[0].index("treatment")
    sheet = load_workbook(io.BytesIO(client.get(f"{trial}/readings.xlsx").data)).worksheets[0]
    whole = json.loads(text(client, f"{trial}/export.json"))["trial"]
    return [
        {row[place] for row in rows[1:]},
        {row[place] or "" for row in list(sheet.values)[1:]},
        {unit["letter"] for unit in whole["units"]} | {whole["seed"][:0]},
    ]


def test_no_file_tells_who_got_what_beside_what_was_read_until_the_envelope_opens(client, trial, clock):
    clock.forward(days=15)
    read_days(client, trial, taller(9), (0,))
    names = {"Nettle steep", "Plain water"}
    assert treatments(client, trial) == [names, names, {"A", "B", ""}], "a baseline shows nothing of anything"
    assert "20." in text(client, trial), "and stands beside the plan"
    read_days(client, trial, taller(9), (7, 14))
    assert treatments(client, trial) == [{""}, {""}, {""}]
    whole = json.loads(text(client, f"{trial}/export.json"))["trial"]
    assert (whole["seed"], whole["declared"]["facts"]) == ("", {}), "nor anything to deal the lots again from"
    page = text(client, trial)
    assert "the values stand under All readings, by pot alone, until the envelope opens" in page
    assert not re.search(r"<td class=.number.>\s*\d", page)
    clock.forward(days=15)
    read_days(client, trial, taller(9), (21, 28))
    assert treatments(client, trial) == [names, names, {"A", "B", ""}]
    assert re.search(r"<td class=.number.>\s*\d", text(client, trial))


def test_a_package_before_the_opening_is_a_look_priced_and_on_record(client, trial, clock):
    clock.forward(days=15)
    assert client.get(f"{trial}/package.zip").data.startswith(b"PK"), "nothing is read yet"
    read_days(client, trial, taller(9), (0, 7, 14))
    sent = client.get(f"{trial}/package.zip")
    assert (sent.status_code, sent.headers["Location"]) == (302, f"{trial}/verdict/open")
    assert "While the envelope is shut, that is an early look" in text(client, f"{trial}/verdict/open")
    refused = client.get("/garden.zip")
    assert refused.status_code == 403
    assert "That is so for “Nettle on chard”. To keep all of it safe meanwhile: ./eproba backup." in refused.text
    client.post(f"{trial}/verdict/open", {"reason": "A copy for my sister"})
    package = client.get(f"{trial}/package.zip").data
    with zipfile.ZipFile(io.BytesIO(package)) as opened:
        assert "A copy for my sister" in opened.read("data/looks.csv").decode()
    assert client.get("/garden.zip").data.startswith(b"PK")
    clock.forward(days=1)
    assert client.get(f"{trial}/package.zip").status_code == 302, "of another day it is another look"


def finished(client, draft, clock):
    """A trial of the same plan, read to its end; its verdict's page."""
    planned(client, draft)
    trial = declared(client, draft)
    clock.forward(days=30)
    read_days(client, trial, taller(9), (0, 7, 14, 21, 28))
    return trial


def test_a_deleted_trial_leaves_a_line_that_the_next_of_its_question_bears(app, client, clock):
    """Copied and deleted until the lots suit: the dealings go on being counted, in verdict, report and together."""
    draft = new_draft(client)
    planned(client, draft)
    first = dealt(client, draft)
    client.post(f"{first}/deal-again")
    client.post(f"{first}/delete", {"sure": "y"})
    trial = finished(client, new_draft(client), clock)
    line = (
        "A trial of the same question, “Nettle on chard”, was deleted on 20 May 2026, on its day -1. Its lots had been "
        "dealt twice: whoever deals until the lots suit him leaves nothing to chance."
    )
    assert line in text(client, f"{trial}/verdict")
    assert line in text(client, f"{trial}/report")
    other = finished(client, new_draft(client), clock)
    client.post(f"{trial}/delete", {"sure": "y"})
    judged = text(client, f"{other}/verdict")
    assert "A trial of the same question, “Nettle on chard”, was over and was deleted on" in judged
    with Session(app.extensions["engine"]) as session:
        question = session.exec(select(FindingRow)).one().answers[0]["question"]
    page = text(client, f"/together/{question}")
    assert page.count("asked the same and was deleted on") == 2


def test_a_plan_that_was_dealt_taken_back_and_thrown_away_leaves_its_line_too(client, clock):
    planned(client, draft := new_draft(client))
    trial = dealt(client, draft)
    again = client.post(f"{trial}/plan-again").headers["Location"].rsplit("/", 1)[0]
    client.post(f"{again}/throw-away")
    page = text(client, f"{finished(client, new_draft(client), clock)}/verdict")
    assert "Its lots had been dealt once: whoever deals until the lots suit him" in page
    planned(client, draft := new_draft(client))
    kept = dealt(client, draft)
    again = client.post(f"{kept}/plan-again").headers["Location"].rsplit("/", 1)[0]
    fill(client, again, "measure", worth="20")
    client.post(f"{again}/deal", {"go": "deal"})
    page = text(client, f"{finished(client, new_draft(client), clock)}/verdict")
    assert page.count("Its lots had been dealt") == 1, "what is dealt again bears its own count"


@demo_garden
def test_a_garden_keeps_its_deleted_trials_when_it_moves(client, elsewhere):
    client.post("/trials/4/delete", {"sure": "y"})
    for number in (2, 3, 5):
        client.post(f"/trials/{number}/verdict/open", {"reason": "moving house"})
    garden = client.get("/garden.zip").data
    with zipfile.ZipFile(io.BytesIO(garden)) as opened:
        assert len(opened.read("data/gone-trials.csv").decode().splitlines()) == 2
    with elsewhere():
        client.post("/trials/take-in", {"file": (io.BytesIO(garden), "g.zip")}, follow_redirects=True)
        with zipfile.ZipFile(io.BytesIO(client.get("/garden.zip").data)) as opened:
            assert len(opened.read("data/gone-trials.csv").decode().splitlines()) == 2
