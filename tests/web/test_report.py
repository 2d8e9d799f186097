"""The report: on paper, as one file, as a picture for a message, by a link."""

import io
import re
from html import unescape

import pytest
from PIL import Image

from eproba.web.report.views import style_of_all
from tests.conftest import demo_garden
from tests.web.steps import text


@demo_garden
def test_the_report_tells_not_shown_as_loudly_and_needs_nothing(client):
    page = text(client, "/trials/3/report")
    assert "<h2>Seen, not shown</h2>" in page
    assert "Limits the verdict, replication." in page
    assert "10 of 12 pours were given" in page
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
    assert link not in text(client, "/trials/1/report"), "shown once"
    old = link
    client.post("/trials/1/report/share", {"go": "share"})
    link = re.search(r"http://localhost(/see/[\w-]+)", text(client, "/trials/1/report")).group(1)
    assert client.get(old).status_code == 404, "a new link takes the place of the old one"
    monkeypatch.setitem(app.config, "SETTINGS", type(settings)(**{**vars(settings), "home_network": True}))
    seen = client.get(link)
    assert seen.status_code == 200
    assert "Better, and by enough to matter: Comfrey steep" in seen.text
    assert "<form" not in seen.text
    assert client.get("/trials/1/report").status_code == 302, "the rest asks for the passcode"
    monkeypatch.setitem(app.config, "SETTINGS", settings)
    client.post("/trials/1/report/share", {"go": "unshare"})
    assert client.get(link).status_code == 404


@demo_garden
@pytest.mark.parametrize(
    ("trial", "lines"),
    [
        (1, ["Better, and by enough to matter: Comfrey steep grew leaves about 22 % wider; the true gap is likely "
             "between 18 and 27 %. 1 more treatment in the report.",
             "18 pots, drawn by lot (in blocks), 28 days. 1 caution: batch good."]),
        (3, ["Seen, not shown: Aquarium water",
             "2 beds, drawn by lot (one of each), "]),
    ],
)  # fmt: skip
def test_the_card_is_no_prettier_than_the_verdict(client, trial, lines):
    page = client.get(f"/trials/{trial}/report").data.decode()
    card = unescape(re.search(r'id="card"[^>]*>(.*?)</textarea>', page, re.S)[1])
    first, second = card.strip().splitlines()
    assert [first[: len(lines[0])], second[: len(lines[1])]] == lines
    if trial == 3:
        assert "nobody can say why" in first
        assert "The verdict is limited by: " in second
