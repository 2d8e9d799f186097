"""The shuffle test of a Latin square: the whole square is dealt again, its rows, its columns and its letters.

References
----------
Fisher, R. A. (1935). The Design of Experiments, ch. V.
Bailey, R. A. (2008). Design of Comparative Experiments, ch. 9: which deals a square's lots could have given.
"""

import functools
import math
from collections.abc import Sequence
from itertools import permutations

import numpy as np
from numpy.typing import NDArray

from eproba.core.stats.linear import Array, Fit, clear_of, nuisance_span
from eproba.core.stats.series import UnitValue
from eproba.core.stats.shuffle import RANDOM_DEALS, TIE, ShuffleTest

MOST_EXACT = 4  # a side of five has some hundred thousand squares: drawn at random


def square_of(units: Sequence[UnitValue]) -> NDArray[np.int_] | None:
    """The letters of a whole Latin square (side, side), lost units counted; None for any other layout of rows and
    columns."""
    rows, columns, letters = (
        sorted({str(getattr(unit, field)) for unit in units}) for field in ("row", "column", "treatment")
    )
    side = len(letters)
    if not len(rows) == len(columns) == side or len(units) != side**2 or any(unit.block for unit in units):
        return None
    square = np.full((side, side), -1)
    for unit in units:
        square[rows.index(str(unit.row)), columns.index(str(unit.column))] = letters.index(unit.treatment)
    whole = all(len(set(line)) == side for line in (*square.tolist(), *square.T.tolist()))
    return square if whole and square.min() >= 0 else None


def square_tests(
    units: Sequence[UnitValue],
    others: Sequence[str],
    model: Fit,
    values: Array,
    baseline: Array | None,
    every: Sequence[UnitValue],
    seed: int,
) -> list[list[ShuffleTest]] | None:
    """Test each treatment against the control, by the model's t: for each of `others` one test a measure.

    Parameters
    ----------
    units : the living ones, (n,) in the order of `values` (n, m); `every` holds the lost ones too.
    model : the fit of the lots as they fell, treatments beside the control as in `others`.

    Returns
    -------
    list or None
        None for a layout that is no whole Latin square: then nobody knows how else its lots could have fallen.

    Notes
    -----
    With all letters dealt again the test asks whether anything works at all. No interval: under a true gap of one
    letter the others' gaps would have to be known.
    """
    square = square_of(every)
    if square is None or len(others) + 1 < len(square):
        return None
    side = len(square)
    rows, columns = (sorted({str(getattr(unit, field)) for unit in every}) for field in ("row", "column"))
    places = [rows.index(str(unit.row)) * side + columns.index(str(unit.column)) for unit in units]
    names = sorted({unit.treatment for unit in every})
    exact = side <= MOST_EXACT
    squares = all_squares(square.tobytes(), side) if exact else random_squares(square, seed)
    span = nuisance_span(units, baseline)
    cleared = clear_of(span, values - values[0])
    letters = [names.index(name) for name in others]
    statistics = np.concatenate([
        _ts(squares[start : start + 500, places], letters, span, cleared, model.df)
        for start in range(0, len(squares), 500)
    ])  # fmt: skip
    lots = np.array([names.index(unit.treatment) for unit in units])[None]
    seen = _ts(lots, letters, span, cleared, model.df)[0]
    beyond = (statistics >= seen * (1 - TIE)).sum(axis=0) + (0 if exact else 1)
    total = len(squares) + (0 if exact else 1)
    smallest = best_square_p(side, len(squares)) if exact else 1 / total
    return [
        [
            ShuffleTest(
                float(model.estimates[i, j]), float(beyond[i, j]) / total, len(squares), exact, smallest, None, None,
                int(beyond[i, j]), (),
            )
            for j in range(values.shape[1])
        ]
        for i in range(len(others))
    ]  # fmt: skip


def best_square_p(side: int, squares: int) -> float:
    """The smallest p that these squares can give: our gap is as large with two letters changed over, and however the
    other letters are named."""
    return min(1.0, 2 * math.factorial(side - 2) / squares)


@functools.lru_cache(maxsize=8)
def all_squares(square: bytes, side: int) -> NDArray[np.int_]:
    """Every square that permuted rows, columns and letters give, each once: (squares, side²)."""
    base = np.frombuffer(square, dtype=np.int_).reshape(side, side)
    orders = [list(permutation) for permutation in permutations(range(side))]
    dealt = {
        np.array(letters)[base[rows][:, columns]].tobytes()
        for rows in orders
        for columns in orders
        for letters in orders
    }
    return np.array([np.frombuffer(raw, dtype=np.int_) for raw in sorted(dealt)])


def random_squares(square: NDArray[np.int_], seed: int) -> NDArray[np.int_]:
    """Squares drawn evenly from those: (squares, side²)."""
    side, rng = len(square), np.random.default_rng(seed)
    rows, columns, letters = (
        rng.permuted(np.tile(np.arange(side), (RANDOM_DEALS, 1)), axis=1) for _ in range(3)
    )  # fmt: skip
    moved = square[rows[:, :, None], columns[:, None, :]]
    return np.asarray(np.take_along_axis(letters, moved.reshape(RANDOM_DEALS, side * side), axis=1))


def _ts(dealt: NDArray[np.int_], letters: Sequence[int], span: Array, cleared: Array, df: int) -> Array:
    """|t| of each letter against the control for each deal (deals, n): (deals, letters, measures)."""
    indicator = (dealt[:, :, None] == np.array(letters)).astype(float)
    indicator -= np.einsum("nr,mr,dmk->dnk", span, span, indicator, optimize=True)
    inverse = np.linalg.pinv(np.einsum("dnk,dnl->dkl", indicator, indicator), hermitian=True)
    crossed = np.einsum("dnk,nm->dkm", indicator, cleared)
    gaps = inverse @ crossed
    squares = np.maximum((cleared**2).sum(axis=0) - (gaps * crossed).sum(axis=1), 1e-26 * (cleared**2).sum(axis=0))
    if df < 1:
        return np.asarray(np.abs(gaps))
    spread = np.diagonal(inverse, axis1=1, axis2=2)[:, :, None] * squares[:, None, :] / df
    return np.asarray(np.abs(gaps) / np.sqrt(np.maximum(spread, 1e-300)))
