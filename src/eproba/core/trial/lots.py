"""Lots: chance, not a person, chooses which unit gets what.

The deal orders the units by the SHA-256 of seed and place, so anybody can repeat it with any tool, on any machine, in
any year; each allowed layout is equally likely over seeds. One sheet of treatments is laid along that order.

References
----------
Fisher, R. A. (1935). The Design of Experiments: randomisation is what makes the error estimate valid.
"""

import hashlib
from collections.abc import Sequence
from typing import Literal

from eproba.core.errors import EprobaError
from eproba.core.stats.periods import FEWEST, MOST, permitted

ALGORITHM = "eproba-lots-1: places in order of SHA-256(seed:place), treatments laid along in turn"
SQUARE_ALGORITHM = "eproba-lots-1: cyclic square; rows, columns and letters each in order of SHA-256(seed:part:number)"
SCHEDULE_ALGORITHM = "eproba-lots-1: permitted schedules of the first place in order; the first by SHA-256(seed:number)"
Dealing = Literal["completely random", "blocks", "pairs", "Latin square", "one of each", "on and off"]


BLOCKED = ("blocks", "pairs")
DEALT: dict[Dealing, str] = {
    "completely random": "completely at random",
    "blocks": "in blocks",
    "pairs": "in pairs",
    "Latin square": "as a Latin square",
    "one of each": "one of each",
    "on and off": "on and off, period by period",
}


def in_blocks(dealing: Dealing) -> bool:
    """Whether each treatment lies once in each block (a pair is a block of two)."""
    return dealing in BLOCKED


ALGORITHMS: dict[Dealing, str] = {"Latin square": SQUARE_ALGORITHM, "on and off": SCHEDULE_ALGORITHM}


class LotsError(EprobaError):
    """Lots that can't be dealt; the message says what would fit."""

    step = "ground"


def shuffled(places: int, seed: str) -> list[int]:
    """The places 0 … n−1 in the order that the seed gives."""
    return sorted(range(places), key=lambda place: hashlib.sha256(f"{seed}:{place}".encode()).digest())


def deal_completely_random(treatments: Sequence[str], units_each: int, seed: str) -> list[str]:
    """Each treatment on `units_each` places, anywhere; returns the treatment of each place."""
    _check(treatments, units_each)
    sheet = [name for name in treatments for _ in range(units_each)]
    return _laid(sheet, seed)


def deal_in_blocks(treatments: Sequence[str], blocks: int, seed: str) -> list[str]:
    """Each treatment once in each block; places are numbered block by block."""
    _check(treatments, blocks)
    return [name for block in range(blocks) for name in _laid(list(treatments), f"{seed}:block {block + 1}")]


def deal_latin_square(treatments: Sequence[str], seed: str) -> list[str]:
    """Each treatment once in each row and column; places are numbered row by row.

    The cyclic square with its rows, columns and letters dealt anew, so every square of that family is equally likely
    (Fisher & Yates 1938; for four and more treatments there are squares outside the family).
    """
    _check(treatments, len(treatments))
    size = range(len(treatments))
    rows, columns, letters = (shuffled(len(treatments), f"{seed}:{part}") for part in ("rows", "columns", "letters"))
    return [treatments[letters[(rows[i] + columns[j]) % len(treatments)]] for i in size for j in size]


def deal_turns(treatments: Sequence[str], periods: int, seed: str) -> list[str]:
    """Two places that take turns: one of the permitted schedules, by lot; places are numbered period by period.

    Raises
    ------
    LotsError
        Anything but two treatments, an odd number of periods, too few or too many.
    """
    if len(treatments) != 2:
        raise LotsError(f"On and off is one thing against another, by turns: two treatments, not {len(treatments)}.")
    if periods % 2 or not FEWEST <= periods <= MOST:
        text = f"{periods} periods can’t be shared out between on and off"
        raise LotsError(f"{text}: an even number from {FEWEST} to {MOST}.")
    schedules = permitted(periods)
    chosen = schedules[shuffled(len(schedules), seed)[0]]
    first, second = treatments
    return [name for on in chosen for name in ((first, second) if on else (second, first))]


def deal(dealing: Dealing, treatments: Sequence[str], units_each: int, seed: str) -> list[str]:
    """Deal by the named design; `units_each` is also the number of blocks or pairs.

    Raises
    ------
    LotsError
        Fewer than two treatments, no unit, pairs of anything but two, a square that is not square.
    """
    if dealing == "Latin square":
        if units_each != len(treatments):
            text = f"A Latin square of {len(treatments)} treatments has {len(treatments)} units of each"
            raise LotsError(f"{text}, not {units_each}: take blocks instead.")
        return deal_latin_square(treatments, seed)
    if dealing == "on and off":
        return deal_turns(treatments, units_each, seed)
    if dealing in ("completely random", "one of each"):
        return deal_completely_random(treatments, units_each, seed)
    if dealing == "pairs" and len(treatments) != 2:
        raise LotsError(f"Pairs need exactly two treatments; you have {len(treatments)}: take blocks instead.")
    return deal_in_blocks(treatments, units_each, seed)


def how_to_check(dealing: Dealing) -> str:
    """How anybody can repeat the deal with any tool."""
    if dealing == "Latin square":
        return (
            "Number rows, columns and letters from 0 and sort each by the SHA-256 of “seed:rows:0” …, "
            "“seed:columns:0” …, “seed:letters:0” …. Row i and column j then meet in the sorted letter number "
            "(i-th sorted row + j-th sorted column) modulo the size."
        )
    if dealing == "on and off":
        return (
            "Write down every schedule of the first place that is on in half of the periods and never longer than two "
            "in a row on or off, sorted with on before off, numbered from 0. The one whose SHA-256 of “seed:0”, "
            "“seed:1” … comes first is taken; the second place has the opposite."
        )
    if in_blocks(dealing):
        return (
            "Number the places of each block from 0, in the order given here. Sort them by the SHA-256 of "
            "“seed:block 1:0”, “seed:block 1:1” … (the block’s own number), and lay A, B, C … along that order."
        )
    return (
        "Number the places from 0, in the order given here. Sort them by the SHA-256 of “seed:0”, “seed:1” …, and lay "
        "all the A, then all the B … along that order."
    )


def _laid(sheet: list[str], seed: str) -> list[str]:
    dealt = [""] * len(sheet)
    for place, name in zip(shuffled(len(sheet), seed), sheet, strict=True):
        dealt[place] = name
    return dealt


def _check(treatments: Sequence[str], units_each: int) -> None:
    if len(treatments) < 2:
        raise LotsError("A trial needs at least two treatments: one to test and one to compare it with.")
    if len(set(treatments)) < len(treatments):
        raise LotsError("Two treatments have the same name; name them apart.")
    if units_each < 1:
        raise LotsError("Each treatment needs at least one unit.")
