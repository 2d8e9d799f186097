"""The ground: places drawn to scale, and the cuts of them that become units."""

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal, get_args

from eproba.core.errors import EprobaError
from eproba.core.quantities import Amount
from eproba.core.trial.lots import Dealing
from eproba.core.words import plural

PlaceKind = Literal["bed", "lawn", "pots", "bench", "tray"]
UnitKind = Literal["pot", "patch", "cell", "strip", "bed"]
GradientKind = Literal["slope", "shade", "wall", "other"]
CODES: dict[UnitKind, str] = {"pot": "P", "patch": "H", "cell": "Z", "strip": "S", "bed": "B"}
SEVERAL: dict[UnitKind, str] = {"pot": "pots", "patch": "patches", "cell": "cells", "strip": "strips", "bed": "beds"}


@dataclass(frozen=True)
class UnitNoun:
    """What a gardener calls a unit of a trial: a pot, several pots; a unit where their kinds are mixed."""

    one: str = "unit"
    several: str = "units"

    def __call__(self, count: int) -> str:
        """So many of them: 1 pot, 12 pots."""
        return plural(count, self.one, self.several)


UNIT = UnitNoun()


def unit_noun(kinds: Collection[UnitKind]) -> UnitNoun:
    """The noun of a trial's units by their kinds."""
    kind = next(iter(kinds)) if len(set(kinds)) == 1 else None
    return UNIT if kind is None else UnitNoun(kind, SEVERAL[kind])


UNITS_OF: dict[PlaceKind, UnitKind] = {"bed": "patch", "lawn": "patch", "pots": "pot", "bench": "pot", "tray": "cell"}
STANDING: tuple[PlaceKind, ...] = ("pots", "bench", "tray")
MOST_PLACES, MOST_CM, MOST_CELLS = 12, 20_000.0, 200
ROUND = 0.785  # of its square, for the surface of a pot


class GroundError(EprobaError):
    """Ground that can't hold the trial; the message says what would fit."""

    step = "ground"


@dataclass(frozen=True)
class Place:
    """A rectangle of ground in cm, top left corner first; pots, bench and tray stand in rows and columns."""

    kind: PlaceKind
    name: str
    x_cm: float
    y_cm: float
    width_cm: float
    length_cm: float
    rows: int = 1
    columns: int = 1

    @property
    def standing(self) -> bool:
        """Whether its units are single vessels that can be moved."""
        return self.kind in STANDING


@dataclass(frozen=True)
class Gradient:
    """What changes over the ground, and which way it grows: degrees clockwise from the top of the plan."""

    kind: GradientKind
    towards: float

    def along(self, x: float, y: float) -> float:
        """How far a point lies along the gradient, cm."""
        turn = math.radians(self.towards)
        return x * math.sin(turn) - y * math.cos(turn)

    def across(self, x: float, y: float) -> float:
        turn = math.radians(self.towards)
        return x * math.cos(turn) + y * math.sin(turn)


@dataclass(frozen=True)
class Site:
    """All places of a trial. `north`: degrees clockwise from the top of the plan."""

    places: tuple[Place, ...]
    gradient: Gradient | None = None
    north: float = 0.0


@dataclass(frozen=True)
class Cut:
    """The ground of one unit: which place, its row and column there, order of walking, corner and size in cm.

    `number` is what stands on its tag; `size` a first measurement, where units were sorted by one.
    """

    kind: UnitKind
    number: int
    place: int
    row: int
    column: int
    walk: int
    x_cm: float
    y_cm: float
    width_cm: float
    length_cm: float
    block: str | None = None
    size: float | None = None

    @property
    def code(self) -> str:
        """The code on the tag, e.g. P7."""
        return f"{CODES[self.kind]}{self.number}"

    @property
    def where(self) -> str:
        """Its place, however many units stand on it one after the other."""
        return f"{self.place}-{self.row}-{self.column}"

    @property
    def ground_m2(self) -> float:
        """Its ground; pots are taken as round."""
        square = self.width_cm * self.length_cm / 10_000
        return ROUND * square if self.kind == "pot" else square

    @property
    def middle(self) -> tuple[float, float]:
        return self.x_cm + self.width_cm / 2, self.y_cm + self.length_cm / 2


def place_from(entry: dict[str, Any], position: int) -> Place:
    """One place as the page sends it.

    Raises
    ------
    GroundError
        With the name of the place, and what would fit.
    """
    name = str(entry.get("name") or "").strip()[:40] or f"Place {position + 1}"
    kind: Any = entry.get("kind")
    if kind not in get_args(PlaceKind):
        raise GroundError(f"{name}: choose bed, lawn, pots, bench or tray.")
    numbers = {key: _number(entry.get(key), name, key) for key in ("x_cm", "y_cm", "width_cm", "length_cm")}
    for key in ("width_cm", "length_cm"):
        if not 1 <= numbers[key] <= MOST_CM:
            text = "{}: {} doesn’t fit: give {} to {}."
            raise GroundError(text, name, Amount(numbers[key], "cm"), Amount(1, "cm"), Amount(MOST_CM / 100, "m"))
    rows, columns = (int(_number(entry.get(key, 1), name, key)) for key in ("rows", "columns"))
    if not (rows >= 1 and columns >= 1 and rows * columns <= MOST_CELLS):
        raise GroundError(f"{name}: {rows} × {columns} doesn’t fit: give up to {MOST_CELLS} in one place.")
    return Place(kind, name, rows=rows, columns=columns, **numbers)


def _number(value: Any, name: str, key: str) -> float:
    try:
        number = float(value)
    except (TypeError, ValueError):
        number = math.nan
    if not math.isfinite(number) or abs(number) > 10 * MOST_CM:
        raise GroundError(f"{name}: {key.replace('_cm', '')} must be a number of centimetres.")
    return number


def site_from(entry: dict[str, Any]) -> Site:
    """The whole ground as the page sends it, or as it was kept.

    Raises
    ------
    GroundError
        No place, too many, places that lie over each other, or a place that can't be.
    """
    entries = entry.get("places")
    if not isinstance(entries, list) or not entries:
        raise GroundError("Draw at least one place: a bed, a row of pots, a tray, a bench or a lawn patch.")
    if len(entries) > MOST_PLACES:
        raise GroundError(f"{len(entries)} places are too many for one trial; up to {MOST_PLACES}.")
    places = tuple(place_from(entry_ if isinstance(entry_, dict) else {}, i) for i, entry_ in enumerate(entries))
    for i, one in enumerate(places):
        for other in places[i + 1 :]:
            if _overlap(one, other):
                raise GroundError(f"{one.name} and {other.name} lie over each other: move one of them.")
    gradient = entry.get("gradient") or None
    if gradient is not None:
        if not isinstance(gradient, dict) or gradient.get("kind") not in get_args(GradientKind):
            raise GroundError("The gradient is a slope, a shade side, a wall or something else.")
        gradient = Gradient(gradient["kind"], _number(gradient.get("towards"), "Gradient", "direction") % 360)
    return Site(places, gradient, _number(entry.get("north", 0), "North", "direction") % 360)


def _overlap(one: Place, other: Place) -> bool:
    return (
        one.x_cm + one.width_cm > other.x_cm + 0.01
        and other.x_cm + other.width_cm > one.x_cm + 0.01
        and one.y_cm + one.length_cm > other.y_cm + 0.01
        and other.y_cm + other.length_cm > one.y_cm + 0.01
    )


def site_entry(site: Site) -> dict[str, Any]:
    """The ground as plain data, the way back from `site_from`."""
    gradient = site.gradient and vars(site.gradient)
    return {"places": [vars(place) for place in site.places], "gradient": gradient, "north": site.north}


def row_of(kind: PlaceKind, width_cm: float, length_cm: float, gap_cm: float, rows: int, columns: int) -> Place:
    """A place that holds rows × columns units of one size, a gap between any two."""
    name = {"pots": "Pots", "tray": "Tray", "bench": "Bench", "lawn": "Lawn"}.get(kind, "Bed")
    width, length = columns * (width_cm + gap_cm) - gap_cm, rows * (length_cm + gap_cm) - gap_cm
    if kind in STANDING:
        width, length = columns * (width_cm + gap_cm), rows * (length_cm + gap_cm)
    return Place(kind, name, 0.0, 0.0, width, length, rows, columns)


def borders(units: Sequence[tuple[Cut, str]], control: str, guard_cm: float) -> tuple[int, int]:
    """How many neighbours stand treated beside control, and how many neighbours there are at all.

    Neighbours lie side by side, no further apart than one and a half guards; between pots and cells nothing crosses.
    """
    if units and units[0][0].kind in ("pot", "cell"):
        return 0, 0
    reach = 1.5 * max(guard_cm, 1.0)
    pairs = [
        (mine, yours)
        for i, (one, mine) in enumerate(units)
        for other, yours in units[i + 1 :]
        if _beside(one, other, reach)
    ]
    return sum((mine == control) != (yours == control) for mine, yours in pairs), len(pairs)


def _beside(one: Cut, other: Cut, reach_cm: float) -> bool:
    gap_x = max(one.x_cm, other.x_cm) - min(one.x_cm + one.width_cm, other.x_cm + other.width_cm)
    gap_y = max(one.y_cm, other.y_cm) - min(one.y_cm + one.length_cm, other.y_cm + other.length_cm)
    return (gap_x < 0 and gap_y <= reach_cm + 0.01) or (gap_y < 0 and gap_x <= reach_cm + 0.01)


def walked(cuts: Sequence[Cut]) -> tuple[Cut, ...]:
    """The cuts with their order of walking: place by place, row by row, turning round at each row's end."""

    def step(cut: Cut) -> tuple[int, int, int]:
        return cut.place, cut.row, cut.column if cut.row % 2 == 0 else -cut.column

    order = {id(cut): i + 1 for i, cut in enumerate(sorted(cuts, key=step))}
    return tuple(replace(cut, walk=order[id(cut)]) for cut in cuts)


def unblocked_gradient(site: Site, dealing: Dealing) -> str:
    """The kind of a gradient that was drawn, where the lots fall across it anywhere; empty where they don't."""
    anywhere = dealing in ("completely random", "one of each")
    return site.gradient.kind if site.gradient is not None and anywhere else ""
