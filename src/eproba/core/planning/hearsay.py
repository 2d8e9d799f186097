"""What somebody said about a brew, in a few pasted lines, as a plan can take it: amounts, parts, intervals, crops,
promises.

Rules of ours and no more: what they do not know stays unread, and what was not said is named, to be asked for.
"""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, get_args

from eproba.core.errors import EprobaError
from eproba.core.planning.crops import CropKind
from eproba.core.planning.phrases import DAYS_OF
from eproba.core.quantities import Amount, System, Units, converted, in_base
from eproba.core.words import COUNTS, plural

Part = Literal["thing", "crop", "strength", "rate", "interval", "promise", "time"]
By = Literal["unit", "m2"]
LONGEST = 20_000  # characters that are looked at; more than three thousand words
FRACTIONS = {"½": 0.5, "¼": 0.25, "⅓": 1 / 3, "¾": 0.75, "half": 0.5, "half a": 0.5, "half an": 0.5, "quarter": 0.25}
UNITS: Mapping[str, str] = {  # as said, in the singular → as it is kept; a cup is the household's own
    "cup": "cup", "gallon": "us gallon", "gal": "us gallon", "quart": "us quart", "pint": "us pint", "litre": "l",
    "liter": "l", "l": "l", "ml": "ml", "millilitre": "ml", "milliliter": "ml", "tablespoon": "tbsp", "tbsp": "tbsp",
    "teaspoon": "tsp", "tsp": "tsp", "fl oz": "us fl oz", "fluid ounce": "us fl oz", "g": "g", "gram": "g", "kg": "kg",
    "kilo": "kg", "kilogram": "kg", "lb": "lb", "pound": "lb",
}  # fmt: skip
SPOONS: Mapping[System, Mapping[str, str]] = {  # the household’s own
    "metric": {"cup": "metric cup"}, "US": {"cup": "us cup", "tbsp": "us tbsp", "tsp": "us tsp"},
}  # fmt: skip
DOZENS = {"dozen": 12.0, "a dozen": 12.0, "fifteen": 15.0, "twenty": 20.0, "thirty": 30.0, "fifty": 50.0}
EACH = "plant|pot|seedling|unit|bush|bucket|hole"
_NUMBER = rf"(?:\d+/\d+|\d+(?:[.,]\d+)?|½|¼|⅓|¾|half an?|half|quarter|a dozen|an?|{'|'.join((*COUNTS[1:], *DOZENS))})"
_UNIT = rf"(?:{'|'.join(sorted(UNITS, key=len, reverse=True))})s?"
_PER = r"(?:to|in|into|per|for|on|/|with)\s+(?:each\s+|every\s+)?"
_SPAN = r"(?P<unit>day|week|fortnight|month)s?"
_MIXED = re.compile(
    rf"(?P<few>{_NUMBER})\s*(?P<in>{_UNIT})\b(?:\s+of\s+[\w\s-]{{1,30}}?)?\s+{_PER}"
    rf"(?P<much>{_NUMBER}\s*)?(?P<of>{_UNIT})\b"
)
_RATE = re.compile(
    rf"(?P<number>{_NUMBER})\s*(?P<unit>{_UNIT})\b(?:\s+of\s+[\w\s-]{{1,30}}?)?\s+"
    rf"(?:a|per|to|for|on|/|at|around)\s*(?:each |every |the |a )?"
    rf"(?:(?P<each>{EACH})|(?P<square>m²|m2|sq(?:uare)? ?m(?:et(?:re|er))?)|(?P<foot>sq(?:uare)? ?f(?:t|oot)))"
)
_PARTS = re.compile(
    rf"(?P<one>{_NUMBER})\s*(?:parts?\b(?:\s+of)?(?:\s+[a-z-]+){{0,3}}?)?\s*(?P<join>:|/|to|in|\+|and)\s*"
    rf"(?P<other>{_NUMBER})(?:\s*(?P<parts>parts?)\b)?(?:\s*(?:of\s+)?(?P<water>water))?(?!\s*(?:{_UNIT})\b)"
)
_ONE_IN = re.compile(rf"\b1/(?P<number>\d{{1,4}})\b(?!\s*(?:{_UNIT}|an?)\b)")
_TIMES = re.compile(rf"(?:diluted|thinned|cut)\s+(?P<number>{_NUMBER})\s*(?:x|times|fold)")
_NEAT = re.compile(r"\b(?:undiluted|neat|straight from|as it is)\b")
_HALVES = re.compile(r"\b(?:half and half|50/50|equal parts)\b")
_EVERY = re.compile(rf"\bevery\s+(?:(?P<number>other|second|{_NUMBER})\s+)?{_SPAN}")
_OFTEN = re.compile(
    rf"\b(?:(?P<times>once|twice|{_NUMBER}\s+times)\s+(?:a|per|each|every)\s+{_SPAN}"
    r"|(?P<word>daily|weekly|fortnightly|monthly))\b"
)
_ONCE = re.compile(r"\b(?:just|only) once\b|\ba single (?:time|dose|pour)\b")
_WITHIN = re.compile(rf"\b(?:within|in|after|by)\s+(?:just\s+|only\s+|about\s+)?(?P<number>{_NUMBER})\s*{_SPAN}")
_SIZE = re.compile(
    rf"\b(?:\d+\s*(?:%|percent|per cent)(?:\s+(?:more|bigger|taller|larger|less|fewer))?|twice (?:as|the)|"
    rf"doubles?|doubled|triples?|(?:{_NUMBER})\s*times (?:as|bigger|more|the))"
)
_DRINK = "tea|steep|feed|water|whey|ferment|extract|juice|brew|manure|mulch|compost|meal|pellets?|ash|castings"
_UNKNOWN = re.compile(rf"\b((?:[a-z][a-z-]+\s+){{1,2}}(?:{_DRINK}))\b")
FILLERS = re.compile(
    "an?|the|my|your|our|some|this|that|of|with|use[d]?|using|pour|poured|give|water|it|on|and|or|to|for|in|into|from|"
    "makes?|made|add|try|just|put|take|fresh|old|good|own|like|is|be|by|per|parts?|plain|diluted|every|each|lit(?:re|er)s?"
)
WORD_DAYS = {"daily": 1, "weekly": 7, "fortnightly": 14, "monthly": 30}
SPAN_DAYS = {"day": 1, "week": 7, "fortnight": 14, "month": DAYS_OF["m"]}


class HearsayError(EprobaError):
    """A name in the catalogue that leads nowhere; the message says which."""


@dataclass(frozen=True)
class Names:
    """What people call recipes and measures: by key, the names in lower case."""

    recipes: Mapping[str, tuple[str, ...]]
    measures: Mapping[str, tuple[str, ...]]


@dataclass(frozen=True)
class Heard:
    """One thing that was read: what about, the words it was read from, and as what it is taken."""

    part: Part
    words: str
    taken: str


@dataclass(frozen=True)
class Hearsay:
    """What could be read, empty or None where it was not said.

    `parts`: of water to one part of it; `other_parts`: what the same words may mean as well (“1 to 10”); `amount` in
    `unit` (mL, L or g) for each unit or each m² (`by`); `every`: days between two of them, 0 for once; `days`: until it
    is said to show.
    """

    thing: str = ""
    recipe: str = ""
    crop: str = ""
    measure: str = ""
    parts: float | None = None
    other_parts: float | None = None
    amount: float | None = None
    unit: str = ""
    by: By = "unit"
    every: int | None = None
    days: int | None = None
    heard: tuple[Heard, ...] = field(default=())

    @property
    def unsaid(self) -> tuple[Part, ...]:
        """What a plan needs, and nobody said."""
        said = {heard.part for heard in self.heard}
        return tuple(part for part in get_args(Part) if part not in said)


def names_from(file: Mapping[str, Any], recipes: Iterable[str], measures: Iterable[str]) -> Names:
    """Build the names from their TOML file. Raises HearsayError."""
    known = {"recipes": set(recipes), "measures": set(measures)}
    if set(file) != set(known):
        raise HearsayError(f"names have recipes and measures, not {', '.join(sorted(file))}")
    for group, keys in known.items():
        for key, names in file[group].items():
            if key not in keys:
                raise HearsayError(f"{key}: none of the {group}")
            if not names or not all(isinstance(name, str) and name == name.lower() for name in names):
                raise HearsayError(f"{key}: names are texts in lower case")
    return Names(*({key: tuple(names) for key, names in file[group].items()} for group in known))


def heard_in(
    text: str, names: Names, titles: Mapping[str, str], crops: Mapping[str, CropKind], units: Units
) -> Hearsay:
    """What a few pasted lines say; `titles` of the recipes by key."""
    saying = " ".join(text[:LONGEST].lower().replace("’", "'").split())
    reads = (
        _thing(saying, names, titles), _crop(saying, crops), _strength(saying, units.system), _rate(saying, units),
        _interval(saying), _promise(saying, names), _time(saying),
    )  # fmt: skip
    values = {key: value for read, _ in reads for key, value in read.items()}
    return Hearsay(**values, heard=tuple(heard for _, lines in reads for heard in lines))


Read = tuple[dict[str, Any], tuple[Heard, ...]]
NOTHING: Read = ({}, ())


def _thing(saying: str, names: Names, titles: Mapping[str, str]) -> Read:
    called = {name: key for key, known in names.recipes.items() for name in known}
    called |= {title.casefold(): key for key, title in titles.items()}
    match = _longest(saying, called)
    if match is not None:
        recipe = called[match]
        if recipe in titles:
            thing = titles[recipe]
            return {"thing": thing, "recipe": recipe}, (Heard("thing", match, f"the recipe “{thing}”"),)
    for unknown in _UNKNOWN.finditer(saying):
        words = unknown[1].split()
        while words and FILLERS.fullmatch(words[0]):
            words.pop(0)
        if len(words) > 1:
            thing = " ".join(words).capitalize()
            return {"thing": thing}, (Heard("thing", thing.lower(), "a thing without a recipe here"),)
    return NOTHING


def _longest(saying: str, names: Iterable[str]) -> str | None:
    """The longest of the names that is said, in whatever number."""
    return max((name for name in names if _said(name, saying)), key=len, default=None)


def _said(name: str, saying: str) -> re.Match[str] | None:
    many = f"{re.escape(name.removesuffix('y'))}ies" if name.endswith("y") else f"{re.escape(name)}e?s"
    return re.search(rf"\b(?:{many}|{re.escape(name)})\b", saying)


def _crop(saying: str, crops: Mapping[str, CropKind]) -> Read:
    name = _longest(saying, [name for kind in crops.values() for name in kind.names])
    match = None if name is None else _said(name, saying)
    if match is None:
        return NOTHING
    return {"crop": match[0]}, (Heard("crop", match[0], "the crop"),)


def _strength(saying: str, system: System) -> Read:
    """Parts of water to one part. “1 to 10” means eleven parts to some and ten to others; the first is taken."""
    for match in _MIXED.finditer(saying):
        both = [_kept_unit(match[unit], system) for unit in ("in", "of")]
        if any(unit.startswith("us ") for unit in both):  # a cup to a gallon is one of theirs
            both = [_kept_unit(match[unit], "US") for unit in ("in", "of")]
        few, much = in_base(_number(match["few"]), both[0]), in_base(_number(match["much"] or "1"), both[1])
        if few[1] == much[1] == "volume" and 0 < few[0] <= much[0]:
            return _parted(match[0], much[0] / few[0])
    for match in _PARTS.finditer(saying):
        small, large = sorted((_number(match["one"]), _number(match["other"])))
        joined, is_said = match["join"], match["parts"] or match["water"]
        if small <= 0 or large / small > 5000 or (joined in ("/", "and") and not is_said) or small == large:
            continue
        ratio = large / small
        if joined == "in":
            return _parted(match[0], ratio - 1, ratio)
        return _parted(match[0], ratio) if is_said else _parted(match[0], ratio, ratio - 1)
    for pattern in (_TIMES, _ONE_IN):
        thinned = pattern.search(saying)
        if thinned and (number := _number(thinned["number"])) >= 1:
            return _parted(thinned[0], number - 1, number)
    if halves := _HALVES.search(saying):
        return _parted(halves[0], 1.0)
    return _parted(neat[0], 0.0) if (neat := _NEAT.search(saying)) else NOTHING


def _parted(words: str, parts: float, other: float | None = None) -> Read:
    parts = round(parts, 2)
    taken = f"1 part and {parts:g} of water" if parts else "as it is, without water"
    read: dict[str, Any] = {"parts": parts}
    if other is not None and other > 0:
        read["other_parts"] = round(other, 2)
        taken += f"; some mean 1 part and {round(other, 2):g} of water"
    return read, (Heard("strength", words.strip(), taken),)


def _rate(saying: str, units: Units) -> Read:
    match = _RATE.search(saying)
    if match is None:
        return NOTHING
    amount, kind = in_base(_number(match["number"]), _kept_unit(match["unit"], units.system))
    by = "unit" if match["each"] else "m2"
    number = amount / (converted(1.0, "sq ft", "m²") if match["foot"] else 1.0)
    unit = "g" if kind == "mass" else "L" if number >= 1 else "mL"
    number = float(f"{number * (1000 if unit == 'mL' else 1):.3g}")
    taken = units(Amount(number, unit, "" if by == "unit" else "m²")) + (" for each of them" if by == "unit" else "")
    return {"amount": number, "unit": unit, "by": by}, (Heard("rate", match[0], taken),)


def _interval(saying: str) -> Read:
    if match := _EVERY.search(saying):
        number = match["number"] or "1"
        count = 2.0 if number in ("other", "second") else _number(number)
        return _spaced(match[0], round(count * SPAN_DAYS[match["unit"]]))
    if match := _OFTEN.search(saying):
        if match["word"]:
            return _spaced(match[0], WORD_DAYS[match["word"]])
        times = {"once": 1.0, "twice": 2.0}.get(match["times"]) or _number(match["times"].split()[0])
        return _spaced(match[0], max(1, round(SPAN_DAYS[match["unit"]] / max(times, 1))))
    if match := _ONCE.search(saying):
        return {"every": 0}, (Heard("interval", match[0], "once, on the first day"),)
    return NOTHING


def _spaced(words: str, days: int) -> Read:
    taken = "every day" if days == 1 else f"every {days} days"
    return {"every": max(1, days)}, (Heard("interval", words, taken),)


def _promise(saying: str, names: Names) -> Read:
    called = {name: key for key, known in names.measures.items() for name in known}
    name = _longest(saying, called)
    if name is None:
        return NOTHING
    size = _SIZE.search(saying)
    taken = "what the first measure is to show"
    heard = [Heard("promise", name, taken)]
    if size is not None:
        heard.append(Heard("promise", size[0], "a promise: the plan asks for the least that matters to you"))
    return {"measure": called[name]}, tuple(heard)


def _time(saying: str) -> Read:
    match = _WITHIN.search(saying)
    if match is None:
        return NOTHING
    days = round(_number(match["number"]) * SPAN_DAYS[match["unit"]])
    return {"days": days}, (Heard("time", match[0], plural(days, "day")),)


def _number(word: str) -> float:
    word = word.strip()
    if word in ("a", "an"):
        return 1.0
    if word in FRACTIONS:
        return FRACTIONS[word]
    if word in COUNTS:
        return float(COUNTS.index(word))
    if word in DOZENS:
        return DOZENS[word]
    if "/" in word:
        top, bottom = word.split("/")
        return int(top) / int(bottom) if int(bottom) else 0.0
    return float(word.replace(",", "."))


def _kept_unit(unit: str, system: System) -> str:
    known = UNITS.get(unit) or UNITS[unit.removesuffix("s")]
    return SPOONS[system].get(known, known)
