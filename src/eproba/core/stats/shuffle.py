"""The shuffle test: deal the lots again, as they could have fallen, and see how often chance alone does as much.

References
----------
Rosenbaum, P. R. (2002). Covariance adjustment in randomized experiments. Statistical Science 17.
Phipson, B. & Smyth, G. K. (2010). Permutation p-values should never be zero. Stat. Appl. Genet. Mol. Biol. 9.
"""

import functools
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from eproba.core.errors import EprobaError
from eproba.core.stats.linear import ROUNDING, clear_of, joined, means_span

Array = NDArray[np.float64]
Deals = NDArray[np.float64] | NDArray[np.uint8]
Places = NDArray[np.intp]
Counts = NDArray[np.int64]
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
    anywhere = exact and baseline is None and len(_strata(treated, blocks)) == 1
    order = np.argsort(~treated, kind="stable").tolist() if anywhere else _block_order(blocks)
    span = _taken_out(blocks, baseline)[order]
    y, z = clear_of(span, values[order] - values[0]), clear_of(span, treated[order].astype(float))
    seen_norm = float(np.linalg.norm(z))
    if seen_norm < 1e-9:
        raise Aliased("the treatment can't be told from its blocks")
    # Divided by the seen ‖Mz‖ throughout, so that a statistic is a gap and the overlap of the lots as they fell is 1.
    y, z = y / seen_norm**2, z / seen_norm**2
    seen = treated[order].astype(float) @ y
    far = np.abs(seen) - TIE * (np.linalg.norm(y, axis=0) * seen_norm + np.abs(seen))
    far -= ROUNDING * np.abs(values).max(axis=0)
    # With as many treated as control units in each block, half of the deals are the other half turned round.
    mirrored = exact and baseline is None and _mirrored(treated, blocks)
    dealt: _Dealt | _Halves
    if anywhere:
        dealt = _Halves(y, z, int(treated.sum()), mirrored)
    else:
        deals, _ = deals_of(treated, blocks, seed)
        dealt = _Dealt(deals, y, z, span if baseline is not None else None, seen_norm, mirrored)
    total = dealt.deals + (0 if exact else 1)
    tails = _Tails(dealt, seen, total, (1 - confidence) / 2) if in_full else None
    beyond = dealt.gone_through(far, tails) + (0 if exact else 1)
    bounds = [(None, None)] * len(seen) if tails is None else tails.ends()
    pile = (
        np.hstack([part for gaps, _ in dealt.chunks() for part in ([gaps, -gaps] if mirrored else [gaps])])
        if (with_pile)
        else None
    )
    smallest = best_p(treated, blocks)
    return [
        ShuffleTest(
            gap=float(seen[j]),
            p=float(beyond[j] / total),
            deals=dealt.deals,
            exact=exact,
            best_p=smallest,
            low=bounds[j][0],
            high=bounds[j][1],
            beyond=int(beyond[j]),
            pile=() if pile is None else pile_of(pile[j], float(seen[j])),
        )
        for j in range(len(seen))
    ]


Ends = list[tuple[float | None, float | None]]


@dataclass(frozen=True)
class _Dealt:
    """The statistics of all deals, chunk by chunk, as they stay in the processor's cache: gaps (m, c), overlaps (c,).

    `mirrored`: only the first half of the deals is gone through, the others are those turned round.
    """

    flags: Deals
    y: Array
    z: Array
    span: Array | None
    seen_norm: float
    mirrored: bool

    @property
    def deals(self) -> int:
        return int(self.flags.shape[1])

    @property
    def _count(self) -> int:
        return self.deals // 2 if self.mirrored else self.deals

    def chunks(self) -> Iterator[tuple[Array, Array]]:
        for start in range(0, self._count, CHUNK):
            yield self._of(slice(start, min(self._count, start + CHUNK)))

    def gone_through(self, far: Array, tails: "_Tails | None") -> Counts:
        """How many deals are as far as `far` from zero, for each measure; what may lie in the tails goes to them."""
        beyond = np.zeros(len(far), dtype=np.int64)
        for gaps, overlaps in self.chunks():
            for j, row in enumerate(np.abs(gaps) >= far[:, None]):  # counting along an axis is five times slower
                beyond[j] += np.count_nonzero(row) * (2 if self.mirrored else 1)
            if tails is not None:
                tails.take(gaps, overlaps)
        return beyond

    def sample(self) -> tuple[Array, Array]:
        """Some of them, evenly spread."""
        return self._of(_spread(self._count, SAMPLE))

    def _of(self, some: slice | Places) -> tuple[Array, Array]:
        dealt = self.flags[:, some].astype(float, copy=False)
        gaps, overlaps = self.y.T @ dealt, self.z @ dealt
        if self.span is not None:
            stretch = self.seen_norm / _deal_norms(dealt, self.span)
            gaps, overlaps = gaps * stretch, overlaps * stretch
        return gaps, overlaps


@dataclass(frozen=True)
class _Halves:
    """The same of units that were dealt anywhere, without writing the deals down: those that leave k of the treated
    treated give a sum over these and a sum over the controls among the others, and all of them one overlap.

    `y` and `z` with the `treated` first.
    """

    y: Array
    z: Array
    treated: int
    mirrored: bool

    @property
    def deals(self) -> int:
        return math.comb(len(self.z), self.treated)

    def chunks(self) -> Iterator[tuple[Array, Array]]:
        """All of them, run by run; only pictures need that."""
        for of_treated, of_control, overlap in self._runs():
            gaps = (of_treated[:, :, None] + of_control[:, None, :]).reshape(len(of_treated), -1)
            yield gaps, np.full(gaps.shape[1], overlap)

    def gone_through(self, far: Array, tails: "_Tails | None") -> Counts:
        """How many deals are as far as `far` from zero, for each measure; what may lie in the tails is given to them.

        Sums over the treated beside sums over the controls, put in order: where a bound falls among them is looked up,
        so that only sums beyond it are ever made.
        """
        beyond = np.zeros(len(far), dtype=np.int64)
        for of_treated, of_control, overlap in self._runs():
            sums = _Sums(of_treated, np.sort(of_control, axis=1))
            as_far = np.where(far > 0, sums.count_from(far) + sums.count_to(-far), sums.count)
            beyond += as_far * (2 if self.mirrored else 1)
            if tails is not None:
                tails.take_sums(sums, overlap)
        return beyond

    def sample(self) -> tuple[Array, Array]:
        """Some of them, evenly spread."""
        parts, overlaps = [], []
        for of_treated, of_control, overlap in self._runs():
            size = of_treated.shape[1] * of_control.shape[1]
            places = _spread(size, math.ceil(SAMPLE * size * (2 if self.mirrored else 1) / self.deals))
            rows, columns = np.divmod(places, of_control.shape[1])
            parts.append(of_treated[:, rows] + of_control[:, columns])
            overlaps.append(np.full(len(places), overlap))
        return np.hstack(parts), np.concatenate(overlaps)

    def _runs(self) -> Iterator[tuple[Array, Array, float]]:
        """For each k the sums over the treated that stay and over the controls that come, and the overlap."""
        d, controls = self.treated, len(self.z) - self.treated
        for k in range(d, max(0, d - controls) - 1, -1):
            if self.mirrored and 2 * k < d:
                return  # those are the others turned round
            stay, come = _ways(d, k), _ways(controls, d - k)
            if self.mirrored and 2 * k == d:
                stay = stay[:, stay[0] == 1]
            overlap = float(self.z[0] * k + self.z[-1] * (d - k))
            yield self.y[:d].T @ stay, self.y[d:].T @ come, overlap


class _Tails:
    """The thresholds at both ends: only those are kept, and put in order, that a sample says may be among them."""

    def __init__(self, dealt: _Dealt | _Halves, seen: Array, total: int, tail: float) -> None:
        self.dealt, self.seen, self.total, self.tail = dealt, seen, total, tail
        self.same = 0  # deals as the lots fell: they count against every shift
        self.lows: list[list[Array]] = [[] for _ in seen]
        self.highs: list[list[Array]] = [[] for _ in seen]
        of_all = np.sort(np.hstack(self._thresholds(*dealt.sample())), axis=1)  # NaN last
        known = of_all.shape[1] - int(np.isnan(of_all).sum(axis=1).max())
        at = min(known - 1, int(1.15 * tail * known) + 12)
        self.cuts = of_all[:, at], of_all[:, known - 1 - at]

    def _thresholds(self, gaps: Array, overlaps: Array) -> list[Array]:
        """(a₀ − a) / (b₀ − b) for each deal, and for those turned round; NaN for the lots as they fell."""
        parts = [_threshold(self.seen, gaps, 1.0 - overlaps)]
        if self.dealt.mirrored:
            parts.append(_threshold(self.seen, -gaps, 1.0 + overlaps))
        return parts

    def take(self, gaps: Array, overlaps: Array) -> None:
        """Keep what may lie in the tails."""
        for part in self._thresholds(gaps, overlaps):
            self.same += int(np.isnan(part[0]).sum())
            for j, row in enumerate(part):
                self.lows[j].append(row[row <= self.cuts[0][j]])
                self.highs[j].append(row[row >= self.cuts[1][j]])

    def take_sums(self, sums: "_Sums", overlap: float) -> None:
        """The same of sums that share one overlap: those far above stand low among the thresholds, those turned round
        high; and the other way round."""
        slack, turned, (low, high), seen = 1 - overlap, 1 + overlap, self.cuts, self.seen
        if slack < SAME:
            self.same += 1
            most, least = high * turned - seen, low * turned - seen
        else:
            most, least = seen - low * slack, seen - high * slack
            if self.dealt.mirrored:
                most, least = np.minimum(most, high * turned - seen), np.maximum(least, low * turned - seen)
        far = ((self.lows, self.highs, *sums.from_on(most)), (self.highs, self.lows, *sums.up_to(least)))
        for ends, of_turned, gaps, rows, edges in far:
            if slack >= SAME:
                _share_out(ends, (seen[rows] - gaps) / slack, edges)
            if self.dealt.mirrored:
                _share_out(of_turned, (seen[rows] + gaps) / turned, edges)

    def ends(self) -> Ends:
        """Bounds of the gaps that neither one-sided test rejects, a pair a measure; None where lots can't bound it."""
        deals = self.dealt.deals
        rank = math.floor(self.tail * self.total + 1e-9) - (self.total - deals) - self.same
        if rank < 0 or rank >= deals - self.same:
            return [(None, None)] * len(self.seen)
        ends: Ends = []
        for j, (lows, highs) in enumerate(zip(self.lows, self.highs, strict=True)):
            low, high = (np.concatenate(parts) if parts else np.empty(0) for parts in (lows, highs))
            if min(np.count_nonzero(low <= self.cuts[0][j]), np.count_nonzero(high >= self.cuts[1][j])) <= rank:
                low = high = self._whole(j)  # the sample was wrong: all of them, then
            ends.append(_ranked(low, high, rank))
        return ends

    def _whole(self, j: int) -> Array:
        every = np.concatenate([part[j] for chunk in self.dealt.chunks() for part in self._thresholds(*chunk)])
        return np.asarray(every[~np.isnan(every)])


def _share_out(rows: list[list[Array]], values: Array, edges: Places) -> None:
    for row, start, end in zip(rows, edges[:-1].tolist(), edges[1:].tolist(), strict=True):
        row.append(values[start:end])


class _Sums:
    """All sums of one of a (m, p) and one of b (m, q; in order), row by row, of which only those beyond a bound are
    made: all rows lie on one line, each in its own stretch, so that bounds are looked up for all of them at once."""

    def __init__(self, a: Array, b: Array) -> None:
        self.a, self.b, self.q = a, b, b.shape[1]
        size = np.abs(a).max(axis=1) + np.abs(b).max(axis=1)
        self.size = np.where(size > 0, size, 1.0)[:, None]
        self.first = np.arange(len(a))[:, None] * self.q
        self.stretch = STRETCH * np.arange(len(a))[:, None]
        self.line = (b / self.size + self.stretch).ravel()

    @property
    def count(self) -> int:
        return int(self.a.shape[1] * self.q)

    def _places(self, bound: Array, side: Literal["left", "right"]) -> Places:
        """How many of b lie below what is left of the bound for each of a."""
        left = np.clip((bound[:, None] - self.a) / self.size, -STRETCH / 3, STRETCH / 3) + self.stretch
        return np.asarray(np.clip(np.searchsorted(self.line, left, side=side) - self.first, 0, self.q))

    def count_from(self, bound: Array) -> Counts:
        return np.asarray((self.q - self._places(bound, "left")).sum(axis=1))

    def count_to(self, bound: Array) -> Counts:
        return np.asarray(self._places(bound, "right").sum(axis=1))

    def from_on(self, bound: Array) -> tuple[Array, Places, Places]:
        """Those that are so large: the sums, the row of each, where each row begins in them."""
        begin = self._places(bound, "left")
        return self._made(begin, self.q - begin)

    def up_to(self, bound: Array) -> tuple[Array, Places, Places]:
        """Those that are so small, likewise."""
        many = self._places(bound, "right")
        return self._made(np.zeros_like(many), many)

    def _made(self, begin: Places, many: Places) -> tuple[Array, Places, Places]:
        counts, begins = many.ravel(), (begin + self.first).ravel()
        places = np.arange(int(counts.sum())) - np.repeat(np.cumsum(counts) - counts - begins, counts)
        of_row = many.sum(axis=1)
        edges = np.concatenate([[0], np.cumsum(of_row)])
        rows = np.repeat(np.arange(len(of_row)), of_row)
        return np.repeat(self.a.ravel(), counts) + self.b.ravel()[places], rows, edges


STRETCH = 9.0  # of the size of a row: no bound reaches from one row into the next
SAMPLE, SAME, GOLDEN = 1024, 1e-9, (math.sqrt(5) - 1) / 2


def _spread(count: int, wanted: int) -> Places:
    """Places among so many that keep step with no pattern in their order."""
    return np.asarray(np.arange(min(count, wanted)) * GOLDEN % 1 * count, dtype=np.intp)


def _threshold(seen: Array, gaps: Array, slack: Array) -> Array:
    """From which shift on a deal counts against it: a − δ b ≥ a₀ − δ b₀."""
    steps = np.where(slack < SAME, np.nan, slack)
    thresholds = seen[:, None] - gaps
    thresholds /= steps
    return np.asarray(thresholds)


def _ranked(low: Array, high: Array, rank: int) -> tuple[float, float]:
    """The value with `rank` smaller ones, and that with `rank` larger ones."""
    return float(np.partition(low, rank)[rank]), float(np.partition(high, len(high) - 1 - rank)[-1 - rank])


def inverted(gaps: Array, overlaps: Array, seen: Array, total: int, tail: float) -> Ends:
    """Bounds of the gaps that neither one-sided test rejects, where the deals are few: one pair a measure."""
    thresholds = _threshold(seen, gaps, 1.0 - overlaps)
    same = int(np.isnan(thresholds[0]).sum())
    rank = math.floor(tail * total + 1e-9) - (total - len(overlaps)) - same
    if rank < 0 or rank >= len(overlaps) - same:
        return [(None, None)] * len(seen)
    known = [row[~np.isnan(row)] for row in thresholds]
    return [_ranked(row, row, rank) for row in known]


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


@functools.lru_cache(maxsize=128)
def _ways(size: int, drawn: int) -> Array:
    return _choices(size, drawn).astype(float)


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
