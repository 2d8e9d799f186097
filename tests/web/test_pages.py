"""What pages say of both demo gardens, sentence by sentence, stands in `pages/`. Whoever means to change a page writes
them anew (`EPROBA_ANSWERS=write ./eproba test tests/web/test_pages.py`), reads each changed line for its truth, and
looks at each drawing whose digest changed.
"""

import hashlib
import json
import os
import re
from html.parser import HTMLParser
from pathlib import Path
from types import SimpleNamespace

import pytest

from tests.web.test_amounts import every_page

PAGES = Path(__file__).parent / "pages"
BLOCKS = {
    "p", "li", "tr", "h1", "h2", "h3", "h4", "div", "label", "button", "dt", "dd", "summary", "legend", "form",
    "section", "figure", "figcaption", "svg", "caption", "article", "details", "ul", "ol", "table", "nav", "text",
}  # fmt: skip
SILENT = {"script", "style", "template"}
SHAPED = ("viewbox", "d", "points", "x", "y", "x1", "y1", "x2", "y2", "cx", "cy", "r", "width", "height", "transform")
# Texts of the catalogue, which tests/core/answers has; codes to scan, which hold a key of chance.
ELSEWHERE = re.compile(r"/recipes/(?!comfrey-steep$)|/measures$|/help(?!/honesty)|/tags$")
SPOKEN = ("aria-label", "alt", "title", "placeholder")
OF_EACH_RUN = re.compile(r"\b[0-9a-f]{16,}\b|(?<=\?v=)\w+")  # keys and stamps, drawn anew each time
PRECISE = re.compile(r"\d+\.\d{4,}")  # machines differ in the last digits
LONG = 400  # of what a page holds for its script: longer ones are kept by their digest


def rounded(text):
    return PRECISE.sub(lambda number: f"{float(number[0]):.5g}", text)


def digest(text):
    return hashlib.sha256(rounded(text).encode()).hexdigest()[:8]


class Main(HTMLParser):
    """The lines of a page's main part; fields with what stands in them, links with where they lead."""

    def __init__(self, html):
        super().__init__()
        self.lines, self.line, self.inside, self.silent, self.drawn, self.data = [], [], 0, 0, [], False
        self.feed(html)

    def handle_starttag(self, tag, attrs):
        named = {name: value or "" for name, value in attrs}
        self.inside += tag == "main"
        self.silent += tag in SILENT
        self.data = named.get("type") == "application/json"
        self.drawn += [f"{name}={named[name]}" for name in SHAPED if self.inside and name in named]
        if tag in BLOCKS:
            self.end_line()
        self.line += [named[name] for name in SPOKEN if self.inside and named.get(name)]
        is_field = tag in ("input", "select", "textarea") and not named.get("name", "").endswith("csrf_token")
        if is_field and self.inside:
            shown = [named[name] for name in ("name", "value") if named.get(name)]
            self.line.append(f"[{' '.join([*shown, *({'checked'} & named.keys())])}]")
        if tag == "a" and self.inside and named.get("href"):
            self.line.append(f"<{named['href']}>")

    def handle_endtag(self, tag):
        if tag in BLOCKS or tag == "main":
            self.end_line()
        if tag == "svg" and self.drawn:
            self.line, self.drawn = [f"drawn: {len(self.drawn)} numbers, {digest(' '.join(self.drawn))}"], []
            self.end_line()
        self.inside -= tag == "main"
        self.silent -= tag in SILENT
        self.data = False

    def handle_data(self, data):
        if self.data:
            for name, value in json.loads(data).items():
                words = OF_EACH_RUN.sub("…", rounded(json.dumps(value, ensure_ascii=False)))
                words = words if len(words) < LONG else f"{len(words)} letters, {digest(words)}"
                self.lines.append(f"data {name}: {words if name != 'shuffled' else 'by the key of the round'}")
        elif self.inside and not self.silent:
            self.line.append(data)

    def end_line(self):
        words = OF_EACH_RUN.sub("…", " ".join(" ".join(self.line).split()))
        if self.inside and words and words != "[]":
            self.lines.append(words)
        self.line = []


def lines_of(client):
    """Each line where it is first said, so that what all pages say stands once."""
    said = set()
    pages = {address: page for address, page in every_page(client, False) if not ELSEWHERE.search(address)}
    for address in sorted(pages):
        yield f"# {address}"
        for line in Main(pages[address].html).lines:
            if line not in said:
                said.add(line)
                yield line


@pytest.mark.parametrize("garden", ["demo", "crowded"], indirect=True)
def test_pages_say_what_they_said(client, garden, monkeypatch):
    monkeypatch.setattr("eproba.web.practice.views.secrets", SimpleNamespace(randbelow=lambda _: 4))
    lines, file = list(lines_of(client)), PAGES / f"{garden}.txt"
    if os.environ.get("EPROBA_ANSWERS") == "write":
        file.write_text("\n".join(lines) + "\n", "utf-8")
    assert lines == file.read_text("utf-8").splitlines()
