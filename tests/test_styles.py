"""The style sheets: small, in layers, one home for each class, and nothing measured or coloured but by tokens."""

import gzip
import re
from collections import defaultdict
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import NamedTuple

import pytest
import tinycss2
from tinycss2.color4 import parse_color

from eproba.web.ui.styles import STYLES, TOKENS, joined, sheets

WEB = STYLES.parents[1]
CLASS = re.compile(r"\.(-?[A-Za-z_][\w-]*)")
LAYERS = ["bulma", "tokens", "base", "parts", "pages", "print"]
SPACED = re.compile(r"(margin|padding|gap|row-gap|column-gap|scroll-padding)\b")
COLOURLESS = {"transparent", "currentcolor"}


class Rule(NamedTuple):
    sheet: str
    layer: str
    within: str
    selectors: list[str]
    declarations: dict[str, list]


def nested(nodes, sheet: str, layer: str = "", within: str = "") -> Iterator[Rule]:
    for node in nodes:
        if node.type == "qualified-rule":
            inside = tinycss2.parse_blocks_contents(node.content, skip_comments=True, skip_whitespace=True)
            selectors = re.split(r",(?![^(]*\))", tinycss2.serialize(node.prelude))
            values = {part.name: part.value for part in inside}
            yield Rule(sheet, layer, within, [" ".join(text.split()) for text in selectors], values)
        elif node.type == "at-rule" and node.content is not None and node.at_keyword in ("layer", "media"):
            prelude = tinycss2.serialize(node.prelude).strip()
            inner = tinycss2.parse_rule_list(node.content, skip_comments=True, skip_whitespace=True)
            of_layer = node.at_keyword == "layer"
            yield from nested(inner, sheet, prelude if of_layer else layer, within if of_layer else prelude)


def parsed(path: Path):
    return tinycss2.parse_stylesheet(path.read_text("utf-8"), skip_comments=True, skip_whitespace=True)


@cache
def rules() -> list[Rule]:
    return [rule for path in sheets() for rule in nested(parsed(path), path.stem)]


@cache
def bulma() -> set[str]:
    return set(CLASS.findall((WEB / "static" / "vendor" / "bulma.css").read_text("utf-8")))


def test_a_sheet_is_small_and_each_of_its_rules_lies_in_a_layer():
    assert [path.stem for path in sheets() if len(path.read_text("utf-8").splitlines()) > 300] == []
    order = next(tinycss2.serialize(node.prelude) for node in parsed(TOKENS) if node.content is None)
    assert [name.strip() for name in order.split(",")] == LAYERS
    assert {rule.layer for rule in rules()} == set(LAYERS) - {"bulma"}
    folders = {"base": "base", "parts": "parts", "pictures": "parts", "pages": "pages", "styles": "tokens"}
    for path in sheets():
        layers = {rule.layer for rule in rules() if rule.sheet == path.stem}
        assert layers <= {folders[path.parent.name], "print"}, path.stem
    assert all(rule.layer == "print" for rule in rules() if rule.within == "print"), "paper comes last"


def test_all_sheets_go_out_as_one_and_are_kept_for_ever(client):
    """On a device's cookie they do not depend, so a new one fetches nothing anew."""
    packed = client.get("/static/styles.css", headers={"Accept-Encoding": "gzip"})
    plain = client.get("/static/styles.css")
    assert gzip.decompress(packed.data) == plain.data == joined(sheets()).encode()
    assert (packed.headers["Vary"], packed.headers["Content-Encoding"]) == ("Accept-Encoding", "gzip")
    assert "immutable" in packed.headers["Cache-Control"]
    assert re.search(r"/static/styles\.css\?v=\w{12}", client.get("/").text)


def test_a_class_has_one_sheet():
    """The first class of a selector owns it: its rules stand together, and no other sheet reaches into it."""
    homes = defaultdict(set)
    for rule in rules():
        for selector in rule.selectors:
            owner = CLASS.search(selector)
            if owner and owner[1] not in bulma():
                homes[owner[1]].add(rule.sheet)
    assert {name: sheets for name, sheets in homes.items() if len(sheets) > 1} == {}
    strangers = [
        f"{rule.sheet}: {selector}"
        for rule in rules()
        for selector in rule.selectors
        for name in CLASS.findall(selector)
        if name in homes and rule.sheet not in homes[name]
    ]
    assert strangers == []


def test_a_selector_stands_once():
    """A second rule wins by order alone: it once moved every tick away from its words."""
    places = [(rule.sheet, rule.layer, rule.within, selector) for rule in rules() for selector in rule.selectors]
    alone = [place for place in places if re.fullmatch(r"\.[\w-]+", place[3])]
    assert sorted({place for place in alone if alone.count(place) > 1}) == []


def outside_tokens(rule: Rule) -> Iterator[str]:
    for name, value in rule.declarations.items():
        if name.startswith("--bulma"):
            continue
        text = tinycss2.serialize(value).strip()
        for token in value:
            named = token.type == "ident" and token.lower_value in COLOURLESS
            if not named and token.type in ("hash", "ident", "function") and parse_color(token) is not None:
                yield f"{name}: {text}"
        numbers = re.sub(r"var\([^)]*\)", "", text)
        if name in ("font", "font-size") and re.search(r"\d(px|r?em|%)", numbers):
            yield f"{name}: {text}"
        if SPACED.match(name) and re.search(r"[\d.]+(px|r?em)", numbers):
            yield f"{name}: {text}"
        if "radius" in name and re.search(r"\d(px|r?em)", numbers):
            yield f"{name}: {text}"


def test_no_colour_size_or_space_stands_outside_the_tokens():
    others = [rule for rule in rules() if rule.layer != "tokens"]
    assert [f"{rule.sheet} {rule.selectors[0]} {text}" for rule in others for text in outside_tokens(rule)] == []
    tokens = next(rule for rule in rules() if rule.layer == "tokens").declarations
    for kind in ("text", "space"):
        assert sum(name.startswith(f"--{kind}-") for name in tokens) == 6
    used = set(re.findall(r"var\((--[\w-]+)", joined(sheets())))
    own = {name for name in tokens if not name.startswith("--bulma")}
    assert own - used == set(), "tokens that nobody needs"
    given = {name for rule in rules() for name in rule.declarations}
    assert {name for name in used if not name.startswith("--bulma")} - given == set(), "tokens that nobody gives"


@pytest.mark.parametrize("value", ["#abc", "black", "rgb(1 2 3)", "1px solid red"])
def test_a_colour_by_hand_is_seen(value):
    rule = next(nested(tinycss2.parse_stylesheet(f"@layer parts {{ .panel {{ border: {value} }} }}"), "panel"))
    assert list(outside_tokens(rule)) == [f"border: {value}"]


@cache
def sources(*kinds: str) -> str:
    paths = [path for kind in kinds for path in WEB.rglob(f"*.{kind}") if "vendor" not in path.parts]
    return "\n".join(path.read_text("utf-8") for path in paths)


def in_templates() -> set[str]:
    """Each class that a template names in full."""
    names = set()
    for value in re.findall(r'(?<![:\w-])class="((?:[^"{]|\{\{.*?\}\}|\{%.*?%\})*)"', sources("html"), re.S):
        plain = re.sub(r"\{%.*?%\}", " ", value, flags=re.S)
        plain = re.sub(r"\{\{.*?\}\}", "?", plain, flags=re.S)
        names |= {name for name in plain.split() if "?" not in name}
    return names


def test_every_class_has_a_look_and_every_look_a_page():
    """Or is a hook, by which a script or a test finds its thing."""
    ours = {name for rule in rules() for selector in rule.selectors for name in CLASS.findall(selector)}
    source = sources("html", "py", "js", "svg")
    words = set(re.findall(r"[\w-]+", source))
    begun = set(re.findall(r"[ \"]([\w]+-?)\{", source))  # c{{ tenth }}, on-{{ paper }}
    named = {name for name in ours if name in words or name.removeprefix("is-").replace("-", " ") in source}
    put_together = {name for name in ours if any(re.fullmatch(rf"{start}(\d+|\w\d|letter)", name) for start in begun)}
    assert ours - bulma() - named - put_together == set(), "no page has these"
    tests = "\n".join(path.read_text("utf-8") for path in Path(__file__).parent.rglob("*.py"))
    hooks = set(CLASS.findall(sources("js"))) | set(CLASS.findall(tests))
    assert in_templates() - ours - bulma() - hooks == set(), "these have no look"
