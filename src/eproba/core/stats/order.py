"""By order alone: how often a treated unit stands above a control unit.

References
----------
Brunner, E. & Munzel, U. (2000). The nonparametric Behrens-Fisher problem: asymptotic theory and a small-sample
approximation. Biometrical Journal 42.
Neubert, K. & Brunner, E. (2007). A studentized permutation test for the non-parametric Behrens-Fisher problem.
Computational Statistics & Data Analysis 51: for few units.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from eproba.core.stats.shuffle import deals_of

Array = NDArray[np.float64]
FEW = 10  # units of either below which the lots themselves give the bound


@dataclass(frozen=True)
class Order:
    """The chance that a treated unit stands above a control unit (ties count half), with its interval among all.

    `carries`: the verdict goes by it, and not by a gap.
    """

    chance: float
    low: float
    high: float
    p: float
    p_adjusted: float
    carries: bool = False


def order_of(
    values: Sequence[float],
    treated: Sequence[bool],
    blocks: Sequence[str | None],
    comparisons: int,
    confidence: float,
    seed: int,
) -> Order | None:
    """Compare one treatment with the control by order.

    Parameters
    ----------
    values : n; infinity stands above all (“not yet”).
    treated, blocks : n each, as the shuffle test takes them; the deals of few units keep to the blocks.
    comparisons : how many treatments are compared with the control; interval and p are adjusted by Bonferroni.

    Returns
    -------
    Order or None
        None with fewer than two units of either.

    Notes
    -----
    Placements of each unit among those of the other group; where all are apart their variance is 0, and a floor stands
    in for it (1 / 4 n₁ n₂), so that a clean split of few units is no certainty.
    """
    x, z = np.asarray(values, dtype=np.float64), np.asarray(treated, dtype=bool)
    few = min(int(z.sum()), int((~z).sum()))
    if few < 2:
        return None
    above = (x[:, None] > x[None, :]) + 0.5 * (x[:, None] == x[None, :])
    chance, se, df = (float(row[0]) for row in _placed(above, z[:, None].astype(float)))
    if few < FEW:
        dealt, order = deals_of(z, blocks, seed)
        sorted_above = above[np.ix_(order, order)]
        dealt_chance, dealt_se, _ = _placed(sorted_above, dealt.astype(float))
        reach = np.sort(np.abs(dealt_chance - 0.5) / dealt_se)
        seen = abs(chance - 0.5) / se
        p = float(np.mean(reach >= seen - 1e-9))
        bound = _quantile(reach, (1 - confidence) / comparisons)
    else:
        p = float(2 * special.stdtr(df, -abs(chance - 0.5) / se))
        bound = float(-special.stdtrit(df, (1 - confidence) / comparisons / 2))
    low, high = max(0.0, chance - bound * se), min(1.0, chance + bound * se)
    return Order(chance, low, high, p, min(1.0, comparisons * p))


def _quantile(reach: Array, share: float) -> float:
    """What at most that share of the deals reaches; just beyond the farthest where even one is more than that."""
    allowed = int(np.floor(share * len(reach) + 1e-9))
    return float(reach[-allowed - 1]) if allowed else float(reach[-1]) * (1 + 1e-9)


def _placed(above: Array, dealt: Array) -> tuple[Array, Array, Array]:
    """Chance, standard error and degrees of freedom for each deal: `above` (n, n), deals (n, d) with 1 = treated."""
    treated, control = dealt.sum(axis=0), (1 - dealt).sum(axis=0)
    of_treated = (above @ (1 - dealt)) / control
    of_control = (above.T @ dealt) / treated
    chance = (of_treated * dealt).sum(axis=0) / treated
    first = (((of_treated - chance) ** 2) * dealt).sum(axis=0) / (treated - 1) / treated
    second = (((of_control - chance) ** 2) * (1 - dealt)).sum(axis=0) / (control - 1) / control
    floor = 1 / (4 * treated * control)
    variance = np.maximum(first + second, floor)
    spread = first**2 / (treated - 1) + second**2 / (control - 1)
    least = np.minimum(treated, control) - 1
    df = np.where(spread > 0, variance**2 / np.where(spread > 0, spread, 1.0), least)
    return chance, np.sqrt(variance), df
