"""The bag tester's promises asked one by one; the consultant's gardens, and the sheet to take along."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import text as sql
from sqlmodel import Session

from eproba.core.trial.label import promises_of
from eproba.store.trials import load_trial
from tests.conftest import demo_garden
from tests.web.steps import text

LABEL = "Feeds for 8 weeks; peat-free\n Feeds for 8 weeks"


@pytest.fixture
def labelled(app):
    """The demo's chard, whose whey was bought with promises on its label."""
    with app.extensions["engine"].begin() as connection:
        connection.execute(
            sql("UPDATE treatment SET label = :label WHERE trial_id = 1 AND letter = 'C'"), {"label": LABEL}
        )


def test_promises_stand_as_they_are_written_each_once():
    assert promises_of(LABEL) == ("Feeds for 8 weeks", "peat-free")
    assert promises_of(" ; ") == ()


@given(st.lists(st.text(st.characters(exclude_characters=";\n", categories=("L", "N", "P")), min_size=1), max_size=5))
def test_no_promise_is_lost_or_made_up(promises):
    assert promises_of("; ".join(promises)) == tuple(dict.fromkeys(promises))


@demo_garden
def test_each_promise_is_asked_alone_and_can_be_said_otherwise(client, labelled):
    assert "“peat-free”: not asked yet" in text(client, "/trials/1/next")
    page = text(client, "/trials/1/label")
    assert "“Feeds for 8 weeks”" in page
    assert "2 promises to ask" in page
    assert "“peat-free”" not in page, "one by one"
    said = {"letter": "C", "words": "Feeds for 8 weeks", "said": "not kept"}
    page = client.post("/trials/1/label", said, follow_redirects=True).get_data(as_text=True)
    assert "“peat-free”" in page
    assert "1 promise to ask" in page
    client.post("/trials/1/label", said | {"said": "can’t tell"})
    client.post("/trials/1/label", said | {"words": "peat-free", "said": "kept"})
    assert "Every promise has been asked." in text(client, "/trials/1/label")
    told = text(client, "/trials/1/next")
    assert "“Feeds for 8 weeks”: can’t tell" in told
    assert "“peat-free”: kept" in told
    for wrong in (said | {"said": "maybe"}, said | {"words": "Doubles yields"}, said | {"letter": "B"}):
        refused = client.post("/trials/1/label", wrong)
        assert (refused.status_code, "No label of this trial says that." in refused.text) == (400, True)


@demo_garden
def test_no_label_is_asked_before_the_envelope_is_open(client, labelled):
    assert client.get("/trials/5/label").status_code == 404
    assert client.post("/trials/5/label", {"letter": "A", "words": "x", "said": "kept"}).status_code == 404
    assert "No label of this trial was written down." not in text(client, "/trials/1/label")


@demo_garden
def test_a_household_looks_after_several_gardens(client, app):
    client.post("/trials/1/garden", {"garden": "  Mrs Oduya,  fence line "})
    client.post("/trials/5/garden", {"garden": "North field"})
    page = text(client, "/trials")
    assert ">Mrs Oduya, fence line</a>" in page
    one = text(client, "/trials?find=North+field")
    assert "Sugar ferment on the chard beds" in one
    assert "Comfrey and whey" not in one
    assert 'aria-current="true">North field</a>' in one
    assert "Mrs Oduya, fence line" in text(client, "/trials/1")
    too_long = client.post("/trials/1/garden", {"garden": "x" * 61})
    assert (too_long.status_code, "up to 60 letters" in too_long.text) == (400, True)
    with Session(app.extensions["engine"]) as session:
        assert load_trial(session, 1).garden == "Mrs Oduya, fence line"
    assert "Oduya" not in client.get("/trials/1/plan.json").text


@demo_garden
def test_the_sheet_to_take_along_has_ways_cautions_and_a_box_for_each_filling(client):
    client.post("/trials/1/garden", {"garden": "Fence line"})
    scaled = text(client, "/trials/1/next?scale=B&area=250")
    assert "A sheet to take along" in scaled
    sheet = text(client, "/trials/1/next/sheet?scale=B&area=250")
    assert "Over more ground, Fence line" in sheet
    assert "Comfrey steep, 250 m²" in sheet
    fills = sheet.split("<tbody>")[1].split("</tr>")[0]
    assert fills.count("☐") == 40, "hundreds of cans: a box for the first forty, and more"
    assert "…" in fills
    assert "Local rules come first." in sheet
    assert client.get("/trials/1/next/sheet?scale=B&area=0").status_code == 404
    assert client.get("/trials/1/next/sheet").status_code == 404
    assert client.get("/trials/5/next/sheet?scale=A&area=9").status_code == 404
