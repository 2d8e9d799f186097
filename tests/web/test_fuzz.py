"""Anything may be typed into any form, asked in any address, sent to any end: a message, never a fault of ours."""

import io
import re
from html import unescape

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import Client, demo_garden
from tests.web.entries import op, till

START = [
    "/",
    "/trials",
    "/calendar",
    "/shelf",
    "/recipes",
    "/measures",
    "/mix",
    "/weather",
    "/who",
    "/waiting",
    "/help",
]
START += [f"/trials/{n}" for n in range(1, 6)]
SAMPLES = 90  # addresses of one shape are alike: a few of each are enough
EACH_SHAPE = 2
ODD = [
    "", " ", "0", "-1", "²", "٣", "1,2", "1e300", "1e-300", "9" * 400, "nan", "inf", "1e999", "9999-12-31",
    "0001-01-01", "2026-02-30", "03/04/2026", "x", "X" * 6000, "<b>&amp;\"'", "\0", "a\nb\r\nc", "H1",
    "H1 1,2", "P3 100, P3 100",
    "take-x", "take-tired_bed-99", "remove-²", "🌱", "\u202e", "{}", "[" * 2000, '{"places": [{"kind": "bed"}]}',
    '{"places": [{"kind": "pots", "rows": 1e99, "columns": -1, "x_cm": "x"}], "gradient": 7}', "../../etc", "//evil",
    "y", "-" * 50, "1;DROP", "%s%n", "=1+1", "true", "null",
]  # fmt: skip
UNSAFE = {"sure"}  # what deletes for good: the garden must last for the next example
FILES = [
    b"",
    b"\0\1\2",
    b"\xff\xfe",
    b"date;unit\n",
    b"[a]\nb=1",
    b'{"a": {"b": [[[]]]}}',
    b"[" * 3000,
    b"\x89PNG\r\n\x1a\n",
]
JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
    max_leaves=8,
)


class Garden:
    """The app with every form and every shape of address that a walk over its pages finds."""

    def __init__(self, app) -> None:
        app.config["WTF_CSRF_ENABLED"] = False
        self.client = Client(app).plain
        self.forms: list[tuple[str, str, dict[str, str], bool]] = []
        self.pages: list[str] = []
        draft = self.client.post("/trials/new", base_url="http://localhost").headers["Location"].rsplit("/", 1)[0]
        steps = ("claim", "measure", "treatments", "ground", "chance", "days", "rules", "deal")
        self._walk([*START, *(f"{draft}/{step}" for step in steps)])

    def _walk(self, todo):
        shapes: dict[str, int] = {}
        while todo and len(self.pages) < SAMPLES:
            address = unescape(todo.pop(0))
            shape = re.sub(r"\d+|=[\w-]+", "#", address)
            shapes[shape] = shapes.get(shape, 0) + 1
            if shapes[shape] > EACH_SHAPE or address in self.pages:
                continue
            answer = self.get(address)
            self.pages.append(address)
            if answer.mimetype == "text/html":
                page = answer.get_data(as_text=True)
                self.forms += [
                    self._form(address, *found) for found in re.findall(r"<form([^>]*)>(.*?)</form>", page, re.S)
                ]
                todo += [a for a in re.findall(r'href="(/[^"#]*)"', page) if not a.startswith("/static")]

    @staticmethod
    def _form(page, head, body):
        action = re.search(r'action="([^"]*)"', head)
        fields = dict.fromkeys(re.findall(r'<(?:input|select|textarea|button)[^>]*\bname="([\w-]+)"', body), "")
        fields |= dict(re.findall(r'<input[^>]*\bname="([\w-]+)"[^>]*\bvalue="([^"]*)"', body))
        selects = re.findall(r'<select[^>]*name="([\w-]+)"[^>]*>(.*?)</select>', body, re.S)
        fields |= {name: unescape(v.group(1)) for name, each in selects if (v := re.search(r'value="([^"]+)"', each))}
        posts = "post" in head.lower()
        return unescape(action.group(1)) if action else page, "POST" if posts else "GET", fields, "multipart" in head

    def get(self, address):
        return self.client.get(address, base_url="http://localhost")

    def send(self, form, changes, file):
        address, method, fields, multipart = form
        data = {**fields, **{name: value for name, value in changes.items() if name not in UNSAFE}}
        if method == "GET":
            return self.client.get(address.split("?")[0], query_string=data, base_url="http://localhost")
        if multipart:
            data |= {name: (io.BytesIO(file), "x.bin") for name in ("file", "photo")}
        return self.client.post(address, data=data, base_url="http://localhost")


@demo_garden
def test_anything_is_answered(app):
    """One garden for all three, since the walk over it takes long; forms last, since they change it."""
    grown = Garden(app)
    assert len({form[0] for form in grown.forms}) > 40, "the walk finds the forms"
    the_end_for_entries_takes_anything(grown, app)
    every_address_answers_anything(grown)
    every_form_takes_anything(grown)


def every_form_takes_anything(grown):

    @settings(max_examples=20, suppress_health_check=[HealthCheck.too_slow])
    @given(st.data())
    def fuzz(data):
        form = data.draw(st.sampled_from(grown.forms))
        names = st.sampled_from([*form[2], "go", "next", "against", "treatments-x-name", "treatments-9-name", "seen"])
        changes = data.draw(st.dictionaries(names, st.sampled_from(ODD) | st.text(max_size=12), min_size=1, max_size=4))
        answer = grown.send(form, changes, data.draw(st.sampled_from(FILES)))
        assert answer.status_code < 500, (form[0], changes)

    fuzz()
    assert all(grown.get(page).status_code < 500 for page in grown.pages), "and what was kept breaks no page"


def every_address_answers_anything(grown):
    @settings(max_examples=20, suppress_health_check=[HealthCheck.too_slow])
    @given(st.data())
    def fuzz(data):
        address = data.draw(st.sampled_from(grown.pages)).split("?")[0]
        odd = data.draw(st.sampled_from(["0", "99999", str(2**31), str(2**63), "x", "%00", "²"]))
        if data.draw(st.booleans()):
            address = re.sub(r"\d+", odd, address, count=1)
        keys = [
            "round",
            "page",
            "find",
            "paper",
            "next",
            "unit",
            "measure",
            "reading",
            "recipe",
            "litres",
            "family",
            "check",
        ]
        query = data.draw(st.dictionaries(st.sampled_from(keys), st.sampled_from(ODD), max_size=3))
        answer = grown.client.get(address, query_string=query, base_url="http://localhost")
        assert answer.status_code < 500, (address, query)

    fuzz()


def the_end_for_entries_takes_anything(grown, app):
    address = next(a for a in grown.pages if "/trials/2/rounds/" in a)
    usual = op(till(Client(app), address), 1, "H1", "5")

    @settings(max_examples=20, suppress_health_check=[HealthCheck.too_slow])
    @given(st.dictionaries(st.sampled_from([*usual, "undo"]), JSON | st.sampled_from(ODD), max_size=4), JSON)
    def fuzz(changes, other):
        for body in ({"entries": [{**usual, **changes}, other]}, other):
            answer = grown.client.post("/entries", json=body, base_url="http://localhost")
            assert answer.status_code < 500, body

    fuzz()
    bomb = b"\x89PNG\r\n\x1a\n" + text_chunk(b"Comment\0\0", 40_000_000)
    data = {"photo": (io.BytesIO(bomb), "bomb.png")}
    assert grown.client.post("/batches/3", data=data, base_url="http://localhost").status_code == 400


def text_chunk(head, size):
    """A compressed text in a picture that unpacks to far more than it seems."""
    import struct
    import zlib

    ihdr = struct.pack(">IIBBBBB", 8, 8, 8, 2, 0, 0, 0)
    packed = head + zlib.compress(b"\0" * size)

    def chunk(kind, body):
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    return chunk(b"IHDR", ihdr) + chunk(b"zTXt", packed) + chunk(b"IEND", b"")
