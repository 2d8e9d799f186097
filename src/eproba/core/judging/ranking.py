"""All treatments against each other: who is ahead of whom, and who can't be told apart."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from eproba.core.stats.linear import Array, Fit
from eproba.core.stats.own_noise import own_gaps
from eproba.core.stats.series import Question, UnitValue
from eproba.core.stats.sidak import shared_bound, shared_p, student_p


@dataclass(frozen=True)
class Pair:
    """Two treatments, the one further ahead first; `low` to `high` holds for all pairs at once.

    `shown`: the gap is more than luck among all pairs would give.
    """

    first: str
    second: str
    gap: float
    low: float
    high: float
    p_adjusted: float
    shown: bool


@dataclass(frozen=True)
class Ranking:
    """Treatments from the best seen to the worst, and every pair of them."""

    order: tuple[str, ...]
    pairs: tuple[Pair, ...]

    def behind(self, name: str) -> tuple[Pair, ...]:
        """The pairs that show `name` ahead."""
        return tuple(pair for pair in self.pairs if pair.first == name and pair.shown)

    def not_told_from(self, name: str) -> tuple[str, ...]:
        """Whom `name` can't be told apart from."""
        open_pairs = [pair for pair in self.pairs if not pair.shown and name in (pair.first, pair.second)]
        return tuple(pair.second if pair.first == name else pair.first for pair in open_pairs)


@dataclass(frozen=True)
class _Gap:
    """One pair's gap with its error on the noise of the two."""

    estimate: float
    se: float
    df: float


def rank(
    units: Sequence[UnitValue], model: Fit, others: Sequence[str], values: Array, question: Question
) -> Ranking | None:
    """Rank every treatment that has two units or more, each pair on the noise of its own.

    Parameters
    ----------
    units, values : (n,) and (n, 1), what the model was fitted to; `others` its treatments beside the control.
    question : says which way is better.

    Returns
    -------
    Ranking or None
        None where the design leaves fewer than two treatments to rank.

    References
    ----------
    Dunnett (1980), see `stats.sidak`.
    """
    present = (question.control, *others)
    names = [name for name in present if sum(unit.treatment == name for unit in units) >= 2]
    pairs = list(combinations(names, 2))
    if not pairs:
        return None
    contrasts = np.array([[float(name == b) - float(name == a) for name in others] for a, b in pairs])
    gaps = own_gaps(model, [unit.treatment for unit in units], -contrasts, values)
    known = {
        pair: _Gap(float(gaps.estimates[i, 0]), float(gaps.se[i, 0]), float(gaps.df[i, 0]))
        for i, pair in enumerate(pairs)
        if np.isfinite(gaps.df[i, 0])
    }
    placed = [name for name in names if sum(name in pair for pair in known) == len(names) - 1]
    if len(placed) < 2:
        return None
    turn = -1 if question.lower_is_better else 1
    standing = {name: -turn * _standing(name, known) for name in placed}
    size = max(map(abs, standing.values())) or 1.0
    order = sorted(placed, key=lambda name: round(standing[name] / size, 9))  # what rounding makes is no order
    ranked = (_pair(known, first, second, len(placed), question) for first, second in combinations(order, 2))
    return Ranking(tuple(order), tuple(ranked))


def _standing(name: str, known: dict[tuple[str, str], _Gap]) -> float:
    """How far above all the others together."""
    up = sum(gap.estimate for (first, _), gap in known.items() if first == name)
    return up - sum(gap.estimate for (_, second), gap in known.items() if second == name)


def _pair(known: dict[tuple[str, str], _Gap], first: str, second: str, count: int, question: Question) -> Pair:
    turned = (first, second) not in known
    gap = known[(second, first) if turned else (first, second)]
    seen = -gap.estimate if turned else gap.estimate
    pairs = math.comb(count, 2)
    half = gap.se * float(shared_bound(gap.df, pairs, question.confidence))
    p = float(shared_p(student_p(seen / gap.se, gap.df), pairs))
    return Pair(first, second, seen, seen - half, seen + half, p, abs(seen) > half)
