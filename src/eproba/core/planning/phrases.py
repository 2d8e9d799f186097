"""What is said in the slots of a trial's sheet, in a gardener's words: “12 pots”, “2 beds of 4 × 8 ft”, “4 weeks”.

Each phrase can be read and said: what is read of what was said is the same again.
"""

import re
from dataclasses import dataclass
from typing import Literal

from eproba.core.errors import EprobaError
from eproba.core.quantities import QuantityError, Units, converted
from eproba.core.trial.days import MOST_DAYS
from eproba.core.trial.ground import MOST_CELLS, MOST_CM, Place, PlaceKind, Site
from eproba.core.words import COUNTS, NumberError, figure, parse_number, plural

LENGTHS = {  # what people also write
    "centimetres": "cm", "metre": "m", "metres": "m", "meter": "m", "meters": "m", "foot": "ft", "'": "ft",
}  # fmt: skip
KINDS: dict[str, PlaceKind] = {
    "pot": "pots", "bucket": "pots", "can": "pots", "container": "pots", "bed": "bed", "border": "bed", "plot": "bed",
    "lawn": "lawn", "patch": "lawn", "tray": "tray", "cell": "tray",
}  # fmt: skip
MANY = {"patches": "patch", "lawns": "lawn", "boxes": "box"}
USUAL_CM: dict[PlaceKind, tuple[float, float]] = {"bed": (240.0, 120.0), "lawn": (200.0, 200.0)}
BETWEEN_CM, CELL_CM, USUAL_CELLS = 40.0, 5.0, 24
MOST_POTS = 800  # a hundred of each of eight treatments
_HOW_MANY = rf"(?P<count>\d{{1,6}}|an?|the|some|{'|'.join(COUNTS[1:])})"
_KIND = "(?P<kind>pots?|buckets?|cans?|containers?|beds?|borders?|plots?|lawns?|patch|patches|trays?|cells?)"
_SIZE = r"""(?P<width>[\d.,]+)\s*(?P<first>[a-z'"]*)\s*(?:x|×|by)\s*(?P<length>[\d.,]+)\s*(?P<second>[a-z'"]*)"""
_AFTER = rf"(?:\s*(?:of|with|,|:)?\s+(?:{_SIZE}|(?P<cells>\d+)(?:\s+cells)?))?"
_GROUND = re.compile(rf"(?:{_HOW_MANY}\s+)?(?:\w+\s+)??{_KIND}{_AFTER}")
_TIME = re.compile(rf"(?P<count>\d{{1,4}}|an?|{'|'.join(COUNTS[1:])})?\s*(?P<unit>days?|d|weeks?|w|months?)?")
DAYS_OF = {"d": 1, "w": 7, "m": 30}


class PhraseError(EprobaError):
    """A slot that can't be read; the message says what would fit."""


@dataclass(frozen=True)
class SaidGround:
    """What somebody has: so many pots (`pots`, which stand wherever there is room), or ground of a size (`site`)."""

    pots: int | None
    site: Site | None


def ground_said(text: str, units: Units) -> SaidGround:
    """Ground in a gardener's words. Raises PhraseError."""
    cleaned = " ".join(text.lower().split())
    match = _GROUND.fullmatch(cleaned.removeprefix("i have ").rstrip("."))
    if match is None:
        example = "2 beds of 4 × 8 ft" if units.system == "US" else "2 beds of 1.2 × 2.4 m"
        raise PhraseError(f"“{text.strip()}” is no ground that can be read: write 12 pots, {example}, or a tray of 40.")
    count, kind = _counted(match["count"]), KINDS[_single(match["kind"])]
    if kind == "pots":
        if not 2 <= count <= MOST_POTS:
            raise PhraseError(f"{plural(count, 'pot')} can’t be shared out: say 2 to {MOST_POTS}, best twelve or more.")
        return SaidGround(count, None)
    if kind == "tray":
        cells = count if match["kind"].startswith("cell") else int(match["cells"] or USUAL_CELLS)
        return SaidGround(None, Site((_tray(cells),)))
    return SaidGround(None, Site(_side_by_side(kind, count, _size(match, kind, units))))


def _counted(word: str | None) -> int:
    if word is None or word in ("a", "an", "the"):
        return 1
    if word == "some":
        return 12
    return COUNTS.index(word) if word in COUNTS else int(word)


def _single(word: str) -> str:
    return MANY.get(word) or word.removesuffix("s")


def _size(match: re.Match[str], kind: PlaceKind, units: Units) -> tuple[float, float]:
    """Width and length in cm."""
    if match["width"] is None:
        return USUAL_CM[kind]
    second = _length_unit(match["second"], units)
    sides = (_side(match["width"], match["first"] or second, units), _side(match["length"], second, units))
    if not all(20.0 <= side <= MOST_CM for side in sides):
        raise PhraseError("A place is between 20 cm and 200 m long and wide.")
    return sides


def _length_unit(word: str, units: Units) -> str:
    return word or ("ft" if units.system == "US" else "m")


def _side(number: str, unit: str, units: Units) -> float:
    try:
        return converted(parse_number(number), LENGTHS.get(unit, unit), "cm")
    except NumberError as error:
        raise PhraseError(f"{error}.") from error
    except QuantityError as error:
        raise PhraseError(f"“{unit}” is no length: write m, cm, ft or in.") from error


def _side_by_side(kind: PlaceKind, count: int, size: tuple[float, float]) -> tuple[Place, ...]:
    if not 1 <= count <= 12:
        raise PhraseError(f"{count} are too many to draw at once: up to twelve, or draw them under Ground and cutting.")
    name = "Bed" if kind == "bed" else "Lawn"
    width, length = size
    return tuple(
        Place(kind, name if count == 1 else f"{name} {place + 1}", place * (width + BETWEEN_CM), 0.0, width, length)
        for place in range(count)
    )


def _tray(cells: int) -> Place:
    """As square as so many cells can stand."""
    if not 2 <= cells <= MOST_CELLS:
        raise PhraseError(f"A tray holds 2 to {MOST_CELLS} cells.")
    rows = max(rows for rows in range(1, int(cells**0.5) + 1) if cells % rows == 0)
    columns = cells // rows
    return Place("tray", "Tray", 0.0, 0.0, columns * CELL_CM, rows * CELL_CM, rows, columns)


def site_words(site: Site, units: Units) -> str:
    """Ground as one would say it: “2 beds of 1.2 × 2.4 m”; places of several kinds by their names."""
    first = site.places[0]
    alike = all((p.kind, p.width_cm, p.length_cm) == (first.kind, first.width_cm, first.length_cm) for p in site.places)
    if first.kind == "tray" and len(site.places) == 1:
        return f"a tray of {first.rows * first.columns}"
    if first.kind in ("pots", "bench") and len(site.places) == 1:
        return plural(first.rows * first.columns, "pot")
    if not alike or first.kind not in ("bed", "lawn"):
        return ", ".join(place.name for place in site.places)
    count = len(site.places)
    named = {"bed": ("a bed", "beds"), "lawn": ("a lawn", "lawns")}[first.kind]
    many = named[0] if count == 1 else f"{count} {named[1]}"
    return f"{many} of {_size_words(first, units)}"


def _size_words(place: Place, units: Units) -> str:
    unit: Literal["ft", "m"] = "ft" if units.system == "US" else "m"
    width, length = (
        f"{side / converted(1.0, unit, 'cm'):.2f}".rstrip("0").rstrip(".") for side in (place.width_cm, place.length_cm)
    )
    return f"{width} × {length} {unit}"


def days_said(text: str) -> int:
    """A span in days: “4 weeks”, “a month”, “28”. Raises PhraseError."""
    match = _TIME.fullmatch(" ".join(text.lower().split()))
    if match is None or not any(match.groups()):
        raise PhraseError(f"“{text.strip()}” is no time that can be read: write 4 weeks, or 28 days.")
    days = _counted(match["count"]) * DAYS_OF[(match["unit"] or "days")[0]]
    if not 1 <= days <= MOST_DAYS:
        raise PhraseError(f"A trial lasts 1 to {MOST_DAYS} days.")
    return days


def days_words(days: int) -> str:
    """“4 weeks”, “10 days”."""
    return plural(days // 7, "week") if days % 7 == 0 else plural(days, "day")


def worth_said(text: str) -> tuple[float | None, str]:
    """A worth and the unit that it came with, “%” or the measure's; None: any difference. Raises PhraseError."""
    cleaned = text.strip()
    if cleaned.lower() in ("", "anything", "any", "any gap", "nothing"):
        return None, ""
    match = re.fullmatch(r"([\d.,]+)\s*(\D*)", cleaned)
    number, unit = (cleaned, "") if match is None else match.groups()
    try:
        return parse_number(number), "%" if unit.strip() in ("%", "percent", "per cent") else unit.strip()
    except NumberError as error:
        raise PhraseError(f"{error}, with % or the measure’s unit.") from error


def worth_shown(number: float | None, unit: str) -> str:
    """“15 %”, “2 cm”; “anything” where any difference counts."""
    return "anything" if number is None else f"{figure(number) if number % 1 else f'{number:.0f}'} {unit}".strip()
