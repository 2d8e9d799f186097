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
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy import optimize

from eproba.core.errors import EprobaError
from eproba.core.judging.judge import gap_correlation
from eproba.core.judging.verdicts import VERDICTS, Verdict, verdict_of
from eproba.core.stats.linear import Fit, basis, fit, nuisance, without
from eproba.core.stats.many_to_one import critical_value
from eproba.core.stats.sample_size import chance_beyond, even_correlation, noise_df, power, shift_of
from eproba.core.stats.series import Scale, UnitValue, band_of
from eproba.core.stats.shuffle import best_p, count_deals

Array = NDArray[np.float64]
Truth = Literal["nothing", "worth", "twice_worth"]
TIMES: dict[Truth, int] = {"nothing": 0, "worth": 1, "twice_worth": 2}
MOST_CV = 1.5
MOST_TREATMENTS, MOST_UNITS = 12, 200


class ChanceError(EprobaError):
    """A plan whose chance can't be told; the message says what would fit instead."""


@dataclass(frozen=True)
class Prospect:
    """A plan as far as its chances go: `treatments` with the control, `units` of each, noise and worth.

    `noise` is a CV (0.2 for 20 %) on the ratio scale, else an SD in the measure's unit: unit to unit, after blocks.
    `worth` is a fraction on the ratio scale, else in the unit. `square`: a Latin square (units = treatments).
    `no_worse`: the question is whether it is worse by more than `worth`.
    """

    treatments: int
    units: int
    blocks: bool
    scale: Scale
    noise: float
    worth: float
    square: bool = False
    no_worse: bool = False

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
        if self.scale == "ratio" and self.noise > MOST_CV:
            text = f"A CV of {100 * self.noise:g} % means that the measure hardly tells the units' sizes"
            raise ChanceError(
                f"{text}: up to {100 * MOST_CV:g} % fits. Average more readings, or take another measure."
            )
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
        return noise_df(self.treatments, self.units, self.blocks)


@dataclass(frozen=True)
class Chances:
    """What such trials end in. Shares by verdict for one treatment whose truth is as named while the others do nothing.

    `pairwise`, `adjusted`: chance to show a true worth, without and with the adjustment for many treatments; `own` the
    adjusted one where each treatment is judged by its own noise, with `own_df` degrees of freedom; None, as
    `detectable`, where nothing can be judged. `detectable`: the gap (a fraction on the ratio scale) that the adjusted
    comparison finds in 8 of 10. `error`: no share is further off than this Monte Carlo standard error.
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
    units = prospect.units
    treated = np.arange(2 * units) % 2 == 1
    blocks = [str(i // 2) if prospect.blocks else None for i in range(2 * units)]
    return best_p(treated, blocks), count_deals(treated, blocks)


def pairwise_power(prospect: Prospect) -> float | None:
    """Chance of the two-sided 5 % t test of one pair, with the pooled noise df, at a true gap of the worth."""
    if prospect.df < 1:
        return None
    bound = critical_value(np.eye(1), prospect.df, 0.95)
    return chance_beyond(shift_of(prospect.gap, prospect.sd, prospect.units), prospect.df, bound, not prospect.no_worse)


def adjusted_power(prospect: Prospect) -> float | None:
    """The same with the bound for many treatments against one control: what the verdict goes by."""
    return None if prospect.df < 1 else _adjusted(prospect, prospect.gap)


def _adjusted(prospect: Prospect, gap: float) -> float:
    bound = critical_value(even_correlation(prospect.treatments - 1), prospect.df, 0.95)
    return chance_beyond(shift_of(gap, prospect.sd, prospect.units), prospect.df, bound, not prospect.no_worse)


def own_df(prospect: Prospect) -> float | None:
    """Degrees of freedom of one gap's own-noise standard error (HC2), where all treatments are in truth equally noisy.

    df = (Σ_g tr A_g)² / Σ_gh tr(A_g A_h), A = M·diag(w²/(1 − h))·M, with A_g its columns of treatment g; None where no
    noise can be told.
    """
    if prospect.df < 1:
        return None
    names = [f"treatment {i}" for i in range(prospect.treatments)]
    units = _units(prospect, names)
    others = nuisance(units, None)
    indicator = np.array([[unit.treatment == name for name in names[1:]] for unit in units], dtype=float)
    cleared, q = without(others, indicator), basis(np.hstack([others, indicator]))
    hat = q @ q.T
    left, weights = 1 - np.diag(hat), (cleared @ np.linalg.pinv(cleared.T @ cleared))[:, 0]
    if (left < 1e-9).any():
        return None
    middle = np.eye(len(units)) - hat
    spread = middle @ np.diag(weights**2 / left) @ middle
    return float(np.trace(spread) ** 2 / (spread**2).sum())


def own_power(prospect: Prospect) -> float | None:
    """Chance to show a true worth where each treatment is judged by its own noise: fewer df, so a wider interval."""
    df = own_df(prospect)
    if df is None:
        return None
    bound = critical_value(even_correlation(prospect.treatments - 1), df, 0.95)
    return chance_beyond(shift_of(prospect.gap, prospect.sd, prospect.units), df, bound, not prospect.no_worse)


def detectable(prospect: Prospect, chance: float = 0.8) -> float | None:
    """The gap (for “no worse”: the margin) that the adjusted comparison finds so often, on the worth's scale."""
    if prospect.df < 1:
        return None
    unit = prospect.sd * math.sqrt(2 / prospect.units)
    high = unit
    while _adjusted(prospect, high) < chance:
        high *= 2
    gap = float(optimize.brentq(lambda each: _adjusted(prospect, each) - chance, 1e-9 * unit, high, xtol=1e-9 * unit))
    return math.expm1(gap) if prospect.scale == "ratio" else gap


def table(prospect: Prospect, units: tuple[int, ...], worths: tuple[float, ...]) -> list[list[float]]:
    """Chance to show each worth with so many units of each: one row for each number of units.

    Squares are as large as their treatments, so a table over units speaks of blocks.
    """
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
    treated = np.array([unit.treatment == names[1] for unit in units])[:, None]
    # “No worse” is lost on the other side: the truths are then worse by the margin and by twice the margin.
    gap = -prospect.gap if prospect.no_worse else prospect.gap
    values = np.hstack([noise + times * gap * treated for times in TIMES.values()])
    model = fit(units, names[1:], values, None)
    low, high = _intervals(model)
    shares = {}
    for i, truth in enumerate(TIMES):
        ours = slice(i * trials, (i + 1) * trials)
        shares[truth] = _shares(low[0, ours], high[0, ours], prospect)
    false = (low[:, :trials] > 0) | (high[:, :trials] < 0)
    return shares, float(false.any(axis=0).mean())


def _units(prospect: Prospect, names: list[str]) -> list[UnitValue]:
    k = prospect.treatments
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


def _intervals(model: Fit) -> tuple[Array, Array]:
    """The simultaneous interval of every gap in every simulated trial: two arrays (k, trials)."""
    bound = critical_value(gap_correlation(model.unscaled, range(len(model.estimates))), model.df, 0.95)
    half = bound * np.sqrt(np.diag(model.unscaled))[:, None] * model.noise_sd[None, :]
    return model.estimates - half, model.estimates + half


def _shares(low: Array, high: Array, prospect: Prospect) -> dict[Verdict, float]:
    ends = zip(low.tolist(), high.tolist(), strict=True)
    counts = Counter(verdict_of(a, b, prospect.gap, False, prospect.no_worse) for a, b in ends)
    return {verdict: counts[verdict] / len(low) for verdict in _possible(prospect)}


def _possible(prospect: Prospect) -> tuple[Verdict, ...]:
    return tuple(verdict for verdict in VERDICTS if verdict != "no_worse" or prospect.no_worse)
