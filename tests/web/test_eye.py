"""What a careful eye would object to, on a page of every kind, on a phone, a tablet and a laptop."""

import re
from pathlib import Path
from urllib.parse import urlsplit

import pytest

from tests.conftest import demo_garden
from tests.web.test_browser import steps_of_a_plan

EYE = Path(__file__).with_name("eye.js").read_text("utf-8")
WIDTHS = {390: 844, 768: 1024, 1280: 800}
FILES = re.compile(r"\.(csv|ics|zip|xlsx|json|toml|png|jpg|pdf|svg)$")
PARTS = 2
NEXT_FRAME = "() => new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(drawn)))"


def kind_of(address):
    """Pages that differ by their numbers alone: one of them is enough."""
    path = urlsplit(address).path
    return re.sub(r"(?<=/recipes/)[\w-]+|\d+", "#", path)


def pages_of(page):
    """One page of each kind that links lead to, in the order in which they are met."""
    waiting, seen = ["/", *steps_of_a_plan(page)], {}
    for address in waiting:
        kind = kind_of(address)
        if kind in seen:
            continue
        answer = page.request.get(address)
        kept = "attachment" in answer.headers.get("content-disposition", "")
        if kept or not answer.ok or "html" not in answer.headers.get("content-type", ""):
            continue
        seen[kind] = address
        links = re.findall(r'<a[^>]*\shref="(/[^"#]*)', answer.text())
        waiting += [link for link in links if not FILES.search(urlsplit(link).path) and kind_of(link) not in seen]
    return list(seen.values())


@demo_garden
@pytest.mark.parametrize("part", range(PARTS))
def test_a_careful_eye_finds_nothing(page, part):
    pages = pages_of(page)
    assert len(pages) > 50
    faults = []
    for address in pages[part::PARTS]:
        page.goto(address)
        for width, height in WIDTHS.items():
            page.set_viewport_size({"width": width, "height": height})
            page.evaluate(NEXT_FRAME)  # what is drawn to the width is drawn again
            faults += [f"{address} at {width}: {rule}: {what}" for rule, what in page.evaluate(EYE)]
    assert faults == [], "\n".join(faults)


def test_the_eye_sees_each_fault(page):
    """A page with one of each, so that an eye that went blind is noticed."""
    page.goto("/")
    page.set_viewport_size({"width": 390, "height": 844})
    page.evaluate(
        """() => { document.body.innerHTML = `
          <p class="a">pressed together into it</p><p class="b">as small as this</p>
          <p class="c">on each other</p><p class="d">on each other too</p><p class="e">cut off by its own box</p>
          <p class="f">beyond the screen</p><label class="g"><input type="checkbox"><span>far away</span></label>`;
        const set = (name, css) => Object.assign(document.querySelector(name).style, css);
        set(".a", { width: "1px", overflowWrap: "anywhere" }); set(".b", { fontSize: "9px" });
        for (const name of [".c", ".d"]) set(name, { position: "absolute", top: "700px", left: "20px" });
        set(".e", { width: "40px", overflow: "hidden", whiteSpace: "nowrap" });
        set(".f", { position: "absolute", top: "760px", left: "380px", width: "200px" });
        set(".g span", { position: "absolute", left: "200px" }); }"""
    )
    seen = {rule for rule, _ in page.evaluate(EYE)}
    assert seen == {"letters", "tiny", "over", "cut", "sideways", "apart"}
