"""The shuffle test: deal the lots again, as they could have fallen, and see how often chance alone does as much.

References
----------
Rosenbaum, P. R. (2002). Covariance adjustment in randomized experiments. Statistical Science 17.
Phipson, B. & Smyth, G. K. (2010). Permutation p-values should never be zero. Stat. Appl. Genet. Mol. Biol. 9.
"""

import functools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from eproba.core.judging.linear import dummies, without

Array = NDArray[np.float64]
EXACT_UP_TO = 200_000
RANDOM_DEALS = 20_000
TIE = 1e-9
PILE_BARS = 41


@dataclass(frozen=True)
class PileBar:
    """One bar of the shuffle pile: gaps from `low` to `high`, how many deals gave them, how many of those were as far
    from zero as ours."""

    low: float
    high: float
    deals: int
    beyond: int


@dataclass(frozen=True)
class ShuffleTest:
    """Outcome of one shuffle test; `low`/`high` None: these lots can't bound it (open-ended)."""

    gap: float
    p: float
    deals: int
    exact: bool
    best_p: float
    low: float | None
    high: float | None
    beyond: int
    pile: tuple[PileBar, ...]


def count_deals(treated: NDArray[np.bool_], blocks: Sequence[str | None]) -> int:
    """How many different deals the lots could have given (exact integer, however large)."""
    return math.prod(math.comb(size, drawn) for size, drawn in _strata(treated, blocks))


def best_p(treated: NDArray[np.bool_], blocks: Sequence[str | None]) -> float:
    """The smallest two-sided p that these lots can give.

    The mirror deal is as far from zero, and it is among the deals only where each block has as many treated as
    control units. Random deals can't go below 1 in (deals + 1).
    """
    deals = count_deals(treated, blocks)
    mirrored = all(size == 2 * drawn for size, drawn in _strata(treated, blocks))
    p = min(1.0, (2 if mirrored else 1) / deals)
    return p if deals <= EXACT_UP_TO else max(p, 1 / (RANDOM_DEALS + 1))


def shuffle_tests(
    values: Array,
    treated: NDArray[np.bool_],
    blocks: Sequence[str | None],
    baseline: Array | None,
    seed: int,
    confidence: float = 0.95,
    with_pile: bool = True,
) -> list[ShuffleTest]:
    """Test one treatment against the control on several measures at once.

    Parameters
    ----------
    values : (n, m) the units of the two treatments, m measures, on the scale of the estimates.
    treated : (n,) flags.
    blocks : n labels; units are re-dealt within a block only.
    baseline : (n,) covariate, taken out first as the blocks are, or None.
    seed : for the random deals, where the exact ones are too many.
    with_pile : also count the pile of all gaps, for the picture.

    Returns
    -------
    One test per measure. Statistic: z'My / ‖Mz‖ for a deal z, M taking blocks and baseline out; reported as a gap
    by dividing by ‖Mz‖ of the lots as they fell. p = share of deals with |gap| ≥ |seen| − 1e-9·scale.

    Notes
    -----
    The interval inverts two one-sided tests: for a shift δ a deal counts against it when a_d − δ b_d ≥ a_0 − δ b_0,
    that is from the threshold (a_0 − a_d) / (b_0 − b_d) on, so one sort of thresholds serves all δ.

    Raises
    ------
    ValueError
        The treatment can't be told from blocks and baseline (Mz = 0).
    """
    exact = count_deals(treated, blocks) <= EXACT_UP_TO
    deals = _all_deals(_strata(treated, blocks)) if exact else _random_deals(_strata(treated, blocks), seed)
    order = _block_order(blocks)
    columns = _taken_out(blocks, baseline)[order]
    y, z = without(columns, values[order]), without(columns, treated[order].astype(float))
    seen_norm = float(np.linalg.norm(z))
    if seen_norm < 1e-9:
        raise ValueError("the treatment can't be told from its blocks")
    norms = np.full(deals.shape[1], seen_norm) if baseline is None else _deal_norms(deals, columns)
    statistics = (y.T @ deals) / norms
    overlaps = (z @ deals) / norms
    seen = (z @ y) / seen_norm
    scale = np.abs(statistics).max(axis=1) + np.abs(seen)
    total = deals.shape[1]
    extra = 0 if exact else 1
    beyond = (np.abs(statistics) >= (np.abs(seen) - TIE * scale)[:, None]).sum(axis=1) + extra
    lows, highs = _interval(statistics, overlaps, seen, seen_norm, total + extra, extra, (1 - confidence) / 2)
    smallest = best_p(treated, blocks)
    return [
        ShuffleTest(
            gap=float(seen[j] / seen_norm),
            p=float(beyond[j] / (total + extra)),
            deals=total,
            exact=exact,
            best_p=smallest,
            low=lows[j],
            high=highs[j],
            beyond=int(beyond[j]),
            pile=_pile(statistics[j] / seen_norm, float(seen[j] / seen_norm)) if with_pile else (),
        )
        for j in range(values.shape[1])
    ]


def _interval(
    statistics: Array, overlaps: Array, seen: Array, seen_norm: float, total: int, extra: int, tail: float
) -> tuple[list[float | None], list[float | None]]:
    """Bounds of the gaps that neither one-sided test rejects; shape m each."""
    slack = seen_norm - overlaps
    same = slack < 1e-9 * seen_norm  # the lots as they fell: counts against every shift
    always = int(same.sum()) + extra
    allowed = math.floor(tail * total + 1e-9) - always  # thresholds that may lie outside on each side
    if allowed < 0:
        return [None] * len(seen), [None] * len(seen)
    slack = slack[~same]
    thresholds = (seen[:, None] - statistics[:, ~same]) / slack
    size = thresholds.shape[1]
    if allowed >= size:
        return [None] * len(seen), [None] * len(seen)
    kept = np.partition(thresholds, (allowed, size - 1 - allowed), axis=1)
    return [float(v) for v in kept[:, allowed]], [float(v) for v in kept[:, size - 1 - allowed]]


def _pile(gaps: Array, seen: float) -> tuple[PileBar, ...]:
    reach = max(float(np.abs(gaps).max()), abs(seen)) or 1.0
    edges = np.linspace(-reach * 1.02, reach * 1.02, PILE_BARS + 1)
    counts, _ = np.histogram(gaps, edges)
    far, _ = np.histogram(gaps[np.abs(gaps) >= abs(seen) - TIE * reach], edges)
    return tuple(
        PileBar(float(low), float(high), int(n), int(b))
        for low, high, n, b in zip(edges[:-1], edges[1:], counts, far, strict=True)
    )


def _taken_out(blocks: Sequence[str | None], baseline: Array | None) -> Array:
    """Intercept, blocks and baseline as columns: shape (n, q)."""
    parts = [np.ones((len(blocks), 1)), dummies(blocks)]
    if baseline is not None:
        parts.append(baseline.reshape(-1, 1))
    return np.hstack(parts)


def _deal_norms(deals: Array, columns: Array) -> Array:
    """‖Mz‖ of each deal: shape (deals,); without a baseline it is the same for all. A deal that the columns explain
    whole shows no gap at all (norm infinite)."""
    norms = np.linalg.norm(without(columns, deals), axis=0)
    return np.where(norms < 1e-9, np.inf, norms)


def _members(blocks: Sequence[str | None]) -> dict[str | None, list[int]]:
    members: dict[str | None, list[int]] = {}
    for position, block in enumerate(blocks):
        members.setdefault(block, []).append(position)
    return members


def _block_order(blocks: Sequence[str | None]) -> list[int]:
    """Positions sorted block by block, the order in which the deals are written."""
    return [position for members in _members(blocks).values() for position in members]


def _strata(treated: NDArray[np.bool_], blocks: Sequence[str | None]) -> tuple[tuple[int, int], ...]:
    """(units, treated units) of each block, in order of appearance."""
    return tuple((len(members), int(treated[members].sum())) for members in _members(blocks).values())


@functools.lru_cache(maxsize=8)
def _all_deals(strata: tuple[tuple[int, int], ...]) -> Array:
    """Every deal once: shape (n, deals), 1 = treated."""
    rows: list[Array] = []
    deals = 1
    for size, drawn in strata:
        chosen = np.array(list(combinations(range(size), drawn)), dtype=np.intp).reshape(-1, drawn)
        block = np.zeros((size, len(chosen)))
        block[chosen.T, np.arange(len(chosen))] = 1.0
        rows = [np.repeat(row, len(chosen), axis=-1) for row in rows]
        rows.append(np.tile(block, (1, deals)))
        deals *= len(chosen)
    return np.ascontiguousarray(np.vstack(rows))


@functools.lru_cache(maxsize=8)
def _random_deals(strata: tuple[tuple[int, int], ...], seed: int) -> Array:
    """`RANDOM_DEALS` deals drawn evenly: shape (n, deals)."""
    rng = np.random.default_rng(seed)
    rows = []
    for size, drawn in strata:
        rank = rng.random((size, RANDOM_DEALS)).argsort(axis=0).argsort(axis=0)
        rows.append((rank < drawn).astype(float))
    return np.vstack(rows)


def holm(p_values: Sequence[float | None]) -> list[float | None]:
    """Holm's step-down adjustment (Holm 1979); None stays None and is not counted."""
    known = sorted((p, i) for i, p in enumerate(p_values) if p is not None)
    adjusted: list[float | None] = [None] * len(p_values)
    largest = 0.0
    for rank, (p, i) in enumerate(known):
        largest = max(largest, min(1.0, (len(known) - rank) * p))
        adjusted[i] = largest
    return adjusted
