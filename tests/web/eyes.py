"""Eyes that look at a page as it is drawn: for who can't see it well (axe), and for who looks with care (our own)."""

from pathlib import Path

AXE = (Path(__file__).parents[1] / "vendor" / "axe.min.js").read_text("utf-8")
EYE = Path(__file__).with_name("eye.js").read_text("utf-8")
NEXT_FRAME = "() => new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(drawn)))"


def violations(page):
    """What axe finds against the rules of WCAG 2.2 AA and good practice."""
    page.evaluate(AXE)
    rules = "runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa', 'best-practice']"
    report = page.evaluate(f"axe.run({{{rules}, resultTypes: ['violations']}})")  # what is in order needs no list
    return [(rule["id"], rule["nodes"][0]["html"][:160]) for rule in report["violations"]]


def faults(page, width, height):
    """What a careful eye objects to at this size."""
    page.set_viewport_size({"width": width, "height": height})
    page.evaluate(NEXT_FRAME)  # what is drawn to the width is drawn again
    return page.evaluate(EYE)
