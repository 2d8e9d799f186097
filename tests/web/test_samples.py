"""Samples for a laboratory: several units, one number."""

import json
import re

import pytest

from tests.web.steps import sown, text


@pytest.fixture
def trial(client, draft):
    return sown(client, draft)


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
    assert (
        "201 cm deep doesn’t fit" in client.post(f"{trial}/samples", {**new, "depth": "201", "units": first[:1]}).text
    )
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
