"""What our scripts make of a page, press by press: each story in `scripts/` holds what is done (`> …`) and below it
what changes then: what is seen, what has the focus, what is sent to the computer, what the device notes. Written anew
as the answers of `test_pages.py` are.
"""

import json
import os
import re
import shlex
import time
from collections import Counter
from difflib import unified_diff
from io import BytesIO
from pathlib import Path

import pytest
from playwright.sync_api import Error

from eproba.standins.pictures import jpeg, scene
from tests.conftest import Client
from tests.web.entries import answers, op, till
from tests.web.steps import fill, planned

STORIES = Path(__file__).parent / "scripts"
STAGE = Path(__file__).with_name("stage.js").read_text("utf-8")
OF_EACH_RUN = re.compile(r"\b[0-9a-f]{16,32}\b|\b[0-9a-f]{8}-[0-9a-f-]{27}\b")  # keys, in the order in which they come
GONE = "context was destroyed"  # the page gave way to another one
HOUR = re.compile(r"\d+:\d\d:\d\d [AP]M|\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z")
OF_NOW = re.compile(r'\b1[0-9]{12}(?:\.\d+)?\b|"csrf_token","[^"]*"|(?<=\?v=)\w+')


class Story:
    """A page, and what has changed on it since the line before."""

    def __init__(self, page, live):
        self.page = page
        self.client = Client(live.app)
        self.keys: dict[str, str] = {}
        self.names: dict[str, str] = {}
        self.at, self.state = "", []
        self.where = "main, dialog[open], #waiting-line"
        page.add_init_script(STAGE)

    def did(self, line):
        """A line of what is done, with the lines of what it changes."""
        verb, _, rest = line.partition(" ")
        if verb in ("go", "post"):
            rest = rest.format_map(self.names)
        if verb == "tell":
            yield f"    = {self.same(json.dumps(self.asked(rest), ensure_ascii=False))}"
            return
        getattr(self, f"do_{verb}")(*shlex.split(rest))
        told = self.seen()
        if told is None:
            return
        state = [self.same(line) for line in told["state"]]
        yield from (f"    {self.same(event)}" for event in told["events"])
        if told["at"] != self.at:
            self.at, self.state = told["at"], [line for line in self.state if line.startswith("note ")]
        gone, come = Counter(self.state) - Counter(state), Counter(state) - Counter(self.state)
        yield from (f"    - {line}" for line in gone.elements())
        yield from (f"    + {line}" for line in come.elements())
        self.state = state

    def same(self, text):
        """The words without what is of this run."""
        text = OF_EACH_RUN.sub(lambda key: self.keys.setdefault(key[0], f"key {len(self.keys) + 1}"), text)
        return HOUR.sub("an hour", OF_NOW.sub("…", text))

    def seen(self):
        """What is seen when all is still."""
        told = self.asked("(where) => window.seen?.(where)", self.where)
        return told and json.loads(told)

    def asked(self, script, *given):
        """What a page answers; where it gives way to another one, what that answers."""
        while True:
            try:
                return self.page.evaluate(script, *given)
            except Error as error:
                if GONE not in str(error):
                    raise
                self.page.wait_for_load_state()

    def do_go(self, place):
        self.page.goto(place)

    def do_look(self, where):
        self.where = where

    def do_press(self, *keys):
        for key in keys:
            self.page.keyboard.press(key)

    def do_type(self, words):
        self.page.keyboard.type(words)

    def do_enter(self, *values):
        """Each value typed, and Enter after it."""
        for value in values:
            self.do_fill("#typed", value)
            self.page.keyboard.press("Enter")
            assert self.asked("() => window.rested()"), f"it never comes to rest after {value}"

    def do_click(self, words):
        part = self.page.evaluate_handle("(words) => window.pressable(words)", words).as_element()
        assert part, f"nothing to press says “{words}”"
        part.click()

    def do_fill(self, field, words):
        self.page.locator(field).first.fill(words)

    def do_choose(self, field, value):
        self.page.locator(field).first.select_option(value)

    def do_run(self, script):
        try:
            self.page.evaluate(script)
        except Error as error:
            if GONE not in str(error):
                raise

    def do_post(self, place, *fields):
        """Something that another device does meanwhile."""
        self.client.post(place, dict(field.split("=", 1) for field in fields))

    def do_read(self, place, unit, value):
        """What another device reads of a unit in a round."""
        answers(self.client, op(till(self.client, place), len(self.keys), unit, value))

    def do_note(self, place, words):
        """What another device notes of a round."""
        told = till(self.client, place)
        note = {"id": "device-a-note", "trial": told["trial"], "round": told["round"], "note": words, "seen_note": ""}
        answers(self.client, {**note, "at": 0})

    def do_slow(self, place):
        """What is asked there is answered late."""
        self.page.route(place, lambda route: (time.sleep(0.5), route.continue_()))

    def do_size(self, width, height):
        self.page.set_viewport_size({"width": int(width), "height": int(height)})

    def do_offline(self):
        self.page.context.set_offline(True)

    def do_online(self):
        self.page.context.set_offline(False)
        self.page.evaluate("window.dispatchEvent(new Event('online'))")

    def do_answer(self, place, status, json="{}"):
        """What a script is told there instead; a page still comes from the computer."""
        told = {"status": int(status), "body": json}
        is_page = "document"
        self.page.route(place, lambda r: r.continue_() if r.request.resource_type == is_page else r.fulfill(**told))

    def do_pass(self, place):
        self.page.unroute(place)

    def do_file(self, field, name, content=""):
        self.page.locator(field).first.set_input_files(
            {"name": name, "mimeType": "image/jpeg", "buffer": content.encode()}
        )

    def do_paste(self, field, words):
        """What a spreadsheet gives: cells between bars, rows between strokes."""
        given = "data.setData('text', words); const options = { clipboardData: data, bubbles: true, cancelable: true };"
        script = f"(cell, words) => {{ const data = new DataTransfer(); {given}"
        self.page.locator(field).first.evaluate(
            f"{script} cell.dispatchEvent(new ClipboardEvent('paste', options)); }}",
            words.replace("|", "\t").replace("/", "\n"),
        )

    def do_drag(self, of, right, down):
        box = self.page.locator(of).first.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + float(right), y + float(down), steps=2)
        self.page.mouse.up()

    def do_make(self, what):
        """A trial or a draft, made as a browser would; its address is told by its name."""
        client = self.client
        draft = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
        self.names["draft"] = draft
        if what == "draft":
            return
        planned(client, draft)
        if what == "photo":
            fill(client, draft, "measure", also=["cover"])
        if what == "kinds":
            kinds = ["soil_temperature", "purpling", "soil_smell", "first_seedling", "water_weighed"]
            kinds += ["surface_worms_by_kind", "breathing", "cover", "greenness"]
            fill(client, draft, "measure", also=kinds)
            fill(client, draft, "rules", repeats="0.2")
        trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
        number = re.search(r"round=(\d+)", client.get(f"{trial}/readings").text)[1]
        self.names |= {"trial": trial, "round": f"{trial}/rounds/{number}"}
        if what == "photo":
            client.post(f"{trial}/photos", {"file": (BytesIO(jpeg(scene(0.3, (400, 300))[0])), "P1.jpg")})


@pytest.mark.parametrize(
    ("garden", "device", "name"),
    [
        ("demo", "phone", "till"),
        ("empty", "phone", "kinds"),
        ("demo", "phone", "waiting"),
        ("demo", "page", "table"),
        ("empty", "page", "ground"),
        ("empty", "page", "sheet"),
        ("empty", "page", "steps"),
        ("demo", "page", "pages"),
        ("empty", "page", "pictures"),
        ("demo", "phone", "rules"),
        ("demo", "phone", "store"),
    ],
    indirect=["garden"],
)
def test_scripts_do_what_they_did(request, live, device, name, monkeypatch):
    for place in ("rounds", "meters"):
        monkeypatch.setattr(f"eproba.web.{place}.views.simulating", lambda: name == "kinds")
    story, lines = Story(request.getfixturevalue(device), live), []
    file = STORIES / f"{name}.txt"
    before = file.read_text("utf-8").splitlines()
    if os.environ.get("EPROBA_ANSWERS") == "write":
        before = []
    for line in (line for line in file.read_text("utf-8").splitlines() if not line.startswith("    ")):
        lines.append(line)
        if line.startswith("> "):
            lines += story.did(line[2:])
        changed = unified_diff(before[: len(lines)] if before else lines, lines, "before", "now", n=1, lineterm="")
        assert not (differences := list(changed)), "\n".join([line, *differences])
    if not before:
        file.write_text("\n".join(lines) + "\n", "utf-8")
