"""The chance of a clear answer: how such trials end when the truth is nothing, the worth, twice the worth.

Exact by the noncentral t where that is known (one pair, and one treatment among many by the adjusted bound); else by
simulation through the very functions that judge real trials, seeded, with its Monte Carlo error.

References
----------
Satterthwaite, F. E. (1946). An approximate distribution of estimates of variance components. Biometrics Bulletin 2: the
degrees of freedom where every treatment has its own noise.
Dunnett, C. W. (1955). A multiple comparison procedure for comparing several treatments with a control. JASA 50.
Morris, T. P., White, I. R. & Crowther, M. J. (2019). Using simulation studies to evaluate statistical methods.
Statistics in Medicine 38: every simulated figure with its Monte Carlo error.
"""

import math
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy import optimize, special

from eproba.core.errors import EprobaError
from eproba.core.judging.crossed import CONTRASTS
from eproba.core.judging.verdicts import VERDICTS, Verdict, verdict_of
from eproba.core.stats.linear import fit
from eproba.core.stats.many_to_one import Simultaneous, critical_value
from eproba.core.stats.own_noise import OwnGaps, own_gaps
from eproba.core.stats.periods import FEWEST, MOST, best_schedule_p, permitted
from eproba.core.stats.sample_size import bound_df, chance_beyond, even_bound, noise_df, own_noise_df, power, shift_of
from eproba.core.stats.series import Scale, UnitValue, band_of
from eproba.core.stats.shuffle import best_p, count_deals

Array = NDArray[np.float64]
Truth = Literal["nothing", "worth", "twice_worth"]
TIMES: dict[Truth, int] = {"nothing": 0, "worth": 1, "twice_worth": 2}
MOST_CV, LEAST_CV = 1.5, 1e-6
MOST_TREATMENTS, MOST_UNITS = 12, 200


class ChanceError(EprobaError):
    """A plan whose chance can't be told; the message says what would fit instead."""


@dataclass(frozen=True)
class Prospect:
    """A plan as far as its chances go: `treatments` with the control, `units` of each, noise and worth.

    `noise` is a CV (0.2 for 20 %) on the ratio scale, else an SD in the measure's unit: unit to unit, after blocks.
    `worth` is a fraction on the ratio scale, else in the unit. `square`: a Latin square (units = treatments).
    `no_worse`: the question is whether it is worse by more than `worth`. `crossed`: two things at once, each alone,
    both, neither; the chances are those of one of the two, over with and without the other. `turns`: two places take
    turns, `units` is the number of periods.
    """

    treatments: int
    units: int
    blocks: bool
    scale: Scale
    noise: float
    worth: float
    square: bool = False
    no_worse: bool = False
    crossed: bool = False
    turns: bool = False

    def __post_init__(self) -> None:
        if not 2 <= self.treatments <= MOST_TREATMENTS:
            raise ChanceError(f"{self.treatments} treatments can't be: 2 to {MOST_TREATMENTS}, the control counted.")
        if not 1 <= self.units <= MOST_UNITS:
            raise ChanceError(f"{self.units} units of each can't be: 1 to {MOST_UNITS}.")
        if not (math.isfinite(self.worth) and self.worth > 0):
            raise ChanceError(
                "A worth of 0 or less can't be shown: give the smallest gap that would change what you do."
            )
        if not (math.isfinite(self.noise) and self.noise > 0):
            raise ChanceError("The noise must be above 0: no two units are ever quite alike.")
        if self.scale == "ratio" and self.noise < LEAST_CV:
            text = f"A CV of {100 * self.noise:g} % is less than any garden's"
            raise ChanceError(f"{text}: {100 * LEAST_CV:g} % is the least that can be reckoned with.")
        if self.scale == "ratio" and self.noise > MOST_CV:
            text = f"A CV of {100 * self.noise:g} % means that the measure hardly tells the units' sizes"
            raise ChanceError(
                f"{text}: up to {100 * MOST_CV:g} % fits. Average more readings, or take another measure."
            )
        if self.turns and (self.treatments != 2 or self.units % 2 or not FEWEST <= self.units <= MOST):
            raise ChanceError(
                f"On and off takes two treatments, and an even number of periods from {FEWEST} to {MOST}."
            )
        if self.crossed and (self.treatments != 4 or self.square):
            raise ChanceError("Two things at once are four treatments: each alone, both, neither; not in a square.")
        if self.square and self.units != self.treatments:
            text = (
                f"A Latin square of {self.treatments} treatments has {self.treatments} units of each, not {self.units}"
            )
            raise ChanceError(f"{text}: take {self.treatments} × {self.treatments}, or blocks.")

    @property
    def sd(self) -> float:
        """Noise SD on the scale of the estimates: a CV enters the log scale as √ln(1 + CV²)."""
        return math.sqrt(math.log1p(self.noise**2)) if self.scale == "ratio" else self.noise

    @property
    def gap(self) -> float:
        """The worth on the scale of the estimates."""
        return band_of(self.worth, self.scale)

    @property
    def df(self) -> int:
        """Degrees of freedom of the pooled noise."""
        if self.square:
            return (self.treatments - 1) * (self.treatments - 2)
        if self.turns:
            return self.units - 2
        return noise_df(self.treatments, self.units, self.blocks)


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
    shares, alarm = simulated(prospect, trials, seed)
    p, deals = reach(prospect)
    return Chances(
        best_p=p,
        deals=deals,
        pairwise=pairwise_power(prospect),
        adjusted=adjusted_power(prospect),
        detectable=detectable(prospect),
        shares=shares,
        family_false_alarm=alarm,
        error=0.5 / math.sqrt(trials),
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
    bound = critical_value(np.eye(1), prospect.df, 0.95)
    return chance_beyond(_shift(prospect, prospect.gap), prospect.df, bound, not prospect.no_worse)


def adjusted_power(prospect: Prospect) -> float | None:
    """The same with the bound for many treatments against one control."""
    return None if prospect.df < 1 else _beyond(prospect, prospect.gap, prospect.df, prospect.df)


def _beyond(prospect: Prospect, gap: float, df: float, found_df: float) -> float:
    """`df` of the noise as it is, `found_df` of the noise as such a trial finds it, which sets the bound."""
    # The three effects of two things at once are estimated apart; gaps to one control hang together.
    k = prospect.treatments - 1
    bound = critical_value(np.eye(k), found_df, 0.95) if prospect.crossed else even_bound(k, found_df)
    return chance_beyond(_shift(prospect, gap), df, bound, not prospect.no_worse)


def _shift(prospect: Prospect, gap: float) -> float:
    """A true gap in standard errors: of two things at once all units speak of each of the two."""
    return shift_of(gap, prospect.sd, 2 * prospect.units if prospect.crossed else prospect.units)


def own_df(prospect: Prospect) -> float | None:
    """Degrees of freedom of one gap's own-noise standard error (HC2), where all treatments are in truth equally noisy.

    Of the very model that judges, with one working variance for all; None where no noise can be told.
    """
    if prospect.df < 1:
        return None
    if not (prospect.square or prospect.crossed or prospect.turns):
        df = own_noise_df(prospect.treatments, prospect.units, prospect.blocks)
        return df if df >= 1 else None
    names = [f"treatment {i}" for i in range(prospect.treatments)]
    units = _units(prospect, names)
    model = fit(units, names[1:], np.zeros((len(units), 1)), None)
    weights = CONTRASTS[0] @ model.weights if prospect.crossed else model.weights[0]
    share = weights**2 / model.room
    middle = np.eye(len(units)) - model.span @ model.span.T
    spread = middle @ np.diag(share) @ middle
    return float(np.trace(spread) ** 2 / (spread**2).sum())


def own_power(prospect: Prospect) -> float | None:
    """Chance to show a true worth, each treatment judged by its own noise: what the verdict goes by."""
    df = own_df(prospect)
    return None if df is None else _beyond(prospect, prospect.gap, df, _found_df(prospect, df))


def _found_df(prospect: Prospect, df: float) -> float:
    if prospect.crossed or prospect.turns:
        return df
    return bound_df(df, prospect.units, prospect.blocks or prospect.square)


def detectable(prospect: Prospect, chance: float = 0.8) -> float | None:
    """The gap (for “no worse”: the margin) that is found so often, on the worth's scale."""
    df = own_df(prospect)
    if df is None:
        return None
    unit, found_df = prospect.sd * math.sqrt(2 / prospect.units), _found_df(prospect, df)
    high = unit
    while _beyond(prospect, high, df, found_df) < chance:
        high *= 2

    def over(gap: float) -> float:
        return _beyond(prospect, gap, df, found_df) - chance

    gap = float(optimize.brentq(over, 1e-9 * unit, high, xtol=1e-9 * unit))
    return math.expm1(gap) if prospect.scale == "ratio" else gap


def table(prospect: Prospect, units: tuple[int, ...], worths: tuple[float, ...]) -> list[list[float]]:
    """Chance to show each worth with so many units of each: one row for each number of units.

    Squares are as large as their treatments, so a table over units speaks of blocks.
    """
    if prospect.crossed or prospect.turns:
        return [[own_power(replace(prospect, units=n, worth=worth)) or 0.0 for worth in worths] for n in units]
    k = prospect.treatments - 1
    gaps = [band_of(worth, prospect.scale) for worth in worths]
    blocks = prospect.blocks or prospect.square
    return [[power(n, gap, prospect.sd, k, blocks, 0, prospect.no_worse) for gap in gaps] for n in units]


def simulated(prospect: Prospect, trials: int, seed: int) -> tuple[dict[Truth, dict[Verdict, float]], float]:
    """Shares of verdicts by truth, and the share of trials in which anything is called better or worse for nothing."""
    names = [f"treatment {i}" for i in range(prospect.treatments)]
    units = _units(prospect, names)
    if prospect.df < 1:
        described = {verdict: float(verdict == "seen_not_shown") for verdict in _possible(prospect)}
        return {truth: dict(described) for truth in TIMES}, 0.0
    noise = np.random.default_rng(seed).normal(0.0, prospect.sd, (len(units), trials))
    model = fit(units, names[1:], noise, None)
    mixtures = CONTRASTS if prospect.crossed else np.eye(len(names) - 1)
    gaps = own_gaps(model, [unit.treatment for unit in units], mixtures, noise)
    # “No worse” is lost on the other side: the truths are then worse by the margin and by twice the margin.
    gap = -prospect.gap if prospect.no_worse else prospect.gap
    bounds = _bounds_where_they_matter(gaps, gap, prospect)
    half = bounds * gaps.se
    shares = {}
    for truth, times in TIMES.items():
        shares[truth] = _shares(gaps.estimates[0] + times * gap, half[0], prospect)
    false = np.abs(gaps.estimates) > half
    return shares, float(false.any(axis=0).mean())


def _bounds_where_they_matter(gaps: OwnGaps, gap: float, prospect: Prospect) -> Array:
    """The bound of every gap's |t| in every simulated trial (k, trials): exact where a verdict hangs on it.

    It lies between Student's own and Šidák's; where both give the same verdicts, nothing hangs on it.
    """
    k, trials = gaps.se.shape
    if prospect.crossed:  # nearly apart: Šidák's bound is theirs but for what no share shows
        return np.asarray(-special.stdtrit(gaps.df, (1 - 0.95 ** (1 / k)) / 2))
    lowest, highest = (-special.stdtrit(gaps.df, (1 - share) / 2) for share in (0.95, 0.95 ** (1 / k)))
    marks = {0.0, prospect.gap, -prospect.gap}
    edges = {mark - times * gap for mark in marks for times in TIMES.values()}
    hangs = np.zeros(trials, dtype=bool)
    for edge in edges:
        away = np.abs(gaps.estimates - edge) / gaps.se
        hangs |= ((away >= lowest) & (away <= highest)).any(axis=0)
    bounds = np.asarray((lowest + highest) / 2)
    if k > 1 and hangs.any():
        part = gaps.covariance[hangs]
        size = np.sqrt(np.diagonal(part, axis1=1, axis2=2))
        bounds[:, hangs] = (
            Simultaneous(part / (size[:, :, None] * size[:, None, :]), gaps.df[:, hangs].T).bounds(0.95).T
        )
    return bounds


def _units(prospect: Prospect, names: list[str]) -> list[UnitValue]:
    k = prospect.treatments
    if prospect.turns:
        schedule = permitted(prospect.units)[len(permitted(prospect.units)) // 3]
        return [
            UnitValue(f"{period}-{place}", names[on == (place == 0)], 0.0, row=str(period), column=str(place))
            for period, on in enumerate(schedule)
            for place in (0, 1)
        ]
    if prospect.square:
        return [
            UnitValue(f"{r}-{c}", names[(r + c) % k], 0.0, row=str(r), column=str(c))
            for r in range(k)
            for c in range(k)
        ]
    return [
        UnitValue(f"{name} {i}", name, 0.0, str(i) if prospect.blocks else None)
        for i in range(prospect.units)
        for name in names
    ]


def _shares(gaps: Array, half: Array, prospect: Prospect) -> dict[Verdict, float]:
    ends = zip((gaps - half).tolist(), (gaps + half).tolist(), strict=True)
    counts = Counter(verdict_of(a, b, prospect.gap, False, prospect.no_worse) for a, b in ends)
    return {verdict: counts[verdict] / len(gaps) for verdict in _possible(prospect)}


def _possible(prospect: Prospect) -> tuple[Verdict, ...]:
    return tuple(verdict for verdict in VERDICTS if verdict != "no_worse" or prospect.no_worse)
