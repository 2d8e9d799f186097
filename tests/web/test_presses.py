"""What presses come to, good ones and bad ones, one after the other: `pages/presses.txt` in the demo garden and
`pages/planning.txt` in an empty one (`pages/kinds.txt`: plans of other kinds, in a long run) hold each request with the
fields that differ from what its page shows, and below it where it leads and what is said; of a page that is only looked
at the lines that are new. Answers are written anew as those of `test_pages.py` are.
"""

import os
import re
import shlex
from html.parser import HTMLParser
from io import BytesIO
from types import SimpleNamespace

import pytest

from tests.web.steps import typed
from tests.web.test_pages import OF_EACH_RUN, PAGES, Main


class Said(HTMLParser):
    """What a page says of a press: its flashes, its alerts, what is wrong at a field."""

    def __init__(self, html):
        super().__init__()
        self.lines, self.depth, self.tag = [], 0, ""
        self.feed(html)

    def handle_starttag(self, tag, attrs):
        named = {name: value or "" for name, value in attrs}
        speaks = {"error", "field-error"} & set(named.get("class", "").split())
        if self.depth:
            self.depth += tag == self.tag
        elif speaks or named.get("role") in ("alert", "status"):
            self.depth, self.tag = 1, tag
            self.lines.append("")

    def handle_endtag(self, tag):
        self.depth -= bool(self.depth) and tag == self.tag

    def handle_data(self, data):
        if self.depth:
            self.lines[-1] += data


def told(html):
    lines = (OF_EACH_RUN.sub("…", " ".join(line.split())) for line in Said(html).lines)
    return [line for line in dict.fromkeys(lines) if line]


def pressed(client, request, forms):
    """The answer to a line such as `POST /trials/1/note FROM /trials/1 note='Dry.'`; a bar is a new line,
    `@log.csv:text` a file. `forms`: what pages showed before; what is refused changes none of them."""
    _, path, *words = shlex.split(request)
    source = words[1] if words[:1] == ["FROM"] else ""
    fields = dict(word.replace("|", "\n").split("=", 1) for word in words[2 if source else 0 :])
    for name, content in [(name, said[1:]) for name, said in fields.items() if said.startswith("@")]:
        file, _, text = content.partition(":")
        fields[name] = (BytesIO(text.encode()), file)
    if source and (source not in forms or "/new/" in source):  # a plan keeps also what was refused
        forms[source] = typed(client, source)
    answer = client.post(path, {**forms.get(source, {}), **fields})
    assert answer.status_code < 500, request
    if answer.status_code != 400:
        forms.clear()
    place = re.sub(r"^http://localhost", "", answer.headers.get("Location", ""))
    page = client.get(place).text if place.startswith("/") and not place.endswith((".json", ".zip")) else answer.text
    yield f"    {answer.status_code} {OF_EACH_RUN.sub('…', place)}".rstrip()
    if answer.mimetype == "text/html" or place:
        said = told(page) or (Main(page).lines[2:5] if answer.status_code >= 400 else [])
        yield from (f"    {line}" for line in said)


@pytest.mark.parametrize(
    ("garden", "name"),
    [("demo", "presses"), ("empty", "planning"), pytest.param("empty", "kinds", marks=pytest.mark.long)],
    indirect=["garden"],
)
def test_presses_come_to_what_they_came_to(client, name, monkeypatch):
    for place in ("recipes", "measures"):
        monkeypatch.setattr(f"eproba.web.{place}.views.secrets", SimpleNamespace(token_hex=lambda _: "0000"))
    monkeypatch.setattr("eproba.web.practice.views.secrets", SimpleNamespace(randbelow=lambda _: 4))
    file, said, lines, forms = PAGES / f"{name}.txt", set(), [], {}
    before = file.read_text("utf-8").splitlines()
    for line in (line for line in before if not line.startswith("    ")):
        lines.append(line)
        if line.startswith("POST"):
            lines += pressed(client, line, forms)
        elif line.startswith("GET"):
            shown = [shown for shown in Main(client.get(line.split()[1]).text).lines if shown not in said]
            said |= set(shown)
            lines += [f"    {line}" for line in shown]
    if os.environ.get("EPROBA_ANSWERS") == "write":
        file.write_text("\n".join(lines) + "\n", "utf-8")
        before = lines
    assert lines == before
