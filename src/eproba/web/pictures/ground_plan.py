"""The ground plan: to scale, what is where. Unit width is 100 drawing units."""

from dataclasses import dataclass

from eproba.core.planning.ground import Ground
from eproba.core.planning.trial import Unit
from eproba.web.pictures.looks import Look

MARGIN = 30
BLOCK_PAD = 8


@dataclass(frozen=True)
class Tile:
    """One unit on the plan."""

    code: str
    look: Look
    x: float
    y: float
    width: float
    height: float
    walk: int
    lost: bool
    title: str


@dataclass(frozen=True)
class Frame:
    """The outline of one block."""

    label: str
    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True)
class GroundPlan:
    """The drawing with its scale bar (`bar` drawing units are `bar_label`) and words for those who can't see it."""

    width: float
    height: float
    round_units: bool
    tiles: tuple[Tile, ...]
    frames: tuple[Frame, ...]
    bar: float
    bar_label: str
    words: str


def ground_plan(ground: Ground, units: tuple[Unit, ...] | list[Unit], looks: dict[str, Look]) -> GroundPlan:
    """Draw the units to scale."""
    scale = 100 / ground.width_cm
    height = ground.length_cm * scale
    tiles = tuple(_tile(unit, looks[unit.letter], scale, height) for unit in units)
    right = max(tile.x + tile.width for tile in tiles) + MARGIN
    bottom = max(tile.y + tile.height for tile in tiles) + MARGIN
    bar_cm = next((cm for cm in (500, 200, 100, 50, 20, 10, 5, 2) if cm * scale <= right / 2.5), 1)
    label = f"{bar_cm // 100} m" if bar_cm >= 100 else f"{bar_cm} cm"
    return GroundPlan(
        width=right,
        height=bottom + 34,
        round_units=ground.kind == "pot",
        tiles=tiles,
        frames=tuple(_frames(units, tiles)),
        bar=bar_cm * scale,
        bar_label=label,
        words=_words(units, looks),
    )


def _tile(unit: Unit, look: Look, scale: float, height: float) -> Tile:
    lost = unit.lost_on is not None
    title = f"{unit.code}: {look.letter} {look.name}" + (f", lost: {unit.lost_reason}" if lost else "")
    x, y = MARGIN + unit.x_cm * scale, MARGIN + unit.y_cm * scale
    return Tile(unit.code, look, x, y, 100.0, height, unit.walk, lost, title)


def _frames(units: tuple[Unit, ...] | list[Unit], tiles: tuple[Tile, ...]) -> list[Frame]:
    blocks: dict[str, list[Tile]] = {}
    for unit, tile in zip(units, tiles, strict=True):
        if unit.block is not None:
            blocks.setdefault(unit.block, []).append(tile)
    frames = []
    for block, members in blocks.items():
        x, y = min(t.x for t in members), min(t.y for t in members)
        right = max(t.x + t.width for t in members)
        bottom = max(t.y + t.height for t in members)
        pad = BLOCK_PAD
        frames.append(Frame(f"{block}", x - pad, y - pad, right - x + 2 * pad, bottom - y + 2 * pad))
    return frames


def _words(units: tuple[Unit, ...] | list[Unit], looks: dict[str, Look]) -> str:
    walked = sorted(units, key=lambda unit: unit.walk)
    return "In walking order: " + ", ".join(f"{u.code} {looks[u.letter].name}" for u in walked) + "."
