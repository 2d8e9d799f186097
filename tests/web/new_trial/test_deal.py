"""Dealing, declaring, amending; a copy is the same plan."""

import json
import re

import pytest
from sqlalchemy import text as sql
from sqlmodel import Session

from eproba.store.trials import load_trial
from tests.conftest import demo_garden
from tests.web.entries import op, till
from tests.web.steps import dealt, fill, text

EVIL = "Robert'); DROP TABLE trial;-- <img src=x onerror=alert(1)>"


def test_declaring_freezes_and_amending_tells(client, draft, clock):
    trial = dealt(client, draft)
    page = text(client, trial)
    assert "Deal again" in page
    client.post(f"{trial}/deal-again")
    client.post(f"{trial}/declare")
    page = text(client, trial)
    assert "fingerprint" in page
    assert "dealt 2 times" in page
    assert client.post(f"{trial}/deal-again").status_code == 400
    change = {"what": "worth", "worth": "25", "reason": "a cheaper meal was found"}
    assert client.post(f"{trial}/amend", {**change, "reason": ""}).status_code == 400
    client.post(f"{trial}/amend", change)
    late = {"what": "decision day", "decision_day": "35", "reason": "a cold spring"}
    client.post(f"{trial}/amend", late)
    client.post(f"{trial}/amend", {"what": "treatments", "letter": "A", "how": "1 and 5", "reason": "too weak"})
    clock.forward(days=9)
    early = client.post(f"{trial}/amend", {**late, "decision_day": "3"})
    assert "day 8 is the earliest" in early.get_data(as_text=True)
    page = text(client, trial)
    for words in ("worth from 15 % to 25 %", "decision day from day 28 to day 35", "a cold spring", "“1 and 5”"):
        assert words in page
    export = json.loads(text(client, f"{trial}/export.json"))
    assert export["trial"]["declared"]["fingerprint"]
    assert len(export["trial"]["amendments"]) == 3


def test_the_first_record_declares_what_nobody_declared(client, draft, clock):
    trial = dealt(client, draft)
    clock.forward(days=1)
    round_ = till(client, re.search(rf"{trial}/rounds/\d+", text(client, trial)).group())
    refused = {**op(round_, 1, "P1", "5", "plant_height"), "unit": "P99"}
    client.send("/entries", {"entries": [refused]})
    assert "fingerprint <code>" not in text(client, trial), "what is refused is no record"
    client.send("/entries", {"entries": [op(round_, 2, "P1", "5", "plant_height")]})
    assert "fingerprint <code>" in text(client, trial)


@demo_garden
@pytest.mark.parametrize("number", [1, 2, 3, 5])
def test_a_copy_is_the_same_plan(client, app, number):
    """Also where the units are of two sizes; only day 0 and the lots are new."""
    with app.extensions["engine"].begin() as connection:
        wider = "UPDATE unit SET width_cm = width_cm * 1.5, x_cm = x_cm * 1.5 WHERE trial_id = :t AND number % 2 = 1"
        connection.execute(sql(wider), {"t": number})
    again = client.post(f"/trials/{number}/copy").headers["Location"].rsplit("/", 1)[0]
    made = client.post(f"{again}/deal", {"go": "deal"}).headers["Location"]
    with Session(app.extensions["engine"]) as session:
        first, copy = load_trial(session, number), load_trial(session, int(re.search(r"/trials/(\d+)", made)[1]))
    assert [unit.cut for unit in copy.units] == [unit.cut for unit in first.units]
    assert (copy.dealing, copy.guard_cm, copy.site) == (first.dealing, first.guard_cm, first.site)
    facts = ("name", "role", "how", "amount", "amount_unit", "rung", "recipe", "water_parts", "sharing")
    assert [[getattr(t, f) for f in facts] for t in copy.treatments] == [
        [getattr(t, f) for f in facts] for t in first.treatments
    ]
    assert [each.day for each in copy.rounds] == [each.day for each in first.rounds]
    assert {pour.day for pour in copy.pours} == {pour.day for pour in first.pours}


def test_sql_and_html_in_names_stay_words(client, draft, app):
    fill(client, draft, "claim", claim=EVIL, name=EVIL[:80], note=EVIL)
    fill(client, draft, "measure")
    fill(client, draft, "treatments", **{"treatments-0-name": EVIL[:60], "treatments-0-how": EVIL})
    fill(client, draft, "ground")
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    for path in (
        trial,
        "/trials",
        "/",
        f"{trial}/tags",
        f"{trial}/pours",
        f"{trial}/pours/0",
        f"{trial}/verdict",
        f"{trial}/delete",
    ):
        page = client.get(path).get_data(as_text=True)
        assert "<img" not in page
        assert "Robert" in page or path.endswith("verdict")
    with app.extensions["engine"].connect() as connection:
        assert connection.execute(sql("SELECT count(*) FROM trial")).scalar() == 1
    assert "'=" not in client.get(f"{trial}/readings.csv").get_data(as_text=True)
