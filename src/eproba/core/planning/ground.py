"""The ground plan: places in rows, walked like an ox ploughs, with guards between."""

from dataclasses import dataclass
from typing import Literal

UnitKind = Literal["pot", "patch", "cell", "strip", "bed"]
CODES: dict[UnitKind, str] = {"pot": "P", "patch": "H", "cell": "Z", "strip": "S", "bed": "B"}


@dataclass(frozen=True)
class Ground:
    """Size of one unit (cm), the guard between two of them (cm) and how many stand in a row."""

    kind: UnitKind
    width_cm: float
    length_cm: float
    guard_cm: float
    per_row: int


@dataclass(frozen=True)
class Place:
    """A place of the plan: 0-based row and column, order of walking from 1, top left corner in cm."""

    row: int
    column: int
    walk: int
    x_cm: float
    y_cm: float


def places(ground: Ground, count: int, block_size: int) -> list[Place]:
    """The places in dealing order: row by row, whole blocks kept side by side (`block_size` 1: no blocks).

    Walking order turns round at each row's end, so that nobody walks back empty-handed.
    """
    per_row = max(block_size, ground.per_row // block_size * block_size)
    laid = []
    for place in range(count):
        row, column = divmod(place, per_row)
        in_row = min(per_row, count - row * per_row)
        step = column if row % 2 == 0 else in_row - 1 - column
        x = column * (ground.width_cm + ground.guard_cm) + column // block_size * _block_gap(ground, block_size)
        y = row * (ground.length_cm + ground.guard_cm + _block_gap(ground, block_size))
        laid.append(Place(row, column, row * per_row + step + 1, x, y))
    return laid


def _block_gap(ground: Ground, block_size: int) -> float:
    """A little more air between blocks, so that the eye sees them."""
    return 0.0 if block_size == 1 else 0.3 * ground.width_cm


def code(kind: UnitKind, place: int) -> str:
    """The code on the tag, e.g. P7."""
    return f"{CODES[kind]}{place + 1}"
