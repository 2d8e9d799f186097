"""What eyes object to, on a page of every kind: axe, and a careful eye on a phone, a tablet and a laptop."""

import re
from urllib.parse import urlsplit

import pytest

from tests.conftest import demo_garden
from tests.web.eyes import EYE, faults, violations

WIDTHS = {1280: 800, 768: 1024, 390: 844}
FILES = re.compile(r"\.(csv|ics|zip|xlsx|json|toml|png|jpg|pdf|svg)$")
PARTS = 4  # for as many workers
# Pages that look otherwise than the first of their kind: another stage, another answer, nothing there.
OTHERS = [
    "/trials/1",
    "/trials/4",
    "/trials/5",
    "/trials/2/verdict",
    "/trials/3/verdict",
    "/trials/3/next",
    "/batches/4",
]
MAIN = [
    "/",
    "/trials",
    "/trials/1",
    "/trials/2",
    "/trials/1/verdict",
    "/trials/3/verdict",
    "/trials/1/next",
    "/calendar",
]
MAIN += [
    "/trials/2/rounds/9",
    "/trials/5/pours/7",
    "/shelf",
    "/batches/4",
    "/mix",
    "/recipes/comfrey-steep",
    "/measures",
]
MAIN += ["/help", "/trials/1/report"]
OTHERS += ["/trials/5/pours/7", "/trials/4/pours/0", "/trials/5/mix", "/practice/plan?seed=4&units=4", "/nowhere"]
IN_THE_GARDEN = re.compile(
    r"/|/trials/\d+|/trials/\d+/(readings|rounds/\d+|pours/\d+)|/shelf|/waiting|/trials/new/\d+/sheet"
)


def steps_of_a_plan(page):
    """The addresses of a plan's sheet and steps, nothing typed yet."""
    page.goto("/")
    page.keyboard.press("n")
    page.wait_for_url("**/sheet")
    draft = page.url.rsplit("/", 1)[0]
    return [
        f"{draft}/{step}" for step in ("sheet", "claim", "measure", "treatments", "ground", "chance", "days", "rules")
    ]


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
def test_no_eye_finds_fault(page, app, long, part, monkeypatch):
    """The careful eye on laptop and phone on the main pages, axe on the laptop on every second of them; in a long run
    both on a page of every kind, at each width, and axe on the phone for what is used in the garden.
    """
    monkeypatch.setitem(app.jinja_env.globals, "demo", True)  # its line is on every page
    widths = WIDTHS if long else {width: WIDTHS[width] for width in (1280, 390)}
    pages = [*pages_of(page), *OTHERS] if long else MAIN
    assert len(pages) > (60 if long else 12)
    seen = []
    for address in pages[part::PARTS]:
        page.goto(address)
        for width, height in widths.items():
            seen += [f"{address} at {width}: {rule}: {what}" for rule, what in faults(page, width, height)]
            in_turn = long or pages.index(address) % (2 * PARTS) < PARTS
            if (width == 1280 and in_turn) or (long and width == 390 and IN_THE_GARDEN.fullmatch(address)):
                seen += [f"{address} at {width}: {rule}: {what}" for rule, what in violations(page)]
    assert seen == [], "\n".join(seen)


@pytest.mark.long
@demo_garden
def test_pages_can_be_read_in_the_evening(page, long):
    page.emulate_media(color_scheme="dark")
    seen = []
    for address in MAIN if long else ("/", "/trials/1/verdict", "/calendar", "/shelf", "/trials/2/rounds/9"):
        page.goto(address)
        seen += [f"{address}: {rule}: {what}" for rule, what in violations(page)]
    assert seen == []
    assert page.evaluate("getComputedStyle(document.documentElement).backgroundColor") == "rgb(17, 24, 29)"


@demo_garden
@pytest.mark.parametrize(
    ("address", "letters"),
    [
        ("/trials/1/verdict", ".wide-ruler .ruler-name"),
        ("/trials/2", ".day-strip .tick-label"),
        ("/calendar", ".six-date"),
    ],
)
def test_letters_of_pictures_are_the_system_s_own_where_it_forces_colours(page, address, letters):
    page.emulate_media(forced_colors="active")
    page.goto(address)
    drawn, words, line = page.evaluate(
        """(letters) => [getComputedStyle(document.querySelector(letters)).fill,
          getComputedStyle(document.querySelector("main h1")).color,
          getComputedStyle(document.querySelector("main svg path:not([fill])")).stroke]""",
        letters,
    )
    assert drawn == words
    assert line != "none"


@demo_garden
def test_the_head_of_a_phone_is_one_row_and_leads_everywhere(page):
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto("/trials")
    assert page.locator(".bench-row").bounding_box()["height"] <= 64
    shown = page.locator("header .place-bar a:visible").all_inner_texts()
    assert shown == ["Today", "Trials", "Brews"]
    page.locator(".place-more summary").click()
    assert page.locator(".place-more a:visible").all_inner_texts() == [
        "Calendar", "Recipes", "Measures", "Help", "Who’s recording?",
    ]  # fmt: skip
    page.get_by_role("button", name="New trial").click()
    page.wait_for_url("**/sheet")


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
    assert seen == {"letters", "tiny", "over", "cut", "sideways", "apart", "empty"}
    page.set_viewport_size({"width": 1280, "height": 800})
    page.evaluate(
        """() => {
          const words = "a line that is too long to find back from ".repeat(9);
          document.body.innerHTML = `<p class="a">${words}</p>&#x1e900;`;
          document.querySelector(".a").style.width = "1250px"; }"""
    )
    assert {rule for rule, _ in page.evaluate(EYE)} == {"wide", "empty", "glyph"}
