"""One measure once it is fitted: the figures that comparisons, trend and ledger are made from."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from eproba.core.judging.judgement import Effect, GapFigures, Needed
from eproba.core.judging.ranking import Ranking
from eproba.core.measuring.measures import CATALOGUE_DF
from eproba.core.stats.counts import LogGap
from eproba.core.stats.linear import Array, Fit, FitOfOne
from eproba.core.stats.many_to_one import Simultaneous, adjusted_p, critical_value
from eproba.core.stats.order import Order
from eproba.core.stats.own_noise import own_gaps
from eproba.core.stats.sample_size import noise_range, units_needed
from eproba.core.stats.series import Question, UnitValue
from eproba.core.stats.shuffle import ShuffleTest


@dataclass(frozen=True)
class Figures:
    """All that is known of one measure once it is fitted.

    `units` were judged, `every` holds the lost ones too; `others` are the treatments beside the control, in the order
    of the fit. By that order: `pooled` and `own` figures of each gap (None: none), `shuffled` their shuffle tests, or
    why there are none, `orders` the comparison by order. `by_order`: classes, or days that have not come for some unit,
    so that there are no gaps. `covariate`: the baseline is in the model, where `filled` units had none of their own.
    `ranking`: all against all, where that was asked; `percents`: counts in percent; `trend`: the slope over a ladder;
    `effects`: of two things at once.
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
        covariates = int(self.covariate)
        low, likely, high = (
            units_needed(band, float(bound), groups, blocks, covariates, no_worse=self.question.no_worse)
            for bound in noise_range(sd, df)
        )
        return None if likely is None or low is None else Needed(low, likely, high)

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
    model: Fit, judged: Sequence[int], treatments: Sequence[str], values: Array, confidence: float
) -> Found:
    """Figures on the noise of each comparison's own: for each measure one of each gap, None where it has none.

    References
    ----------
    Hasler & Hothorn (2008), see `stats.many_to_one`; HC2 and Satterthwaite, see `stats.own_noise`.
    """
    k = model.estimates.shape[0]
    mine = mixture_figures(model, np.eye(k)[judged], treatments, values, confidence)
    gaps_of_all: Found = [[None] * k for _ in mine]
    for j, row in enumerate(mine):
        for i, figures in zip(judged, row, strict=True):
            gaps_of_all[j][i] = figures
    return gaps_of_all


def mixture_figures(model: Fit, contrasts: Array, treatments: Sequence[str], values: Array, confidence: float) -> Found:
    """Figures of mixtures of the gaps, (m, k), all of them together, each on the noise of its own."""
    measures = model.estimates.shape[1]
    gaps_of_all: Found = [[None] * len(contrasts) for _ in range(measures)]
    gaps = own_gaps(model, treatments, contrasts, values)
    usable = np.isfinite(gaps.df) & ~model.noiseless
    for pattern in np.unique(usable, axis=1).T:
        rows, columns = np.flatnonzero(pattern), np.flatnonzero((usable == pattern[:, None]).all(axis=0))
        if not len(rows):
            continue
        part = gaps.covariance[np.ix_(columns, rows, rows)]
        size = np.sqrt(np.diagonal(part, axis1=1, axis2=2))
        together = part / (size[:, :, None] * size[:, None, :])
        estimates, se, df = (matrix[np.ix_(rows, columns)].T for matrix in (gaps.estimates, gaps.se, gaps.df))
        t = estimates / se
        alone, family = Simultaneous(np.ones((df.size, 1, 1)), df.reshape(-1, 1)), Simultaneous(together, df)
        p, plain = alone.p(t.reshape(-1, 1)).reshape(t.shape), alone.bounds(confidence).reshape(t.shape)
        p_adjusted, wide = family.p(t), family.bounds(confidence)
        for m, j in enumerate(columns):
            for n, row in enumerate(rows):
                gaps_of_all[j][int(row)] = _figures(
                    estimates[m, n], se[m, n], df[m, n], p[m, n], p_adjusted[m, n], plain[m, n], wide[m, n]
                )
    return gaps_of_all


def slope_figures(
    model: Fit, contrast: Array, treatments: Sequence[str], values: Array, confidence: float
) -> list[tuple[float, GapFigures] | None]:
    """One mixture of the gaps, (1, k), as a single question on the noise of its own: its size and figures a measure."""
    gaps = own_gaps(model, treatments, contrast, values)
    slopes: list[tuple[float, GapFigures] | None] = []
    for gap, se, df in zip(gaps.estimates[0], gaps.se[0], gaps.df[0], strict=True):
        if not np.isfinite(df):
            slopes.append(None)
            continue
        p = float(adjusted_p(np.array(gap / se), np.eye(1), float(df)))
        plain = critical_value(np.eye(1), float(df), confidence)
        slopes.append((float(gap), _figures(gap, se, df, p, p, plain, plain)))
    return slopes


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
