"""After the verdict: what next with its plan and its litres, trials together, the report on paper, alone, by link."""

import io
import re

from PIL import Image
from sqlmodel import Session

from eproba.store.tables import FindingRow
from eproba.web.report.views import style_of_all
from tests.conftest import demo_garden
from tests.web.steps import text

WHEY = "Diluted whey"


def question_of(app, trial_id, treatment):
    with Session(app.extensions["engine"]) as session:
        answers = session.get(FindingRow, trial_id).answers
    return next(each["question"] for each in answers if each["treatment"] == treatment)


@demo_garden
def test_what_next_follows_the_verdict(client):
    assert 'href="/trials/1/next"' in text(client, "/trials/1/verdict")
    page = text(client, "/trials/1/next")
    assert page.index("Keep it") < page.index("Drop it"), "what is worth keeping comes first"
    assert "It gave +22 % (18 % more to 26 % more fits), beyond the 15 % that you wanted. It took 67 min" in page
    assert "No difference worth having, for 38 min of work: plain water does as well." in page
    for title in ("Change strength or days", "Ask again with more units", "Try it elsewhere", "Scale it up"):
        assert page.count(title) >= 2, title
    sealed = client.get("/trials/2/next")
    assert (sealed.status_code, "What next follows the verdict: the envelope is still shut." in sealed.text) == (
        404,
        True,
    )


@demo_garden
def test_more_ground_is_reckoned_for_each_way_with_its_cautions(client):
    assert 'href="/trials/1/next#scale"' in text(client, "/trials/1/mix")
    assert "/next#scale" not in text(client, "/trials/2/mix"), "sealed"
    page = text(client, "/trials/1/next?scale=B&area=40")
    for way in ("Watering can, coarse rose", "Backpack sprayer", "Pump and tank", "Drip injection"):
        assert way in page, way
    assert re.search(r"\b98 L reach the ground each time", page)
    assert "backflow" in page
    assert page.count("Pumps and high pressure hurt") == 1, "each caution once, with the ways that it is for"
    assert "<strong>Backpack sprayer, Pump and tank, Drip injection: </strong> Pumps and high pressure" in page
    for area, why in (("lots", "“lots” is not a number"), ("0", "0 m² can’t be"), ("1e9", "can’t be: above 0, up to")):
        assert why in text(client, f"/trials/1/next?scale=B&area={area}"), area


@demo_garden
def test_what_was_only_seen_gives_the_plan_that_settles_it_as_a_draft(client):
    """One strip of each was only seen: the planner draws a plan that can tell, and one tap makes it a draft."""
    page = text(client, "/trials/3/next")
    found = re.search(r"The cheapest plan that would settle it: (\d+) \w+ of each (in pairs|anywhere)", page)
    assert found, "by the usual noise, since one of each tells none"
    assert "On the ground of this trial it does not fit" in page, "two strips hold no more"
    answer = client.post("/trials/3/next/settle", {"letter": "A"})
    assert re.search(rf'name="units_each"[^>]*value="{found.group(1)}"', text(client, answer.headers["Location"]))
    assert client.post("/trials/3/next/settle", {"letter": "Q"}).status_code == 400
    assert client.post("/trials/2/next/settle", {"letter": "A"}).status_code == 400, "sealed"


@demo_garden
def test_a_trial_is_left_out_with_its_reason_and_counts_again(app, client):
    question = question_of(app, 1, WHEY)
    page = text(client, f"/together/{question}")
    assert "One trial so far: ask again" in page
    assert page.count("stake-bar") == 1
    form = {"which": "1-C"}
    assert '<option value="1-C">' in page, "each trial by the letter that it gave"
    refused = client.post(f"/together/{question}/leave-out", {**form, "reason": " "})
    assert (refused.status_code, "Say why it does not count" in refused.text) == (400, True)
    client.post(f"/together/{question}/leave-out", {**form, "reason": "the hose burst"})
    page = text(client, f"/together/{question}")
    assert "Comfrey and whey on rainbow chard</a> stands aside: left out: the hose burst." in page
    assert "None of these trials can be put with others" in page
    client.post(f"/together/{question}/count-again", form)
    assert text(client, f"/together/{question}").count("stake-bar") == 1
    assert client.get("/together/0123456789abcdef").status_code == 404
    assert client.post("/together/0123456789abcdef/leave-out", form).status_code == 404
    assert client.post(f"/together/{question}/leave-out", {"which": "x-C", "reason": "why"}).status_code == 400


@demo_garden
def test_the_report_tells_not_shown_as_loudly_and_needs_nothing(client):
    page = text(client, "/trials/3/report")
    assert "<h2>Seen, not shown</h2>" in page
    assert "Limits the verdict, replication." in page
    assert "10 of 12 applications were given" in page
    assert re.search(r"<td>–</td> <td>–</td> <td>–</td>", page), "no interval, no p"
    better = text(client, "/trials/1/report?paper=letter")
    assert "<h2>Better, and by enough to matter: Comfrey steep</h2>" in better
    assert "18 units were dealt in blocks, once" in better
    assert "<td>below 0.001</td>" in better
    alone = client.get("/trials/1/report.html")
    assert alone.headers["Content-Disposition"].startswith("attachment")
    content = alone.get_data(as_text=True)
    assert not re.search(r"<(script|link)|src=|url\((?!data:|#)", content)
    assert "font/woff2;base64" in style_of_all()
    assert "Better, and by enough to matter: Comfrey steep" in content
    for address in ("report", "report.html", "message.png"):
        assert client.get(f"/trials/2/{address}").status_code == 404, address


@demo_garden
def test_the_report_fits_on_two_pages(live, page, tmp_path):
    """A4 and Letter, by the browser's own print."""
    for number, size in ((1, "A4"), (3, "Letter"), (1, "Letter")):
        page.goto(f"/trials/{number}/report?paper={size.lower()}")
        page.pdf(path=tmp_path / "report.pdf", prefer_css_page_size=True)
        assert (tmp_path / "report.pdf").read_bytes().count(b"/Type /Page\n") <= 2


@demo_garden
def test_a_message_bears_verdict_and_trust(client):
    for number in (1, 3):
        picture = Image.open(io.BytesIO(client.get(f"/trials/{number}/message.png").data))
        assert (picture.size, picture.format) == ((1200, 630), "PNG")
        assert picture.convert("L").crop((0, 540, 1200, 630)).getextrema()[0] < 80, "words of trust"


@demo_garden
def test_a_link_shows_the_report_to_who_has_no_passcode_and_nothing_else(app, client, settings, monkeypatch):
    client.post("/trials/1/report/share", {"go": "share"})
    link = re.search(r"http://localhost(/see/[\w-]+)", text(client, "/trials/1/report")).group(1)
    client.post("/trials/1/report/share", {"go": "share"})
    assert link in text(client, "/trials/1/report"), "a second wish finds the first"
    monkeypatch.setitem(app.config, "SETTINGS", type(settings)(**{**vars(settings), "home_network": True}))
    seen = client.get(link)
    assert seen.status_code == 200
    assert "Better, and by enough to matter: Comfrey steep" in seen.text
    assert "<form" not in seen.text
    assert client.get("/trials/1/report").status_code == 302, "the rest asks for the passcode"
    monkeypatch.setitem(app.config, "SETTINGS", settings)
    client.post("/trials/1/report/share", {"go": "unshare"})
    assert client.get(link).status_code == 404


def test_an_empty_garden_says_what_to_do(client):
    assert "No question was asked twice yet." in text(client, "/together")
