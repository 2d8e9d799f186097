"""What plans end in: trials simulated through the functions that judge real ones, seeded.

References
----------
Morris, T. P., White, I. R. & Crowther, M. J. (2019). Using simulation studies to evaluate statistical methods.
Statistics in Medicine 38: every simulated figure with its Monte Carlo error.
"""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from eproba.core.judging.contrasts import EFFECT_ROWS
from eproba.core.judging.verdicts import VERDICTS, Verdict, capped, verdict_of
from eproba.core.planning.prospect import TIMES, Prospect, Truth, names_of, units_of
from eproba.core.stats.linear import Fit, fit
from eproba.core.stats.many_to_one import critical_value
from eproba.core.stats.order import orders_of
from eproba.core.stats.own_noise import own_gaps
from eproba.core.stats.sample_size import even_correlation
from eproba.core.stats.series import UnitValue
from eproba.core.stats.sidak import shared_bound

Array = NDArray[np.float64]
Shares = Mapping[Verdict, float]


@dataclass(frozen=True)
class Simulation:
    """Shares of verdicts for one treatment by truth, and of the trials in which anything is called better or worse for
    nothing; `trials` for each truth."""

    shares: Mapping[Truth, Shares]
    false_alarm: float
    trials: int


@dataclass(frozen=True)
class _Ends:
    """Simultaneous bounds of each gap (q, trials); NaN where there are none. `pooled`: the noise is borrowed."""

    low: Array
    high: Array
    pooled: NDArray[np.bool_]

    @property
    def false(self) -> NDArray[np.bool_]:
        """Trials in which any gap is shown."""
        return np.asarray(((self.low > 0) | (self.high < 0)).any(axis=0))


@lru_cache(maxsize=64)  # a plan is looked at many times before it is dealt
def simulated(prospect: Prospect, trials: int, seed: int) -> Simulation:
    """Simulate `trials` for each truth: nothing works, one treatment makes the worth, or twice the worth."""
    if prospect.df < 1:
        described = {verdict: float(verdict == "seen_not_shown") for verdict in _possible(prospect)}
        return Simulation({truth: dict(described) for truth in TIMES}, 0.0, trials)
    if prospect.by_order:
        return _by_order(prospect, trials, seed)
    units = units_of(prospect)
    rng = np.random.default_rng(seed)
    noise = rng.normal(0.0, prospect.sd, (len(units), trials))
    # “No worse” is lost on the other side: the truths are then worse by the margin and by twice the margin.
    gap = -prospect.gap if prospect.no_worse else prospect.gap
    if not prospect.rounded:
        ends = _ends(prospect, units, noise)
        shares = {truth: _shares(ends, times * gap, prospect) for truth, times in TIMES.items()}
        return Simulation(shares, float(ends.false.mean()), trials)
    where = rng.uniform(0.0, prospect.step, trials)
    treated = np.array([_gets_it(prospect, unit) for unit in units])[:, None]
    read = {truth: _rounded(noise + times * gap * treated, where, prospect) for truth, times in TIMES.items()}
    ends_of = {truth: _ends(prospect, units, values) for truth, values in read.items()}
    shares = {truth: _shares(ends, 0.0, prospect) for truth, ends in ends_of.items()}
    return Simulation(shares, float(ends_of["nothing"].false.mean()), trials)


def _gets_it(prospect: Prospect, unit: UnitValue) -> bool:
    """Whether a unit gets the thing whose gap is looked at: of two at once the first, alone or with the other."""
    names = names_of(prospect)
    return unit.treatment in ((names[1], names[3]) if prospect.crossed else (names[1],))


def _rounded(values: Array, where: Array, prospect: Prospect) -> Array:
    """Readings as they are written down; in percent round what one unit usually gives."""
    step = prospect.step
    if prospect.scale == "difference":
        return np.asarray(step * np.round((values + where) / step))
    level = prospect.level or 1.0
    return np.log(np.maximum(step * np.round((level * np.exp(values) + where) / step), step))


def _ends(prospect: Prospect, units: list[UnitValue], values: Array) -> _Ends:
    """All that is asked at once, each on the noise of its own; where it has none, on that of all."""
    names = names_of(prospect)
    model = fit(units, names[1:], values, None)
    rows = _rows(prospect)
    gaps = own_gaps(model, [unit.treatment for unit in units], rows, values)
    own = np.isfinite(gaps.df) & ~model.noiseless
    half = shared_bound(np.where(own, gaps.df, 1.0), prospect.at_once, 0.95) * gaps.se
    pooled = ~own & ~model.noiseless
    if pooled.any():
        half = np.where(pooled, _pooled_half(model, rows, prospect), half)
    half = np.where(model.noiseless, np.nan, half)
    return _Ends(gaps.estimates - half, gaps.estimates + half, pooled)


def _pooled_half(model: Fit, rows: Array, prospect: Prospect) -> Array:
    se = np.sqrt(np.einsum("qk,kl,ql->q", rows, model.unscaled, rows))[:, None] * model.noise_sd
    return np.asarray(critical_value(even_correlation(prospect.treatments - 1), model.df, 0.95) * se)


def _rows(prospect: Prospect) -> Array:
    """What is asked at once, the gap that is looked at first."""
    k = prospect.treatments - 1
    alone = np.eye(k)
    if prospect.crossed:
        return np.vstack([EFFECT_ROWS, alone])
    if not prospect.laddered:
        return alone
    scores = np.arange(k + 1) - k / 2
    return np.vstack([alone, scores[1:] / (scores**2).sum()])


def _shares(ends: _Ends, shift: float, prospect: Prospect) -> dict[Verdict, float]:
    """How often each verdict falls on the first gap, its truth `shift` further on."""
    counts: Counter[Verdict] = Counter()
    low, high = (ends.low[0] + shift).tolist(), (ends.high[0] + shift).tolist()
    for a, b, borrowed in zip(low, high, ends.pooled[0].tolist(), strict=True):
        known = a == a  # not NaN
        verdict = verdict_of(a if known else None, b if known else None, prospect.gap, False, prospect.no_worse)
        counts[capped(verdict, "direction") if borrowed else verdict] += 1
    return {verdict: counts[verdict] / len(low) for verdict in _possible(prospect)}


def _by_order(prospect: Prospect, trials: int, seed: int) -> Simulation:
    """Classes: the order of normal values, as if no two were alike."""
    units, names = units_of(prospect), names_of(prospect)
    arms, blocks = [unit.treatment for unit in units], [unit.block for unit in units]
    treated = np.array([_gets_it(prospect, unit) for unit in units])[:, None]
    noise = np.random.default_rng(seed).normal(0.0, prospect.sd, (len(units), trials))
    shares, alarms = {}, 0
    for truth, times in TIMES.items():
        values = noise + times * prospect.gap * treated
        counts: Counter[Verdict] = Counter()
        for column in values.T:
            orders = orders_of(column.tolist(), arms, names[0], names[1:], blocks, 0.95, seed)
            verdicts = {name: verdict_of(o.low - 0.5, o.high - 0.5, None, False) for name, o in orders.items()}
            counts[verdicts[names[1]]] += 1
            alarms += truth == "nothing" and any(verdict != "cannot_tell" for verdict in verdicts.values())
        shares[truth] = {verdict: counts[verdict] / trials for verdict in _possible(prospect)}
    return Simulation(shares, alarms / trials, trials)


def _possible(prospect: Prospect) -> tuple[Verdict, ...]:
    return tuple(verdict for verdict in VERDICTS if verdict != "no_worse" or prospect.no_worse)
