"""The ground plan: to scale, what is where: places, units, blocks, guards, the gradient and north."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from eproba.core.measuring.measures import Measure
from eproba.core.quantities import METRIC, System, Units
from eproba.core.trial.ground import Cut, Place, Site
from eproba.core.trial.model import Trial
from eproba.web.ui.looks import Look

WIDTH = 940.0
MARGIN = 34.0
LEAST_WIDTH, LEAST_WIDTH_OF_GRADIENT = 260.0, 400.0  # for the scale and north, and the words of a gradient between
LEAST_TILE, MOST_TILE = 46.0, 130.0
WIDE_LETTER = 0.58  # of the letters' size, on average
LEAST_NAME = 0.94  # of the usual size: smaller can't be read
SMALL_PLAN, SMALL_TEXT = (330.0, 240.0), 12.3  # px that a plan to choose has, and a text in it
LEAST_TEXT, SMALLEST = 12.0, 15.0  # px that a text has on a screen at least; the smallest text of a plan, as drawn
GRADIENTS = {"slope": "downhill", "shade": "more shade", "wall": "to the wall", "other": "gradient"}


BARS: dict[System, tuple[tuple[str, int, float], ...]] = {
    "metric": tuple(
        [("m", n, 100.0 * n) for n in (10, 5, 2, 1)] + [("cm", n, float(n)) for n in (50, 20, 10, 5, 2, 1)]
    ),
    "US": tuple([("ft", n, 30.48 * n) for n in (30, 20, 10, 5, 2, 1)] + [("in", n, 2.54 * n) for n in (6, 3, 2, 1)]),
}


@dataclass(frozen=True)
class Tile:
    """One unit on the plan; `look` None: not dealt yet."""

    code: str
    look: Look | None
    x: float
    y: float
    width: float
    height: float
    round: bool
    lost: bool
    title: str
    share: float | None = None  # of the way from the smallest reading to the largest

    @property
    def plate(self) -> float:
        """Side of the plate that bears the letter."""
        return round(min(52.0, 0.62 * self.width, 0.72 * self.height), 1)

    def share_bar(self, share: float) -> str:
        """A bar along its foot, so much of it: within the rim of a pot."""
        inset = 0.24 * self.width if self.round else min(8.0, 0.1 * self.width)
        y = self.y + self.height - (0.1 * self.height if self.round else min(8.0, 0.1 * self.height))
        return f"M{self.x + inset:.1f} {y:.1f}h{(self.width - 2 * inset) * share:.1f}"

    def code_size(self, readable: float) -> float:
        """The size of its code where that stands alone: as a plate's letter, larger where the plan is shown small."""
        room = self.width / (WIDE_LETTER * len(self.code) + 0.4)
        return round(max(0.62 * self.plate, min(readable, room, 0.8 * self.height)), 1)


@dataclass(frozen=True)
class Frame:
    """An outline with a label: a block or a place."""

    label: str
    x: float
    y: float
    width: float
    height: float

    def name_within(self, size: float) -> tuple[str, float]:
        """The label and its size, no wider than the outline: smaller first, then cut short."""
        room = self.width / WIDE_LETTER
        fit = max(min(size, room / max(len(self.label), 1)), LEAST_NAME * size)
        letters = max(int(room / fit), 1)
        return self.label if len(self.label) <= letters else f"{self.label[: max(letters - 1, 1)]}…", round(fit, 1)


@dataclass(frozen=True)
class GroundPlan:
    """The drawing with its scale bar (`bar` drawing units are `bar_label`) and words for those who can't see it."""

    width: float
    height: float
    places: tuple[Frame, ...]
    tiles: tuple[Tile, ...]
    frames: tuple[Frame, ...]
    bar: float
    bar_label: str
    gradient: str
    gradient_turn: float | None
    north_turn: float
    words: str
    shaded: str = ""  # from which reading to which its units are shaded

    @property
    def least_width(self) -> int:
        """Pixels that it takes for everything in it to be read; a narrower screen shows it in a box that scrolls."""
        return math.ceil(self.width * LEAST_TEXT / SMALLEST)

    @property
    def readable(self) -> float:
        """The size of letters that can be read where the plan is one of some to choose from."""
        return round(SMALL_TEXT / min(SMALL_PLAN[0] / self.width, SMALL_PLAN[1] / self.height), 1)

    @property
    def is_tall(self) -> bool:
        return self.height > 0.9 * self.width


def ground_plan(
    site: Site,
    units: Sequence[tuple[Cut, str | None]],
    looks: Mapping[str, Look],
    lost: Mapping[str, str] | None = None,
    household: Units = METRIC,
) -> GroundPlan:
    """Draw places and units to scale.

    `units`: each cut with its letter (None: not dealt yet); `lost`: reasons by code; `told`: how the bar of the scale
    is labelled.
    """
    left = min(place.x_cm for place in site.places)
    top = min(place.y_cm for place in site.places)
    scale = _scale(site, [cut for cut, _ in units], left)

    def box(rectangle: Cut | Place) -> tuple[float, float, float, float]:
        x, y = MARGIN + (rectangle.x_cm - left) * scale, MARGIN + (rectangle.y_cm - top) * scale
        return round(x, 1), round(y, 1), round(rectangle.width_cm * scale, 1), round(rectangle.length_cm * scale, 1)

    tiles = tuple(_tile(cut, box(cut), looks.get(letter or ""), (lost or {}).get(cut.code)) for cut, letter in units)
    places = tuple(Frame(place.name, *box(place)) for place in site.places)
    right = max(place.x + place.width for place in places) + MARGIN
    bottom = max(place.y + place.height for place in places) + MARGIN
    bar_unit, bar_number, bar_cm = _bar(right / 2.5 / scale, household)
    gradient = site.gradient
    return GroundPlan(
        width=max(right, LEAST_WIDTH if gradient is None else LEAST_WIDTH_OF_GRADIENT),
        height=bottom + 34,
        places=places,
        tiles=tiles,
        frames=tuple(_frames([cut for cut, _ in units], tiles)),
        bar=round(bar_cm * scale, 1),
        bar_label=f"{bar_number} {bar_unit}",
        gradient="" if gradient is None else GRADIENTS[gradient.kind],
        gradient_turn=None if gradient is None else gradient.towards,
        north_turn=site.north,
        words=_words(units, looks, site),
    )


def _bar(longest_cm: float, units: Units) -> tuple[str, int, float]:
    """The bar of the scale, as long as there is room for: its unit, how many of them, and its length in cm."""
    bars = BARS[units.system]
    return next((bar for bar in bars if bar[2] <= longest_cm), bars[-1])


def ways_plan(trial: Trial, units: Units) -> GroundPlan:
    """Where the units stand, with nothing said of who got what: for the way through a round."""
    return ground_plan(trial.site, [(unit.cut, None) for unit in trial.laid_out], {}, household=units)


def _scale(site: Site, cuts: Sequence[Cut], left: float) -> float:
    """Fit the width; but never tiles too small to read or absurdly large."""
    across = max(place.x_cm + place.width_cm for place in site.places) - left
    scale = (WIDTH - 2 * MARGIN) / across
    if not cuts:
        return scale
    smallest, largest = min(cut.width_cm for cut in cuts), max(cut.width_cm for cut in cuts)
    return max(min(scale, MOST_TILE / min(largest, 120.0)), LEAST_TILE / smallest)


def _tile(cut: Cut, box: tuple[float, float, float, float], look: Look | None, lost: str | None) -> Tile:
    title = cut.code + (f": {look.letter} {look.name}" if look else "")
    if cut.size is not None:
        title += f", began at {cut.size:g}"
    if lost is not None:
        title += f", lost: {lost}"
    standing = cut.kind in ("pot", "cell")
    inset = (0.06 if cut.kind == "pot" else 0.03) * min(box[2], box[3]) if standing else 0.0
    x, y, width, height = box[0] + inset, box[1] + inset, box[2] - 2 * inset, box[3] - 2 * inset
    return Tile(
        cut.code, look, round(x, 1), round(y, 1), round(width, 1), round(height, 1), cut.kind == "pot",
        lost is not None, title,
    )  # fmt: skip


def _frames(cuts: Sequence[Cut], tiles: Sequence[Tile]) -> list[Frame]:
    blocks: dict[str, list[Tile]] = {}
    for cut, tile in zip(cuts, tiles, strict=True):
        if cut.block is not None:
            blocks.setdefault(cut.block, []).append(tile)
    frames = []
    for block, members in blocks.items():
        x, y = min(t.x for t in members), min(t.y for t in members)
        right, bottom = max(t.x + t.width for t in members), max(t.y + t.height for t in members)
        frames.append(Frame(block, round(x - 2, 1), round(y - 2, 1), round(right - x + 4, 1), round(bottom - y + 4, 1)))
    return frames


def _words(units: Sequence[tuple[Cut, str | None]], looks: Mapping[str, Look], site: Site) -> str:
    places = ", ".join(place.name for place in site.places)
    walked = sorted(units, key=lambda unit: unit[0].walk)
    words = ", ".join(
        f"{cut.code} {looks[letter].name if letter and letter in looks else ''}".strip() for cut, letter in walked
    )
    return f"Places: {places}. In walking order: {words}." if words else f"Places: {places}."


def trial_plan(
    trial: Trial, looks: Mapping[str, Look], units: Units, values: Mapping[str, float] | None = None
) -> GroundPlan:
    """The ground plan of a dealt trial, shaded by `values` of its first measure, by code."""
    lost = {unit.code: unit.lost_reason for unit in trial.units if unit.lost_on is not None}
    plan = ground_plan(trial.site, [(unit.cut, unit.letter) for unit in trial.laid_out], looks, lost, units)
    return plan if not values else _shaded(plan, values, trial.asked[0].measure)


def _shaded(plan: GroundPlan, values: Mapping[str, float], measure: Measure) -> GroundPlan:
    """Each unit with a bar as long as its reading is high, among those of the others."""
    low, high = min(values.values()), max(values.values())
    if high <= low:
        return plan
    tiles = tuple(
        replace(tile, share=round((values[tile.code] - low) / (high - low), 3)) if tile.code in values else tile
        for tile in plan.tiles
    )
    ends = f"{low:.{measure.decimals}f} to {high:.{measure.decimals}f} {measure.judged_unit}".strip()
    return replace(plan, tiles=tiles, shaded=ends)
