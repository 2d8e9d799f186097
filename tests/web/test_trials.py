"""The trials: list, one trial, its notes, losses, end, copy and burial; pours; own measures; paper."""

import json
import re

import pytest
from sqlalchemy import text as sql

from tests.conftest import demo_garden
from tests.web.steps import text

pytestmark = demo_garden


PAGES = [
    "/",
    "/trials",
    "/measures",
    "/help",
    "/help/honesty",
    "/who",
    "/trials/1/units/1",
    "/trials/1/readings/1",
    "/trials/1/rounds/1",
]
PAGES += [
    f"/trials/{trial}{place}"
    for trial in (1, 2, 3, 4)
    for place in (
        "",
        "/verdict",
        "/readings",
        "/pours",
        "/pours/0",
        "/tags",
        "/sheet",
        "/end",
        "/delete",
        "/readings/import",
    )
]
SEEN = "Back plot. Every patch is raked in the same way, mulched or not."


@pytest.mark.parametrize("path", PAGES)
def test_every_page_keeps_the_strict_policy(client, path):
    response = client.get(path)
    page = response.get_data(as_text=True)
    assert response.status_code == 200
    assert not re.search(r'\sstyle="|\son\w+="|javascript:', page)
    assert not re.search(r"<script(?![^>]*(src=|application/json))", page)
    assert not re.search(r'(src|href)="https?://', page)
    policy = response.headers["Content-Security-Policy"]
    assert "unsafe" not in policy
    assert "script-src 'self';" in policy
    assert page.count("<h1") == 1


def test_the_list_says_what_runs_and_what_was_found(client):
    page = text(client, "/trials")
    assert page.index("Wool mulch") < page.index("Alfalfa steep") < page.index("Comfrey and whey")
    assert "3 of 8 rounds in" in page
    assert "starts in 2 days" in page
    assert "Comfrey steep grew leaves about" in page
    assert "with one bed of each, nobody can say why" in page
    assert "Wool mulch" not in text(client, "/trials?find=chard")
    assert "No trial speaks of “100%”" in text(client, "/trials?find=100%25")


def test_until_the_decision_day_the_envelope_is_shut(client, clock, app):
    sealed = text(client, "/trials/2/verdict")
    assert "Sealed until 1 Jun 2026" in sealed
    assert "Wool-fibre mulch" not in sealed.split("course-data")[1]
    assert "against" not in sealed
    clock.forward(days=12)
    waiting = text(client, "/trials/2/verdict")
    assert "The envelope opens when the last round is in" in waiting
    last = re.search(r"/trials/2/rounds/\d+", waiting).group()
    client.post(f"{last}/finish", {"note": ""})
    with app.extensions["engine"].connect() as connection:
        kept = connection.execute(sql("SELECT lines FROM finding WHERE trial_id = 2")).scalar()
    assert kept[0]["headline"], "judged when the last round closed, so that no list has to"
    opened = text(client, "/trials/2/verdict")
    assert "5 of 8 rounds were missed" in opened
    assert "Wool-fibre mulch" in opened


def test_a_verdict_says_all_that_it_should(client):
    page = text(client, "/trials/1/verdict")
    assert page.index("Better, and by enough to matter") < page.index("No difference worth having")
    for words in (
        "You wanted 15 %",
        "Could luck do that?",
        "Of all 64 ways",
        "How far to trust it",
        "Also seen",
        "Leaf count",
    ):
        assert words in page
    assert page.index("Also seen") > page.index("How far to trust it")
    single = text(client, "/trials/3/verdict")
    assert "Seen, not shown" in single
    assert "Why it can’t be more than a description" in single
    assert "Could luck do that?" not in single
    assert "4 skipped" not in single
    assert "pours 2 were skipped" in single


def test_a_lost_unit_leaves_the_verdict_and_can_come_back(client):
    lost = client.post("/trials/1/units/2", {"reason": "fox"}, follow_redirects=True).get_data(as_text=True)
    assert "lost: fox" in lost
    client.post("/trials/1/units/3", {"reason": ""}, follow_redirects=True)
    assert "lost on" not in text(client, "/trials/1/units/3").lower()
    # It was lost after the last round: the verdict stands. Lost before it, the unit would not be judged.
    assert "6 pots of each treatment" in text(client, "/trials/1/verdict")
    client.post("/trials/1/units/2", {"found": "1"})
    assert "lost: fox" not in text(client, "/trials/1")


def test_end_early_opens_with_a_warning(client):
    assert client.post("/trials/2/end", {"reason": ""}).status_code == 400
    client.post("/trials/2/end", {"reason": "frost"})
    page = text(client, "/trials/2/verdict")
    assert "Ended on day 9 of 21: frost" in page
    assert "ended early" in text(client, "/trials")


def test_lots_are_dealt_again_only_before_anything_is_on_record(client):
    before = json.loads(text(client, "/trials/4/export.json"))["trial"]
    client.post("/trials/4/deal-again")
    after = json.loads(text(client, "/trials/4/export.json"))["trial"]
    assert "dealt 2 times" in text(client, "/trials/4")
    # Another seed each time; few pairs can still fall as they lay before.
    assert (before["deals"], after["deals"]) == (1, 2)
    assert before["seed"] != after["seed"]
    assert client.post("/trials/1/deal-again").status_code == 400


def test_delete_asks_and_export_holds_everything(client):
    whole = json.loads(text(client, "/trials/1/export.json"))
    assert whole["format"] == "eproba-trial-1"
    assert len(whole["readings"]) == 180
    assert whole["trial"]["seed"] == "chard-terrace"
    assert client.post("/trials/1/delete", {}).status_code == 400
    assert "Export all" in text(client, "/trials/1/delete")
    client.post("/trials/1/delete", {"sure": "y"})
    assert client.get("/trials/1").status_code == 404
    assert "Comfrey and whey" not in text(client, "/trials")


def test_pours_are_logged_with_reason_when_skipped(client, clock):
    clock.forward(days=2)
    page = text(client, "/trials/4/pours/0")
    ids = re.findall(r'name="status-(\d+)"', page)[::2]
    form = {f"status-{i}": "poured" for i in ids} | {f"amount-{ids[0]}": "150 mL each", f"status-{ids[1]}": "skipped"}
    refused = client.post("/trials/4/pours/0", form)
    assert "Say in the note why Alfalfa-pellet steep was skipped" in refused.get_data(as_text=True)
    assert "150 mL each" in refused.get_data(as_text=True)
    client.post("/trials/4/pours/0", {**form, f"note-{ids[1]}": "can empty", f"done_at-{ids[0]}": "22.5.2026"})
    log = text(client, "/trials/4/pours")
    assert "150 mL each" in log
    assert "can empty" in log
    assert "22 May 2026" in log
    assert "Pour, day 0" not in text(client, "/")
    assert client.post("/trials/4/pours/0", {f"done_at-{ids[0]}": "03/04/2026"}).status_code == 400


def test_paper_names_treatments_on_tags_but_not_on_the_sheet(client):
    tags = text(client, "/trials/2/tags")
    assert tags.count("<li>") >= 10
    assert "Wool-fibre mulch" in tags
    sheet = text(client, "/trials/2/sheet").split("round-sheet")[1]
    assert sheet.count('<th scope="row">') == 10
    assert "Wool-fibre mulch" not in sheet
    assert sheet.index(">H4<") < sheet.index(">H8<") < sheet.index(">H10<"), "as one walks"


def test_a_note_is_kept(client):
    client.post("/trials/2/note", {"note": "Hail on day 8 <script>", "seen": SEEN})
    assert "Hail on day 8 &lt;script&gt;" in text(client, "/trials/2")


def test_a_spare_plant_is_recorded_not_judged(client):
    page = text(client, "/trials/4")
    assert "No wilting, no scorched leaf" in page
    client.post("/trials/4/spare", {"spare-letter": "A", "spare-fared": "badly", "spare-note": "leaf edges brown"})
    assert "leaf edges brown" in text(client, "/trials/4")
    missing = client.post("/trials/4/spare", {"spare-letter": "A", "spare-fared": "well"}, follow_redirects=True)
    assert "Say in a few words what was seen" in missing.get_data(as_text=True)
