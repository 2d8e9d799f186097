"""One measure once it is fitted: the figures that comparisons, trend and ledger are made from."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy import special

from eproba.core.judging.contrasts import asked_at_once
from eproba.core.judging.judgement import Effect, GapFigures, Needed
from eproba.core.judging.ranking import Ranking
from eproba.core.measuring.measures import CATALOGUE_DF
from eproba.core.stats.counts import LogGap
from eproba.core.stats.linear import Array, Fit, FitOfOne
from eproba.core.stats.many_to_one import adjusted_p, critical_value
from eproba.core.stats.order import CLEAR, Order, fewest_by_order
from eproba.core.stats.own_noise import own_gaps
from eproba.core.stats.sample_size import noise_range, units_needed
from eproba.core.stats.series import Question, UnitValue
from eproba.core.stats.shuffle import ShuffleTest
from eproba.core.stats.sidak import shared_bound, shared_p, student_bound, student_p


@dataclass(frozen=True)
class Figures:
    """All that is known of one measure once it is fitted.

    `units` were judged, `every` holds the lost ones too; `others` are the treatments beside the control, in the order
    of the fit. By that order: `pooled` and `own` figures of each gap (None: none), `shuffled` their shuffle tests, or
    why there are none, `orders` the comparison by order. `by_order`: classes, or days that have not come for some unit,
    so that there are no gaps. `covariate`: the baseline is in the model, where `filled` units had none of their own.
    `noise`: each treatment's own variance with its df; `borrowed`: treatments that show no noise beside the control,
    unless that of a third one. `ranking`: all against all, where that was asked; `percents`: counts in percent;
    `trend`: the slope over a ladder; `effects`: of two things at once.
    """

    question: Question
    units: Sequence[UnitValue]
    every: Sequence[UnitValue]
    others: tuple[str, ...]
    fit: FitOfOne
    pooled: tuple[GapFigures | None, ...]
    own: tuple[GapFigures | None, ...]
    shuffled: tuple[ShuffleTest | str, ...]
    orders: tuple[Order | None, ...]
    percents: dict[str, LogGap]
    by_order: bool
    covariate: bool
    filled: int
    noise: dict[str, tuple[float, float]]
    borrowed: frozenset[str]
    ranking: Ranking | None
    trend: tuple[float, GapFigures] | None
    effects: tuple[Effect, ...] = ()

    @cached_property
    def counts(self) -> dict[str, int]:
        """Units judged of each treatment."""
        per_treatment: dict[str, int] = dict.fromkeys((self.question.control, *self.others), 0)
        for unit in self.units:
            per_treatment[unit.treatment] += 1
        return per_treatment

    def needed(self, i: int) -> Needed | None:
        """Units of each that would find a true worth; None where it has no worth, or beyond all reason."""
        figures, band = self.own[i] or self.pooled[i], self.question.band
        if band is None or figures is None:
            return None
        blocks = any(unit.block for unit in self.units)
        share = 1 / self.counts[self.others[i]] + 1 / self.counts[self.question.control]
        sd, df = self._drawn_to_the_usual(float(figures.se / np.sqrt(share)), figures.df)
        groups = sum(own is not None or pooled is not None for own, pooled in zip(self.own, self.pooled, strict=True))
        at_once = asked_at_once(groups, self.trend is not None, bool(self.effects))
        covariates = int(self.covariate)
        low, likely, high = (
            units_needed(
                band, float(bound), groups, blocks, covariates, no_worse=self.question.no_worse, at_once=at_once
            )
            for bound in noise_range(sd, df)
        )
        return None if likely is None or low is None else Needed(low, likely, high)

    def needed_by_order(self) -> Needed | None:
        """Units of each that show by order what the worth makes of the pairs; 3 of 4 where nobody knows that."""
        band, usual = self.question.band, self.question.usual_sd
        chance = CLEAR if band is None or usual is None else float(special.ndtr(band / usual / math.sqrt(2)))
        compared = sum(order is not None for order in self.orders)
        units = fewest_by_order(compared, any(unit.block for unit in self.units), chance)
        return None if units is None else Needed(units, units, units, pairs=round(100 * chance))

    def _drawn_to_the_usual(self, sd: float, df: float) -> tuple[float, float]:
        """A noise with its degrees of freedom, drawn to what units usually differ by: as the planner takes it."""
        usual = self.question.usual_sd
        if usual is None:
            return sd, df
        both = df + CATALOGUE_DF
        return math.sqrt((df * sd**2 + CATALOGUE_DF * usual**2) / both), both


def judged_of(model: Fit, units: Sequence[UnitValue], others: Sequence[str], control: str) -> list[int]:
    """Positions of the treatments that can be judged in a design: two units or more of both, told from their place."""
    count = {name: sum(unit.treatment == name for unit in units) for name in (control, *others)}
    if model.df < 1 or count[control] < 2:
        return []
    return [i for i, name in enumerate(others) if count[name] >= 2 and bool(model.estimable[i])]


def gap_correlation(unscaled: Array, judged: Sequence[int]) -> Array:
    """Correlations between the judged gaps, as the design gives them."""
    part = unscaled[np.ix_(judged, judged)]
    size = np.sqrt(np.diag(part))
    return np.asarray(part / np.outer(size, size))


Found = list[list[GapFigures | None]]


def pooled_figures(model: Fit, judged: Sequence[int], confidence: float) -> Found:
    """Figures as if all treatments were equally noisy: for each measure one of each gap.

    References
    ----------
    Dunnett (1955), see `stats.many_to_one`.
    """
    k, measures = model.estimates.shape
    gaps_of_all: Found = [[None] * k for _ in range(measures)]
    if not judged:
        return gaps_of_all
    correlation, alone = gap_correlation(model.unscaled, judged), np.eye(1)
    plain, wide = (critical_value(rho, model.df, confidence) for rho in (alone, correlation))
    gaps = model.estimates[judged]
    se = np.sqrt(np.diag(model.unscaled))[judged][:, None] * model.noise_sd
    noisy = ~model.noiseless
    t = gaps / np.where(noisy, se, np.inf)
    p, p_adjusted = adjusted_p(t, alone, model.df), adjusted_p(t, correlation, model.df)
    for j in np.flatnonzero(noisy):
        for row, i in enumerate(judged):
            gaps_of_all[j][i] = _figures(
                gaps[row, j], se[row, j], float(model.df), p[row, j], p_adjusted[row, j], plain, wide
            )
    return gaps_of_all


def own_figures(
    model: Fit, contrasts: Array, treatments: Sequence[str], values: Array, confidence: float, beside: int = 0
) -> Found:
    """Figures of mixtures of the gaps on the noise of their own: for each measure one of each, None where it has none.

    Parameters
    ----------
    contrasts : (q, k) all that is asked at once, one row each; they share the risk of a false alarm with
        those `beside` them.

    References
    ----------
    Dunnett (1980), Šidák (1967), see `stats.sidak`; HC2 and Satterthwaite, see `stats.own_noise`.
    """
    gaps = own_gaps(model, treatments, contrasts, values)
    usable = np.isfinite(gaps.df) & ~model.noiseless
    df, family = np.where(usable, gaps.df, 1.0), max(1, len(contrasts) + beside)
    p = student_p(gaps.estimates / np.where(usable, gaps.se, 1.0), df)
    p_shared = shared_p(p, family)
    plain, wide = student_bound(df, confidence), shared_bound(df, family, confidence)
    return [
        [
            _figures(gaps.estimates[i, j], gaps.se[i, j], df[i, j], p[i, j], p_shared[i, j], plain[i, j], wide[i, j])
            if usable[i, j]
            else None
            for i in range(len(contrasts))
        ]
        for j in range(usable.shape[1])
    ]


def _figures(gap: float, se: float, df: float, p: float, p_adjusted: float, plain: float, wide: float) -> GapFigures:
    gap, se, plain, wide = float(gap), float(se), float(plain), float(wide)
    return GapFigures(
        se=se,
        df=float(df),
        p=float(p),
        low=gap - plain * se,
        high=gap + plain * se,
        p_adjusted=float(max(p, p_adjusted)),
        low_adjusted=gap - wide * se,
        high_adjusted=gap + wide * se,
    )
