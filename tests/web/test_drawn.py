"""What is drawn into the picture for a message, stroke by stroke, of every trial that is over: `pages/messages.txt`,
written anew as the answers of `test_pages.py` are."""

import os
import re

import pytest
from PIL import ImageDraw

from tests.web.test_pages import PAGES, rounded

STROKES = ("text", "line", "rectangle", "polygon")


@pytest.fixture
def strokes(monkeypatch):
    """Each stroke since, as words."""
    drawn = []

    def noted(name, stroke):
        def draw(self, at, *more, **how):
            words = {key: value for key, value in how.items() if key != "font"}
            size = [how["font"].size] if "font" in how else []
            drawn.append(" ".join(map(str, [name, *_whole(at), *more, *size, *words.values()])))
            return stroke(self, at, *more, **how)

        return draw

    for name in STROKES:
        monkeypatch.setattr(ImageDraw.ImageDraw, name, noted(name, getattr(ImageDraw.ImageDraw, name)))
    return drawn


def _whole(at):
    return [round(n) for point in at for n in (point if isinstance(point, tuple) else [point])]


@pytest.mark.parametrize("garden", ["demo", "crowded"], indirect=True)
def test_a_message_is_drawn_as_it_was(client, garden, strokes):
    lines = []
    for number in dict.fromkeys(re.findall(r'href="/trials/(\d+)"', client.get("/trials?shown=all").text)):
        strokes.clear()
        if client.get(f"/trials/{number}/message.png").status_code == 200:
            dashes = [stroke for stroke in strokes if stroke.startswith("line") and stroke.endswith(" 2")]
            lines += [f"# {garden} {number}", *(stroke for stroke in strokes if stroke not in dashes[1:])]
    file = PAGES / f"messages_{garden}.txt"
    if os.environ.get("EPROBA_ANSWERS") == "write":
        file.write_text("\n".join(map(rounded, lines)) + "\n", "utf-8")
    assert [rounded(line) for line in lines] == file.read_text("utf-8").splitlines()
