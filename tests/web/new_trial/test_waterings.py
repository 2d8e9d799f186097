"""Given at every watering, in place of plain water: its days, the control that it asks for, its words, and no other
plain watering between."""

from sqlmodel import Session

from eproba.core.applying.errands import plain_waterings
from eproba.core.catalogue import recipes
from eproba.store.brewing import brews_due
from eproba.store.trials import load_trial
from tests.databases import TODAY
from tests.web.steps import declared, planned, rows, text

EXTRACT = {"name": "Extract", "role": "test", "recipe": "compost-extract", "dose": "unit", "amount": "250",
           "unit": "mL", "often": "watering", "every": "2"}  # fmt: skip
WATER = {"name": "Plain water", "role": "water control", "dose": "like", "often": "like"}
NOTHING = {"name": "Nothing", "role": "untreated", "dose": "nothing", "often": "once"}


def trial_of(app, address):
    with Session(app.extensions["engine"]) as session:
        return load_trial(session, int(address.rsplit("/", 1)[1]))


def test_extract_goes_into_every_can_and_water_to_the_control(app, client, draft):
    planned(client, draft)
    rows(client, draft, EXTRACT, WATER)
    page = text(client, f"{draft}/treatments")
    assert "Extract is given at every watering, plain water to the control. Give no other water to any unit." in page
    address = declared(client, draft)
    trial = trial_of(app, address)
    extract = next(t for t in trial.treatments if t.name == "Extract")
    assert (extract.each_watering, extract.amount) == (True, 250)
    days = {letter: [p.day for p in trial.pours if p.letter == letter] for letter in ("A", "B")}
    assert days["A"] == days["B"] == list(range(0, 28, 2))
    assert "250 mL each, at every watering, every 2 days" in text(client, address)
    with Session(app.extensions["engine"]) as session:
        due = [pair for pair in brews_due(session, TODAY) if pair[1].trial_id == trial.id]
    assert due
    assert recipes()["compost-extract"].plain_between == 1
    assert plain_waterings(due, due[0][1].at) == [], "it is the watering"
    copied = client.post(f"{address}/copy").headers["Location"].rsplit("/", 1)[0]
    again = text(client, f"{copied}/treatments")
    assert 'value="watering" selected' in again or 'selected value="watering"' in again


def test_without_water_as_a_control_the_question_it_leaves_open_is_told(client, draft):
    planned(client, draft)
    rows(client, draft, EXTRACT, NOTHING)
    page = text(client, f"{draft}/treatments")
    assert "Extract is given at every watering, in place of plain water. Without a control that gets as much" in page
    assert "a gain may be the watering alone" in page


def test_how_many_days_between_waterings_has_to_be_said(client, draft):
    planned(client, draft)
    answer = rows(client, draft, EXTRACT | {"every": ""}, WATER)
    page = text(client, f"{draft}/treatments") if answer is None else answer.get_data(as_text=True)
    assert "Give the number of days." in page
