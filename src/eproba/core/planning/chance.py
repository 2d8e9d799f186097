"""The chance of a clear answer: how such trials end when the truth is nothing, the worth, twice the worth.

Exact by the noncentral t where that is known (one pair, and one treatment among many by the adjusted bound); else by
simulation through the very functions that judge real trials, seeded, with its Monte Carlo error.

References
----------
Satterthwaite, F. E. (1946). An approximate distribution of estimates of variance components. Biometrics Bulletin 2: the
degrees of freedom where every treatment has its own noise.
Dunnett, C. W. (1955). A multiple comparison procedure for comparing several treatments with a control. JASA 50.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy import optimize, special

from eproba.core.judging.contrasts import EFFECT_ROWS
from eproba.core.judging.verdicts import Verdict
from eproba.core.planning.prospect import Prospect, Truth, names_of, units_of
from eproba.core.planning.simulating import simulated
from eproba.core.stats.linear import fit
from eproba.core.stats.many_to_one import critical_value
from eproba.core.stats.order import order_power
from eproba.core.stats.periods import best_schedule_p, permitted
from eproba.core.stats.reach import can_show
from eproba.core.stats.sample_size import (
    bound_df,
    chance_beyond,
    even_correlation,
    own_noise_df,
    power,
    shift_of,
)
from eproba.core.stats.series import band_of
from eproba.core.stats.shuffle import best_p, count_deals
from eproba.core.stats.sidak import shared_bound, student_bound

Array = NDArray[np.float64]
MOST_NOISES = 1e3  # a gap of so many SDs that none is larger
PLACES = 24  # of an arm between two steps
BY_ORDER_TRIALS = 300  # what goes by order has no closed form


@dataclass(frozen=True)
class Chances:
    """What such trials end in. Shares by verdict for one treatment whose truth is as named while the others do nothing.

    `own`: the chance to show a true worth, each treatment judged by its own noise with `own_df` degrees of freedom and
    adjusted for many: what the verdict goes by. `pairwise`, `adjusted`: if all were equally noisy, without and with the
    adjustment. All None, as `detectable`, where nothing can be judged. `detectable`: the gap (a fraction on the ratio
    scale) that is found in 8 of 10. `error`: no share is further off than this Monte Carlo standard error.
    """

    best_p: float | None
    deals: int | None
    pairwise: float | None
    adjusted: float | None
    detectable: float | None
    shares: Mapping[Truth, Mapping[Verdict, float]]
    family_false_alarm: float
    error: float
    own: float | None = None
    own_df: float | None = None


def chances(prospect: Prospect, trials: int = 20_000, seed: int = 1) -> Chances:
    """All figures of one plan; `trials` simulated for each truth."""
    simulation = simulated(prospect, BY_ORDER_TRIALS if prospect.by_order else trials, seed)
    p, deals = reach(prospect)
    return Chances(
        best_p=p,
        deals=deals,
        pairwise=pairwise_power(prospect),
        adjusted=adjusted_power(prospect),
        detectable=detectable(prospect),
        shares=simulation.shares,
        family_false_alarm=simulation.false_alarm,
        error=0.5 / math.sqrt(simulation.trials),
        own=own_power(prospect),
        own_df=own_df(prospect),
    )


def reach(prospect: Prospect) -> tuple[float | None, int | None]:
    """Smallest p of the shuffle test, and how many deals it has to go by; None for squares, which have none yet."""
    if prospect.square:
        return None, None
    if prospect.turns:
        return best_schedule_p(prospect.units), len(permitted(prospect.units))
    units = prospect.units
    treated = np.arange(2 * units) % 2 == 1
    blocks = [str(i // 2) if prospect.blocks else None for i in range(2 * units)]
    return best_p(treated, blocks), count_deals(treated, blocks)


def pairwise_power(prospect: Prospect) -> float | None:
    """Chance of the two-sided 5 % t test of one pair, with the pooled noise df, at a true gap of the worth."""
    if prospect.df < 1:
        return None
    bound = float(student_bound(prospect.df, 0.95))
    return chance_beyond(_shift(prospect, prospect.gap), prospect.df, bound, not prospect.no_worse)


def adjusted_power(prospect: Prospect) -> float | None:
    """The same with the bound for many treatments against one control, all equally noisy."""
    if prospect.df < 1:
        return None
    k = prospect.treatments - 1
    # What two things at once ask is estimated apart for the most part; gaps to one control hang together.
    bound = critical_value(np.eye(prospect.at_once) if prospect.crossed else even_correlation(k), prospect.df, 0.95)
    return chance_beyond(_shift(prospect, prospect.gap), prospect.df, bound, not prospect.no_worse)


def _beyond(prospect: Prospect, gap: float, df: float, found_df: float) -> float:
    """`df` of the noise as it is, `found_df` of the noise as such a trial finds it, which sets the bound."""
    bound = float(shared_bound(found_df, prospect.at_once, 0.95))
    return chance_beyond(_shift(prospect, gap), df, bound, not prospect.no_worse)


def _shift(prospect: Prospect, gap: float) -> float:
    """A true gap in standard errors: of two things at once all units speak of each of the two."""
    return shift_of(gap, prospect.read_sd, 2 * prospect.units if prospect.crossed else prospect.units)


def own_df(prospect: Prospect) -> float | None:
    """Degrees of freedom of one gap's own-noise standard error (HC2), where all treatments are in truth equally noisy.

    Of the very model that judges, with one working variance for all; None where no noise can be told.
    """
    if prospect.df < 1:
        return None
    if not (prospect.square or prospect.crossed or prospect.turns):
        df = own_noise_df(prospect.treatments, prospect.units, prospect.blocks)
        return df if df >= 1 else None
    names = names_of(prospect)
    units = units_of(prospect)
    model = fit(units, names[1:], np.zeros((len(units), 1)), None)
    weights = EFFECT_ROWS[0] @ model.weights if prospect.crossed else model.weights[0]
    share = weights**2 / model.room
    middle = np.eye(len(units)) - model.span @ model.span.T
    spread = middle @ np.diag(share) @ middle
    return float(np.trace(spread) ** 2 / (spread**2).sum())


def own_power(prospect: Prospect) -> float | None:
    """Chance to show a true worth, each treatment judged by its own noise (classes: by their order): what the verdict
    goes by."""
    if prospect.by_order:
        return None if prospect.units < 2 else _by_order_power(prospect, prospect.gap)
    df = own_df(prospect)
    if df is None:
        return None
    return _beyond(prospect, prospect.gap, df, _found_df(prospect, df)) * (1 - alike_share(prospect))


def alike_share(prospect: Prospect) -> float:
    """How often all units of two arms read alike within themselves, so that nothing can be shown; a third arm would
    lend its noise. Wherever the arms lie between two steps, each place alike."""
    if not prospect.rounded or prospect.treatments > 2 or prospect.scale == "ratio":
        return 0.0
    step, sd = prospect.step, prospect.sd
    places = (np.arange(PLACES) + 0.5) / PLACES * step
    reach = math.ceil(8 * sd / step) + 2
    steps = (np.arange(-reach, reach + 1) + 0.5) * step

    def alike(middle: Array) -> Array:
        nearest = np.round(middle / step) * step
        below = special.ndtr((nearest[:, None] + steps - middle[:, None]) / sd)
        return np.asarray((np.diff(below, axis=1) ** prospect.units).sum(axis=1))

    return float((alike(places) * alike(places + prospect.gap)).mean())


def pairs_of(prospect: Prospect, gap: float) -> float:
    """How often a treated unit stands above a control unit where the true gap is so large (normal noise)."""
    return float(special.ndtr(gap / prospect.sd / math.sqrt(2)))


def _by_order_power(prospect: Prospect, gap: float) -> float:
    return order_power(prospect.units, pairs_of(prospect, gap), prospect.treatments - 1, prospect.blocks)


def _found_df(prospect: Prospect, df: float) -> float:
    if prospect.crossed or prospect.turns:
        return df
    return bound_df(df, prospect.units, prospect.blocks or prospect.square)


def detectable(prospect: Prospect, chance: float = 0.8) -> float | None:
    """The gap (for “no worse”: the margin) that is found so often, on the worth's scale."""
    df = own_df(prospect)
    if df is None or (prospect.by_order and not can_show(prospect.units, prospect.treatments - 1, prospect.blocks)):
        return None
    unit, found_df = prospect.read_sd * math.sqrt(2 / prospect.units), _found_df(prospect, df)

    def over(gap: float) -> float:
        shown = _by_order_power(prospect, gap) if prospect.by_order else _beyond(prospect, gap, df, found_df)
        return shown - chance

    high = unit
    while over(high) < 0:
        high *= 2
        if high > MOST_NOISES * prospect.sd:  # by order even units wholly apart are found less often than that
            return None

    gap = float(optimize.brentq(over, 1e-9 * unit, high, xtol=1e-9 * unit))
    return math.expm1(gap) if prospect.scale == "ratio" else gap


def table(prospect: Prospect, units: tuple[int, ...], worths: tuple[float, ...]) -> list[list[float]]:
    """Chance to show each worth with so many units of each: one row for each number of units.

    Squares are as large as their treatments, so a table over units speaks of blocks.
    """
    if prospect.crossed or prospect.turns or prospect.by_order or prospect.rounded:
        like = replace(prospect, square=False, blocks=prospect.blocks or prospect.square)
        return [[own_power(replace(like, units=n, worth=worth)) or 0.0 for worth in worths] for n in units]
    k = prospect.treatments - 1
    gaps = [band_of(worth, prospect.scale) for worth in worths]
    blocks = prospect.blocks or prospect.square
    return [
        [power(n, gap, prospect.read_sd, k, blocks, 0, prospect.no_worse, prospect.at_once) for gap in gaps]
        for n in units
    ]
