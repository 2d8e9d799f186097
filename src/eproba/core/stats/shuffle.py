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

import numpy as np
from numpy.typing import NDArray

from eproba.core.errors import EprobaError
from eproba.core.stats.linear import ROUNDING, clear_of, joined, means_span

Array = NDArray[np.float64]
Deals = NDArray[np.float64] | NDArray[np.uint8]
EXACT_UP_TO = 200_000
RANDOM_DEALS = 20_000
TIE = 1e-9
PILE_BARS = 41
CHUNK = 8192


class Aliased(EprobaError):
    """The treatment can't be told from blocks and baseline."""


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
    p = min(1.0, (2 if _mirrored(treated, blocks) else 1) / deals)
    return p if deals <= EXACT_UP_TO else max(p, 1 / (RANDOM_DEALS + 1))


def _mirrored(treated: NDArray[np.bool_], blocks: Sequence[str | None]) -> bool:
    return all(size == 2 * drawn for size, drawn in _strata(treated, blocks))


def deals_of(treated: NDArray[np.bool_], blocks: Sequence[str | None], seed: int) -> tuple[Deals, list[int]]:
    """Every deal, or many random ones where they are too many: (n, deals), 1 = treated; and the units' order in it."""
    strata = _strata(treated, blocks)
    exact = count_deals(treated, blocks) <= EXACT_UP_TO
    return (_all_deals(strata) if exact else _random_deals(strata, seed)), _block_order(blocks)


def shuffle_tests(
    values: Array,
    treated: NDArray[np.bool_],
    blocks: Sequence[str | None],
    baseline: Array | None,
    seed: int,
    confidence: float = 0.95,
    in_full: bool = True,
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
    in_full : with the interval.
    with_pile : with the pile of all gaps, for the picture.

    Returns
    -------
    One test per measure. Statistic: z'My / ‖Mz‖ for a deal z, M taking blocks and baseline out; reported as a gap
    by dividing by ‖Mz‖ of the lots as they fell. p = share of deals with |gap| ≥ |seen| − 1e-9·scale, where rounding
    of the values themselves is no gap.

    Notes
    -----
    The interval inverts two one-sided tests: for a shift δ a deal counts against it when a_d − δ b_d ≥ a_0 − δ b_0,
    that is from the threshold (a_0 − a_d) / (b_0 − b_d) on, so one sort of thresholds serves all δ.

    Raises
    ------
    Aliased
        The treatment can't be told from blocks and baseline (Mz = 0).
    """
    exact = count_deals(treated, blocks) <= EXACT_UP_TO
    deals, order = deals_of(treated, blocks, seed)
    span = _taken_out(blocks, baseline)[order]
    y, z = clear_of(span, values[order] - values[0]), clear_of(span, treated[order].astype(float))
    seen_norm = float(np.linalg.norm(z))
    if seen_norm < 1e-9:
        raise Aliased("the treatment can't be told from its blocks")
    # Divided by the seen ‖Mz‖ throughout, so that a statistic is a gap and the overlap of the lots as they fell is 1.
    y, z = y / seen_norm**2, z / seen_norm**2
    seen = treated[order].astype(float) @ y
    gaps, overlaps = np.empty((values.shape[1], deals.shape[1])), np.empty(deals.shape[1])
    far = np.abs(seen) - TIE * (np.linalg.norm(y, axis=0) * seen_norm + np.abs(seen))
    far -= ROUNDING * np.abs(values).max(axis=0)
    beyond = np.full(len(seen), 0 if exact else 1)
    # With as many treated as control units in each block, the deals of the second half are the first ones turned round.
    half = deals.shape[1] // 2 if exact and baseline is None and _mirrored(treated, blocks) else 0
    last = half or deals.shape[1]
    for start in range(0, last, CHUNK):  # chunks that stay in the processor's cache
        chunk = slice(start, min(last, start + CHUNK))
        dealt = deals[:, chunk].astype(float, copy=False)
        np.matmul(y.T, dealt, out=gaps[:, chunk])
        np.matmul(z, dealt, out=overlaps[chunk])
        if baseline is not None:
            stretch = seen_norm / _deal_norms(dealt, span)
            gaps[:, chunk] *= stretch
            overlaps[chunk] *= stretch
        beyond += np.count_nonzero(np.abs(gaps[:, chunk]) >= far[:, None], axis=1) * (2 if half else 1)
        if half:
            turned = slice(half + chunk.start, half + chunk.stop)
            np.negative(gaps[:, chunk], out=gaps[:, turned])
            np.negative(overlaps[chunk], out=overlaps[turned])
    total = deals.shape[1] + (0 if exact else 1)
    piles = [pile_of(gaps[j], float(seen[j])) if with_pile else () for j in range(len(seen))]
    unbound: list[float | None] = [None] * len(seen)
    lows, highs = inverted(gaps, overlaps, seen, total, (1 - confidence) / 2) if in_full else (unbound, unbound)
    smallest = best_p(treated, blocks)
    return [
        ShuffleTest(
            gap=float(seen[j]),
            p=float(beyond[j] / total),
            deals=deals.shape[1],
            exact=exact,
            best_p=smallest,
            low=lows[j],
            high=highs[j],
            beyond=int(beyond[j]),
            pile=piles[j],
        )
        for j in range(len(seen))
    ]


def inverted(
    gaps: Array, overlaps: Array, seen: Array, total: int, tail: float
) -> tuple[list[float | None], list[float | None]]:
    """Bounds of the gaps that neither one-sided test rejects; shape m each. Uses `gaps` up."""
    slack = 1.0 - overlaps
    same = slack < 1e-9  # the lots as they fell: counts against every shift
    others = len(slack) - int(same.sum())
    allowed = math.floor(tail * total + 1e-9) - (total - others)  # thresholds that may lie outside on each side
    if allowed < 0 or allowed >= others:
        return [None] * len(seen), [None] * len(seen)
    slack[same] = np.nan
    for start in range(0, len(slack), CHUNK):
        chunk = slice(start, start + CHUNK)
        np.subtract(seen[:, None], gaps[:, chunk], out=gaps[:, chunk])
        gaps[:, chunk] /= slack[chunk]
    ends = [_ends(row, allowed) for row in gaps]
    return [low for low, _ in ends], [high for _, high in ends]


def _ends(row: Array, rank: int) -> tuple[float, float]:
    """The values with `rank` smaller and with `rank` larger ones (NaN left out). A sample tells first where about they
    lie, so that only the tails have to be put in order."""
    sample = np.sort(row[:: max(1, len(row) // 2048)])
    sample = sample[~np.isnan(sample)]
    at = min(len(sample) - 1, int(1.15 * rank / len(row) * len(sample)) + 12)
    low, high = row[row <= sample[at]], row[row >= sample[-1 - at]]
    if min(len(low), len(high)) <= rank:
        low = high = row[~np.isnan(row)]
    return float(np.partition(low, rank)[rank]), float(np.partition(high, len(high) - 1 - rank)[-1 - rank])


def pile_of(gaps: Array, seen: float) -> tuple[PileBar, ...]:
    """All gaps that the deals give, as bars."""
    reach = max(float(np.abs(gaps).max()), abs(seen)) or 1.0
    edges = np.linspace(-reach * 1.02, reach * 1.02, PILE_BARS + 1)
    counts, _ = np.histogram(gaps, edges)
    far, _ = np.histogram(gaps[np.abs(gaps) >= abs(seen) - TIE * reach], edges)
    return tuple(
        PileBar(float(low), float(high), int(n), int(b))
        for low, high, n, b in zip(edges[:-1], edges[1:], counts, far, strict=True)
    )


def _taken_out(blocks: Sequence[str | None], baseline: Array | None) -> Array:
    """Orthonormal basis of blocks (or the intercept) and baseline: shape (n, q)."""
    means = means_span(blocks)
    return means if baseline is None else joined(means, baseline.reshape(-1, 1) - baseline.mean())


def _deal_norms(deals: Array, span: Array) -> Array:
    """‖Mz‖ of each deal: shape (deals,); without a baseline it is the same for all. A deal that the columns explain
    whole shows no gap at all (norm infinite)."""
    squares = deals.sum(axis=0) - ((span.T @ deals) ** 2).sum(axis=0)
    return np.where(squares < 1e-9, np.inf, np.sqrt(np.maximum(squares, 1e-18)))


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


@functools.lru_cache(maxsize=4)
def _all_deals(strata: tuple[tuple[int, int], ...]) -> Array:
    """Every deal once: shape (n, deals), 1 = treated."""
    flags = np.zeros((0, 1), dtype=np.uint8)
    for size, drawn in strata:
        block = _choices(size, drawn)
        before, deals = np.repeat(flags, block.shape[1], axis=1), flags.shape[1]
        flags = np.vstack([before, np.tile(block, (1, deals))])
    return flags.astype(float)


def _choices(size: int, drawn: int) -> NDArray[np.uint8]:
    """All ways to draw `drawn` of `size`, as columns of 0 and 1: those without the last unit, then those with it."""
    ways = {0: np.zeros((0, 1), dtype=np.uint8)}
    for units in range(1, size + 1):
        grown = {}
        for k in range(max(0, drawn - (size - units)), min(drawn, units) + 1):
            parts = [_with_last(ways[j], last) for j, last in ((k, 0), (k - 1, 1)) if j in ways]
            grown[k] = np.hstack(parts)
        ways = grown
    return ways[drawn]


def _with_last(ways: NDArray[np.uint8], last: int) -> NDArray[np.uint8]:
    return np.vstack([ways, np.full((1, ways.shape[1]), last, dtype=np.uint8)])


@functools.lru_cache(maxsize=4)
def _random_deals(strata: tuple[tuple[int, int], ...], seed: int) -> NDArray[np.uint8]:
    """`RANDOM_DEALS` deals drawn evenly: shape (n, deals)."""
    rng = np.random.default_rng(seed)
    rows = []
    for size, drawn in strata:
        flags = (np.arange(size) < drawn).astype(np.uint8)[:, None]
        rows.append(rng.permuted(np.repeat(flags, RANDOM_DEALS, axis=1), axis=0))
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
