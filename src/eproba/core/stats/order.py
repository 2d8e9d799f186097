"""By order alone: how often a treated unit stands above a control unit (of its own block, where there are blocks).

References
----------
Brunner, E. & Munzel, U. (2000). The nonparametric Behrens-Fisher problem: asymptotic theory and a small-sample
approximation. Biometrical Journal 42.
Neubert, K. & Brunner, E. (2007). A studentized permutation test for the non-parametric Behrens-Fisher problem.
Computational Statistics & Data Analysis 51: for few units.
van Elteren, P. H. (1960). On the combination of independent two-sample tests of Wilcoxon. Bulletin of the International
Statistical Institute 37: units are compared within their blocks, a block counts by n₁n₂/(n₁ + n₂).
Marcus, R., Peritz, E. & Gabriel, K. R. (1976). On closed testing procedures with special reference to ordered analysis
of variance. Biometrika 63.
Holm, S. (1979). A simple sequentially rejective multiple test procedure. Scandinavian Journal of Statistics 6.
Hanley, J. A. & McNeil, B. J. (1982). The meaning and use of the area under a receiver operating characteristic curve.
Radiology 143: the error of such a chance.
"""

import functools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray
from scipy import special

from eproba.core.stats.reach import FEW, MOST_CLOSED, can_show
from eproba.core.stats.shuffle import best_p, deals_of, holm
from eproba.core.stats.sidak import student_bound, student_p

Array = NDArray[np.float64]
CLEAR = 0.75  # of the pairs: what is to be found where nobody said what would matter
MOST_EACH = 500


@dataclass(frozen=True)
class Order:
    """The chance that a treated unit stands above a control unit (ties count half), with its interval among all.

    `within`: only units of one block were compared. `carries`: the verdict goes by it, and not by a gap. `reachable`:
    some order of these units could show it among all comparisons.
    """

    chance: float
    low: float
    high: float
    p: float
    p_adjusted: float
    within: bool = False
    reachable: bool = True
    carries: bool = False


@dataclass(frozen=True)
class _Placing:
    """One comparison by itself; `reach`: what the deals give, in standard errors, sorted (None: by Student's t with
    `df`)."""

    chance: float
    se: float
    df: float
    p: float
    reach: Array | None
    best_p: float
    within: bool

    @property
    def seen(self) -> float:
        """How far from even, in standard errors."""
        return abs(self.chance - 0.5) / self.se


def orders_of(
    values: Sequence[float],
    arms: Sequence[str],
    control: str,
    names: Sequence[str],
    blocks: Sequence[str | None],
    confidence: float,
    seed: int,
) -> dict[str, Order]:
    """Compare treatments with the control by order, all of them together.

    Parameters
    ----------
    values : n; infinity stands above all (“not yet”).
    arms, blocks : n each, as the shuffle test takes them; the deals of few units keep to the blocks.
    names : the treatments to compare.

    Returns
    -------
    An Order by name; without those that have fewer than two units of either.

    Notes
    -----
    Placements of each unit among those of the other group; where all are apart their variance is 0, and a floor stands
    in for it (1 / 4 n₁ n₂), so that a clean split of few units is no certainty. Up to three comparisons are tested in
    closed form (Marcus, Peritz & Gabriel 1976): one is shown where it is shown alone and with each of the others, the
    lots of all of them dealt again, by how far they reach together. More than three step down by Holm. Intervals are
    those of the step at which each is judged, so that they and the p agree.
    """
    x, labels, strata = np.asarray(values, dtype=np.float64), np.array(arms), np.array([str(block) for block in blocks])
    above = _above(x)
    placings: dict[str, _Placing] = {}
    for name in names:
        kept = np.flatnonzero((labels == name) | (labels == control))
        placing = _placing(above[np.ix_(kept, kept)], labels[kept] == name, strata[kept].tolist(), seed)
        if placing is not None:
            placings[name] = placing
    risk = 1 - confidence
    adjusted = dict(zip(placings, holm([placing.p for placing in placings.values()]), strict=True))
    if 1 < len(placings) <= MOST_CLOSED and min(placing.p for placing in placings.values()) <= risk:
        adjusted = _closed(above, labels, control, strata, placings, seed)
    return {name: _order(placing, adjusted[name] or 0.0, len(placings), risk) for name, placing in placings.items()}


JOINT_DEALS = 5_000


def _closed(
    above: Array,
    labels: NDArray[np.str_],
    control: str,
    strata: NDArray[np.str_],
    placings: dict[str, _Placing],
    seed: int,
) -> dict[str, float | None]:
    """Each p with those of all sets of comparisons that it belongs to: the largest."""
    adjusted: dict[str, float | None] = {name: placing.p for name, placing in placings.items()}
    for size in range(2, len(placings) + 1):
        for names in combinations(placings, size):
            kept = np.flatnonzero(np.isin(labels, (*names, control)))
            p = _together(above[np.ix_(kept, kept)], labels[kept], control, strata[kept], names, placings, seed)
            adjusted |= {name: max(adjusted[name] or 0.0, p) for name in names}
    return adjusted


def _together(
    above: Array,
    labels: NDArray[np.str_],
    control: str,
    strata: NDArray[np.str_],
    names: Sequence[str],
    placings: dict[str, _Placing],
    seed: int,
) -> float:
    """The chance that several comparisons reach as far together, where nothing works in any of them."""
    reach = _joint_reach(*_sorted_in_blocks(above, labels.tolist(), strata.tolist()), control, tuple(names), seed)
    seen = sum(placings[name].seen for name in names)
    return float((np.count_nonzero(reach >= seen - 1e-9) + 1) / (JOINT_DEALS + 1))


@functools.lru_cache(maxsize=128)
def _joint_reach(
    ranks: tuple[float, ...], arms: tuple[str, ...], blocks: tuple[str, ...], control: str, names: tuple[str, ...],
    seed: int,
) -> Array:  # fmt: skip
    """How far several comparisons reach together, in each of many deals of all their lots: shape (deals,)."""
    above, labels, strata = _above(np.array(ranks)), np.array(arms), np.array(blocks)
    rng = np.random.default_rng(seed)
    dealt = np.repeat(labels[:, None], JOINT_DEALS, axis=1)
    for block in dict.fromkeys(blocks):
        members = np.flatnonzero(strata == block)
        dealt[members] = rng.permuted(dealt[members], axis=0)
    reach = np.zeros(JOINT_DEALS)
    for name in names:
        both = _blocks_with_both(labels == name, labels == control, blocks)
        chance, se, _ = _placed(above, (dealt == name).astype(float), (dealt == control).astype(float), both)
        reach += np.abs(chance - 0.5) / se
    return reach


@functools.lru_cache(maxsize=128)
def _pair_reach(ranks: tuple[float, ...], arms: tuple[bool, ...], blocks: tuple[str, ...], seed: int) -> Array:
    """How far one comparison reaches in each deal of its lots, sorted."""
    treated = np.array(arms)
    dealt, order = deals_of(treated, blocks, seed)
    deals = dealt[np.argsort(order)].astype(float)
    chance, se, _ = _placed(_above(np.array(ranks)), deals, 1 - deals, _blocks_with_both(treated, ~treated, blocks))
    return np.asarray(np.sort(np.abs(chance - 0.5) / se))


Label = TypeVar("Label", str, bool)


def _sorted_in_blocks(
    above: Array, arms: Sequence[Label], blocks: Sequence[str]
) -> tuple[tuple[float, ...], tuple[Label, ...], tuple[str, ...]]:
    """Ranks within the blocks, arms and blocks, sorted by block: the deals depend on no more, so theirs are kept."""
    labels_of_blocks = np.array(blocks)
    ranks = (above * (labels_of_blocks[:, None] == labels_of_blocks[None, :])).sum(axis=1).tolist()
    order = sorted(range(len(ranks)), key=lambda i: (blocks[i], ranks[i]))
    of_block: dict[str, list[Label]] = {}
    for label, block in sorted(zip(arms, blocks, strict=True), key=lambda pair: (pair[1], pair[0])):
        of_block.setdefault(block, []).append(label)
    labels = tuple(label for block in sorted(of_block) for label in of_block[block])
    return tuple(ranks[i] for i in order), labels, tuple(blocks[i] for i in order)


def _above(x: Array) -> Array:
    """1 where the row's unit stands above the column's, ½ for ties: (n, n)."""
    return np.asarray((x[:, None] > x[None, :]) + 0.5 * (x[:, None] == x[None, :]))


def _placing(above: Array, treated: NDArray[np.bool_], blocks: list[str], seed: int) -> _Placing | None:
    few = min(int(treated.sum()), int((~treated).sum()))
    both = _blocks_with_both(treated, ~treated, blocks)
    if few < 2 or not both:
        return None
    z = treated[:, None].astype(float)
    chance, se, df = (float(row[0]) for row in _placed(above, z, 1 - z, both))
    reach = _pair_reach(*_sorted_in_blocks(above, treated.tolist(), blocks), seed) if few < FEW else None
    seen = abs(chance - 0.5) / se
    p = float(student_p(seen, df)) if reach is None else float(np.mean(reach >= seen - 1e-9))
    return _Placing(chance, se, df, p, reach, best_p(treated, blocks), len(both) > 1)


def _order(placing: _Placing, adjusted: float, family: int, risk: float) -> Order:
    """With the interval at the level of its own step: alone where it is shown, else so wide that it is not."""
    shown = adjusted <= risk + 1e-12
    step = risk if shown else risk / family
    bound = float(student_bound(placing.df, 1 - step)) if placing.reach is None else _quantile(placing.reach, step)
    bound = bound if shown else max(bound, placing.seen * (1 + 1e-9))
    low, high = max(0.0, placing.chance - bound * placing.se), min(1.0, placing.chance + bound * placing.se)
    reachable = placing.reach is None or placing.best_p * (1 if family <= MOST_CLOSED else family) <= risk + 1e-12
    return Order(placing.chance, low, high, placing.p, adjusted, placing.within, reachable)


def _blocks_with_both(
    treated: NDArray[np.bool_], control: NDArray[np.bool_], blocks: Sequence[str]
) -> list[NDArray[np.intp]]:
    """The units of each block that has treated and control ones, by position."""
    labels = np.array(blocks)
    strata = [np.flatnonzero(labels == label) for label in dict.fromkeys(blocks)]
    return [members for members in strata if treated[members].any() and control[members].any()]


def _quantile(reach: Array, share: float) -> float:
    """What at most that share of the deals reaches; just beyond the farthest where even one is more than that."""
    allowed = int(np.floor(share * len(reach) + 1e-9))
    return float(reach[-allowed - 1]) if allowed else float(reach[-1]) * (1 + 1e-9)


def _placed(
    above: Array, treated: Array, control: Array, strata: Sequence[NDArray[np.intp]]
) -> tuple[Array, Array, Array]:
    """Chance, standard error and degrees of freedom for each deal: `above` (n, n), who is what (n, d) as 1 or 0.

    Blocks with two units of either or more have a variance of their own; else the blocks tell it by how they differ.
    """
    parts = [_placed_in(above[np.ix_(members, members)], treated[members], control[members]) for members in strata]
    sizes = np.array([(treated[members, 0].sum(), control[members, 0].sum()) for members in strata])
    weights = sizes.prod(axis=1) / sizes.sum(axis=1)
    weights = (weights / weights.sum())[:, None]
    chances, variances, spreads = (np.array(column) for column in zip(*parts, strict=True))
    chance = (weights * chances).sum(axis=0)
    floor = 1 / (4 * sizes.sum(axis=0).prod())
    if len(strata) == 1 or sizes.min() >= 2:
        variance, spread = (weights**2 * variances).sum(axis=0), (weights**4 * spreads).sum(axis=0)
        df = np.where(spread > 0, variance**2 / np.where(spread > 0, spread, 1.0), sizes.sum(axis=0).min() - 1)
    else:
        blocks = len(strata)
        variance = (weights**2 * (chances - chance) ** 2).sum(axis=0) * blocks / (blocks - 1)
        df = np.full(len(chance), float(blocks - 1))
    return chance, np.sqrt(np.maximum(variance, floor)), df


def _placed_in(above: Array, treated: Array, control: Array) -> tuple[Array, Array, Array]:
    """Within one block: the chance, its variance (0 where one of either is all there is), what its df go by."""
    of, of_control = treated.sum(axis=0), control.sum(axis=0)
    placed = (above @ control) / of_control
    placed_control = (above.T @ treated) / of
    chance = (placed * treated).sum(axis=0) / of
    first = (((placed - chance) ** 2) * treated).sum(axis=0) / np.maximum(1, of - 1) / of
    second = (((placed_control - chance) ** 2) * control).sum(axis=0) / np.maximum(1, of_control - 1) / of_control
    spread = first**2 / np.maximum(1, of - 1) + second**2 / np.maximum(1, of_control - 1)
    return chance, first + second, spread


def order_power(units: int, chance: float, comparisons: int, blocks: bool, risk: float = 0.05) -> float:
    """How often a true `chance` of standing above is shown with so many units of each; 0 where no order of so few could
    show it.

    By the normal, with the error where nothing works for the bound and the error at that chance for the rest (Hanley &
    McNeil 1982); in blocks of one each by that of a share.
    """
    if not can_show(units, comparisons, blocks, risk):
        return 0.0
    p = 0.5 + abs(chance - 0.5)
    null, true = (0.25 / units, p * (1 - p) / units) if blocks else _error_of(units, p)
    bound = float(special.ndtri(1 - risk / comparisons / 2)) * math.sqrt(null)
    return float(special.ndtr((p - 0.5 - bound) / math.sqrt(max(true, 1e-12))))


def _error_of(units: int, p: float) -> tuple[float, float]:
    """The variance of the chance seen, where nothing works, and at a true chance p."""
    null = (2 * units + 1) / (12 * units**2)
    shared = (units - 1) * (p / (2 - p) - p**2) + (units - 1) * (2 * p**2 / (1 + p) - p**2)
    return null, (p * (1 - p) + shared) / units**2


def fewest_by_order(comparisons: int, blocks: bool, chance: float, wanted: float = 0.8) -> int | None:
    """The fewest units of each that show a true chance in 8 of 10; None: beyond all reason."""
    sizes = range(2, MOST_EACH + 1)
    return next((n for n in sizes if order_power(n, chance, comparisons, blocks) >= wanted), None)
