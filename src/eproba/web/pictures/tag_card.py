"""The card of a unit's tag: markers, code and grey patches, in cm, as `core/measuring/tag.py` looks for them."""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

import segno

from eproba.core.measuring.tag import CODE, CODE_AT, MARKER, MARKERS, PATCH, PATCHES, TALL, WIDE, marker_pattern

QUIET = 2  # modules of white around a code


@dataclass(frozen=True)
class TagCard:
    """Two drawings (SVG paths), and the patches: (x, y, side, colour)."""

    width: float
    height: float
    markers: str
    code: str
    patches: tuple[tuple[float, float, float, str], ...]


@lru_cache(maxsize=4096)
def tag_card(address: str) -> TagCard:
    """The card whose code leads to an address; kept, since finding the best mask takes its time."""
    matrix = segno.make(address, error="m").matrix
    module = CODE / (len(matrix) + 2 * QUIET)
    x, y = CODE_AT[0] + QUIET * module, CODE_AT[1] + QUIET * module
    patches = tuple((*at, PATCH, f"#{3 * f'{level:02x}'}") for at, level in PATCHES)
    return TagCard(WIDE, TALL, _markers(), _squares(matrix, x, y, module), patches)


@lru_cache(maxsize=1)
def _markers() -> str:
    drawn = []
    for number, (x, y) in enumerate(MARKERS):
        pattern = marker_pattern(number)
        drawn.append(_squares(pattern.tolist(), x, y, MARKER / len(pattern)))
    return "".join(drawn)


def _squares(rows: Iterable[Iterable[object]], x: float, y: float, side: float) -> str:
    """Every black square, those beside each other as one."""
    path = []
    for down, row in enumerate(rows):
        cells = [*map(bool, row), False]
        start = None
        for across, black in enumerate(cells):
            if black and start is None:
                start = across
            if not black and start is not None:
                at = f"M{x + start * side:.3f} {y + down * side:.3f}"
                path.append(f"{at}h{(across - start) * side:.3f}v{side:.3f}h-{(across - start) * side:.3f}z")
                start = None
    return "".join(path)
