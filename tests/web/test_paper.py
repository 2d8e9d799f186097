"""What is printed: tags, sheets, plans, the lot slip."""

import re

import pytest
from sqlalchemy import text as sql

from tests.conftest import demo_garden
from tests.web.steps import text


@demo_garden
def test_tags_lead_to_the_round_and_hide_what_is_blind(client, app):
    tags = text(client, "/trials/2/tags")
    assert tags.count('class="tag-card"') == 10
    assert tags.count("<svg") >= 20, "a stake and a code each"
    old = client.get("/units/20").headers["Location"]
    assert re.fullmatch(r"/t/\w{16}/H10", old), "a tag that was printed with the unit’s number"
    assert re.fullmatch(r"/trials/2/rounds/\d+\?unit=H10", client.get(old).headers["Location"])
    assert client.get(old.replace("H10", "H99")).headers["Location"] == "/trials/2"
    assert client.get("/units/999").status_code == 404
    assert client.get("/t/nowhere/H1").status_code == 404
    with app.extensions["engine"].begin() as connection:
        connection.execute(sql("UPDATE trial SET blind = true WHERE id = 2"))
    hidden = text(client, "/trials/2/tags").split("tags-sheet")[1]
    assert "Wool-fibre mulch" not in hidden
    assert "Bare soil" not in hidden


@demo_garden
@pytest.mark.parametrize("what", ["tags", "sheet", "ground", "slip"])
def test_every_paper_comes_in_a4_and_letter(client, what):
    assert "paper on-a4" in text(client, f"/trials/1/{what}")
    assert "paper on-letter" in text(client, f"/trials/1/{what}?paper=letter")


@demo_garden
def test_the_lot_slip_proves_the_deal(client):
    page = text(client, "/trials/1/slip")
    for words in (
        "chard-terrace",
        "eproba-lots-1",
        "sort them by the sha-256",
        "blocks, 3 treatments × 6 pots",
        "fingerprint",
    ):
        assert words.lower() in page.lower()
    assert page.count("<small>block ") == 18
