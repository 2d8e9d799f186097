"""A household with US units: typed and shown so everywhere, metric on record, and back again as it was."""

import csv
import io
import json
import re
import zipfile

import pytest

from tests.conftest import demo_garden
from tests.web.entries import answers, op, till
from tests.web.steps import fill, planned, text, typed


def switched(client, system="US"):
    return client.post("/measures/units", {"system": system}, follow_redirects=True).text


def in_package(client, trial, table):
    with zipfile.ZipFile(io.BytesIO(client.get(f"{trial}/package.zip").data)) as package:
        return list(csv.DictReader(io.StringIO(package.read(f"data/{table}.csv").decode())))


def test_a_trial_is_planned_and_read_in_inches_and_kept_in_centimetres(client, clock):
    assert "Typed and shown in US units everywhere now." in switched(client)
    draft = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
    planned(client, draft)
    fill(client, draft, "measure", scale="difference", worth="0.5")
    ground = typed(client, f"{draft}/ground")
    assert ground["least_width_cm"] == "15.75"
    page = text(client, f"{draft}/ground")
    assert 'data-usual="in"' in page
    assert "15.75 doesn’t fit" not in page
    refused = fill(client, draft, "ground", least_width_cm="3000").text
    assert "3000 in doesn’t fit: give 0.3937 in to 1969 in." in refused
    fill(client, draft, "ground", least_width_cm="15.75")
    dose = {"dose": "unit", "amount": "8", "unit": "fl oz"}
    fill(client, draft, "treatments", **{f"treatments-0-{field}": value for field, value in dose.items()})
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    assert "worth having: <strong>0.5 in</strong>" in text(client, trial)
    assert "8 fl oz each" in text(client, trial)
    assert in_package(client, trial, "trials")[0]["worth"] == "1.27"
    assert {row["amount_unit"] for row in in_package(client, trial, "treatments") if row["amount"]} == {"mL"}
    clock.forward(days=1)
    number = re.search(r"round=(\d+)", text(client, f"{trial}/readings")).group(1)
    here = till(client, f"{trial}/rounds/{number}")
    (height,) = here["asked"]
    assert (height["unit"], height["high"]) == ("in", 118.1)
    at = int(clock.at.timestamp() * 1000)
    sent = [op(here, 1, "P1", "5", "plant_height", at=at), op(here, 2, "P2", "12.7 cm", "plant_height", at=at)]
    told = answers(client, *sent)
    assert [each["there"]["value"] for each in told] == [5, 5]
    asked = answers(client, op(here, 3, "P3", "120", "plant_height", at=at))[0]
    assert (asked["status"], asked["why"]) == ("doubted", "120 is outside 0 to 118.1 in.")
    assert [row["value"] for row in in_package(client, trial, "readings")] == ["12.7", "12.7"]
    assert ",5,in," in text(client, f"{trial}/readings.csv")
    again = answers(client, op(here, 4, "P1", "6", "plant_height", at=at, seen=1, replaces="device-a-0001"))[0]
    assert again["there"]["value"] == 6
    assert "P1: was <strong>5.0</strong>, now 6.0" in text(client, f"{trial}/readings")
    late = op(here, 5, "P8", "10", "plant_height", at=at, unit_of_value="cm")
    assert answers(client, late)[0]["there"]["value"] == pytest.approx(10 / 2.54), "typed before the units were changed"
    rows = "day;unit;measure;value\n0;P5;plant_height;4\n0;P6;plant_height;25,4 cm\n"
    assert client.post(f"{trial}/readings/import", {"text": rows, "go": "take"}).status_code == 302
    assert {row["value"] for row in in_package(client, trial, "readings")} == {"15.24", "12.7", "10.0", "10.16", "25.4"}
    before = json.loads(text(client, f"{trial}/export.json"))["trial"]["declared"]["fingerprint"]
    switched(client, "metric")
    assert "worth having: <strong>1.27 cm</strong>" in text(client, trial)
    assert ",15.24,cm," in text(client, f"{trial}/readings.csv")
    after = json.loads(text(client, f"{trial}/export.json"))["trial"]["declared"]
    assert (after["fingerprint"], after["facts"]["worth"]) == (before, 1.27)


@demo_garden
def test_a_verdict_is_the_same_in_other_units(client):
    metric = text(client, "/trials/1/verdict")
    switched(client)
    assert "8.5 fl oz each" in re.sub(r"<[^>]*>", " ", text(client, "/trials/1"))
    verdict = text(client, "/trials/1/verdict")
    shares = re.findall(r"\d+ % (?:more|less)", metric)
    assert shares == re.findall(r"\d+ % (?:more|less)", verdict), "percent are percent"
    assert "Differs from the declared plan" not in verdict
    day = {"on": "2026-05-20", "told": "was", "low": "50", "high": "68", "rain": "0.5"}
    assert client.post("/weather", day).status_code == 302
    refused = client.post("/weather", {**day, "low": "-60", "high": "68"}).text
    assert "-60 °F doesn’t fit: give -40 °F to 230 °F." in refused
    part = client.post("/mix/again", {"recipe": "yeast-starter", "by": "area", "area": "10 m²", "means": "plus"}).text
    assert re.search(r"\d gal", part), "a part of a page as well"
    assert not re.search(r"\d L\b", re.sub(r"<[^>]*>", " ", part))
    assert client.post("/measures/units", {"system": "imperial"}).status_code == 302
    assert 'value="US" class="button is-small" aria-pressed="true"' in text(client, "/measures")
