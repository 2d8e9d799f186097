"""The judgement: one frozen object that the page, the command line and the tests all read."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from eproba.core.judging import trust
from eproba.core.judging.ranking import Ranking, rank
from eproba.core.judging.trust import Circumstances, TrustLine
from eproba.core.judging.verdicts import Verdict, percent, verdict_of
from eproba.core.stats.linear import Array, FitOfOne, fit, of_one
from eproba.core.stats.many_to_one import adjusted_p, critical_value
from eproba.core.stats.sample_size import units_needed
from eproba.core.stats.series import CannotJudge, Design, Question, UnitValue, check, design_of
from eproba.core.stats.shuffle import Aliased, ShuffleTest, holm, shuffle_tests

NO_SHUFFLE_SQUARE = "rows and columns were dealt together; the shuffle test for squares is not there yet"
NO_SHUFFLE_UNKNOWN = "how the lots fell is not known, so nobody knows how else they could have fallen"
NO_SHUFFLE_ALONE = "one unit can't be shuffled"
NO_SHUFFLE_GONE = "every unit is lost"
NO_SHUFFLE_ALIASED = "the treatment can't be told from its blocks"


@dataclass(frozen=True)
class Percent:
    """A gap on the log scale in percent; bounds None where there is no interval."""

    estimate: float
    low: float | None
    high: float | None


@dataclass(frozen=True)
class Dot:
    """One unit on the gap ruler: its gap to the control once blocks and baseline are taken out."""

    unit: str
    treatment: str
    gap: float


@dataclass(frozen=True)
class Comparison:
    """One treatment against the control. What does not exist is None. On the ratio scale all gaps are logs."""

    treatment: str
    n: int
    n_control: int
    estimate: float | None = None
    se: float | None = None
    df: int | None = None
    p: float | None = None
    low: float | None = None
    high: float | None = None
    p_adjusted: float | None = None
    low_adjusted: float | None = None
    high_adjusted: float | None = None
    percent: Percent | None = None
    shuffle: ShuffleTest | None = None
    shuffle_p_adjusted: float | None = None
    shuffle_reason: str | None = None
    verdict: Verdict = "seen_not_shown"
    units_needed: int | None = None
    dots: tuple[Dot, ...] = ()


@dataclass(frozen=True)
class Trend:
    """The ladder as one question: the straight line over the scores of its rungs, by step of the score.

    A contrast of the same model, planned and single, so its interval is plain. On the ratio scale the slope is a log.
    """

    scores: tuple[tuple[str, float], ...]
    slope: float
    se: float
    df: int
    low: float
    high: float
    p: float


@dataclass(frozen=True)
class Judgement:
    """All comparisons of one measure with the trust in them. `units` counts the units judged."""

    question: Question
    design: Design
    units: int
    noise_sd: float | None
    comparisons: tuple[Comparison, ...]
    trust: tuple[TrustLine, ...]
    trend: Trend | None = None
    ranking: Ranking | None = None


def judge(
    units: Sequence[UnitValue], question: Question, circumstances: Circumstances | None = None, seed: int = 1
) -> Judgement:
    """Judge one measure; see `judge_together`."""
    return judge_together([units], question, circumstances, seed)[0]


def judge_together(
    measures: Sequence[Sequence[UnitValue]],
    question: Question,
    circumstances: Circumstances | None = None,
    seed: int = 1,
    with_pile: bool = True,
) -> list[Judgement]:
    """Judge several measures of one trial by one question.

    Parameters
    ----------
    measures : for each measure its units; measures whose living units agree share their deals in one matrix product.
    question : control, scale, worth.
    circumstances : what the trial knows beside the numbers, for the trust ledger.
    seed : for random deals.
    with_pile : count the shuffle pile (for pictures).

    Raises
    ------
    CannotJudge
        For units that can't be judged; see `series.check`.

    References
    ----------
    Dunnett (1955) for many against one; Rosenbaum (2002) for the shuffle test with blocks and baseline.
    """
    for units in measures:
        check(units, question)
    groups: dict[tuple[object, ...], list[int]] = {}
    for i, units in enumerate(measures):
        groups.setdefault(_layout(units, i), []).append(i)
    judged: dict[int, Judgement] = {}
    for members in groups.values():
        results = _judge_group([measures[i] for i in members], question, circumstances, seed, with_pile)
        judged.update(zip(members, results, strict=True))
    return [judged[i] for i in range(len(measures))]


def _layout(units: Sequence[UnitValue], i: int) -> tuple[object, ...]:
    """Equal for measures that can share one fit: the same living units, no baseline of their own."""
    living = [unit for unit in units if unit.value is not None]
    own = i if any(unit.baseline is not None for unit in living) else None
    return (own, tuple((u.unit, u.treatment, u.block, u.row, u.column) for u in living))


def _judge_group(
    measures: Sequence[Sequence[UnitValue]],
    question: Question,
    circumstances: Circumstances | None,
    seed: int,
    with_pile: bool,
) -> list[Judgement]:
    """Judge measures that share one fit."""
    living = [[unit for unit in units if unit.value is not None] for units in measures]
    units = living[0]
    values = np.array([[on_scale(u.value, question) for u in each] for each in living]).T
    baseline, filled = covariate_of(units, question)
    present = list(dict.fromkeys(unit.treatment for unit in units))
    others = tuple(name for name in present if name != question.control)
    model = fit(units, others, values, baseline)
    tests = [_shuffle(units, name, values, baseline, question, seed, with_pile) for name in others]
    return [
        _judgement(
            Figures(
                question=question,
                units=units,
                every=every,
                others=others,
                fit=of_one(model, j),
                shuffled=tuple(test[j] if isinstance(test, list) else test for test in tests),
                covariate=baseline is not None,
                filled=filled,
                ranking=rank(units, values[:, j], baseline, question) if question.ranked else None,
            ),
            circumstances,
        )
        for j, every in enumerate(measures)
    ]


@dataclass(frozen=True)
class Figures:
    """All that is known of one measure once it is fitted: what comparisons, trend and ledger are made from.

    `units` were judged, `every` holds the lost ones too; `others` are the treatments beside the control, in the order
    of the fit, `shuffled` their shuffle tests, or why there are none. `covariate`: the baseline is in the model, where
    `filled` units had none of their own. `ranking`: all against all, where that was asked.
    """

    question: Question
    units: Sequence[UnitValue]
    every: Sequence[UnitValue]
    others: tuple[str, ...]
    fit: FitOfOne
    shuffled: tuple[ShuffleTest | str, ...]
    covariate: bool
    filled: int
    ranking: Ranking | None

    def count(self, treatment: str) -> int:
        return sum(unit.treatment == treatment for unit in self.units)

    @cached_property
    def judged(self) -> list[int]:
        """Positions of the treatments that can be judged."""
        least = self.count(self.question.control)
        enough = [min(self.count(name), least) >= 2 and self.fit.df >= 1 for name in self.others]
        noisy = not self.fit.noiseless
        return [i for i, fits in enumerate(enough) if fits and noisy and bool(self.fit.estimable[i])]

    @cached_property
    def correlation(self) -> Array:
        """Correlations between the judged gaps."""
        return gap_correlation(self.fit.unscaled, self.judged)

    def units_needed(self) -> int | None:
        """Units of each that would find a true worth; None where it has no worth, or beyond all reason."""
        band = self.question.band
        if band is None:
            return None
        blocks = any(unit.block for unit in self.units)
        groups, covariates = len(self.judged), int(self.covariate)
        return units_needed(band, self.fit.noise_sd, groups, blocks, covariates, no_worse=self.question.no_worse)


def _judgement(figures: Figures, circumstances: Circumstances | None) -> Judgement:
    comparisons = _comparisons(figures)
    sd = figures.fit.noise_sd
    return Judgement(
        question=figures.question,
        design=design_of(figures.units),
        units=len(figures.units),
        noise_sd=sd if math.isfinite(sd) else None,
        comparisons=tuple(comparisons),
        trust=tuple(_ledger(figures, comparisons, circumstances)),
        trend=_trend(figures),
        ranking=figures.ranking,
    )


def on_scale(number: float | None, question: Question) -> float:
    """A value as the gaps are taken of it: its log on the ratio scale. Raises CannotJudge for a lost unit."""
    if number is None:
        raise CannotJudge("a lost unit has no value")
    return math.log(number) if question.scale == "ratio" else number


def covariate_of(units: Sequence[UnitValue], question: Question) -> tuple[Array | None, int]:
    """The covariate and how many units had none of their own; None where it says nothing (absent or constant)."""
    known = [on_scale(u.baseline, question) for u in units if u.baseline is not None]
    if len(known) < 2 or max(known) - min(known) <= 1e-12 * max(map(abs, known)):
        return None, 0
    mean = sum(known) / len(known)
    column = [mean if u.baseline is None else on_scale(u.baseline, question) for u in units]
    return np.array(column), len(units) - len(known)


def _shuffle(
    units: Sequence[UnitValue],
    name: str,
    values: Array,
    baseline: Array | None,
    question: Question,
    seed: int,
    with_pile: bool,
) -> list[ShuffleTest] | str:
    """The tests of one treatment, one per measure, or the reason why there are none."""
    kept = [i for i, unit in enumerate(units) if unit.treatment in (name, question.control)]
    treated = np.array([units[i].treatment == name for i in kept])
    if min(treated.sum(), (~treated).sum()) < 2:
        return NO_SHUFFLE_ALONE
    if not question.dealt:
        return NO_SHUFFLE_UNKNOWN
    if any(units[i].row or units[i].column for i in kept):
        return NO_SHUFFLE_SQUARE
    try:
        return shuffle_tests(
            values[kept],
            treated,
            [units[i].block for i in kept],
            None if baseline is None else baseline[kept],
            seed,
            question.confidence,
            with_pile,
        )
    except Aliased:
        return NO_SHUFFLE_ALIASED


def _comparisons(figures: Figures) -> list[Comparison]:
    """Every treatment against the control; those of which nothing is left stand last."""
    holmed = holm([test.p if isinstance(test, ShuffleTest) else None for test in figures.shuffled])
    needed: int | None = None
    comparisons = []
    for i, test in enumerate(figures.shuffled):
        shown = replace(
            _described(figures, i),
            shuffle=test if isinstance(test, ShuffleTest) else None,
            shuffle_p_adjusted=holmed[i],
            shuffle_reason=test if isinstance(test, str) else None,
        )
        if i in figures.judged:
            shown = _with_intervals(shown, figures, i)
            if shown.verdict == "cannot_tell":
                needed = needed or figures.units_needed()
                shown = replace(shown, units_needed=needed)
        comparisons.append(shown)
    known = {figures.question.control, *figures.others}
    gone = dict.fromkeys(unit.treatment for unit in figures.every if unit.treatment not in known)
    left = figures.count(figures.question.control)
    return comparisons + [Comparison(name, 0, left, shuffle_reason=NO_SHUFFLE_GONE) for name in gone]


def gap_correlation(unscaled: Array, judged: Sequence[int]) -> Array:
    """Correlations between the judged gaps, as the design gives them."""
    part = unscaled[np.ix_(judged, judged)]
    size = np.sqrt(np.diag(part))
    return np.asarray(part / np.outer(size, size))


def _trend(figures: Figures) -> Trend | None:
    """The slope over the ladder's scores, where all its rungs could be judged."""
    question, model = figures.question, figures.fit
    scores = dict(question.ladder)
    rungs = [i for i, name in enumerate(figures.others) if name in scores]
    if question.control not in scores or len(rungs) < 2 or len(rungs) + 1 < len(scores):
        return None
    if any(i not in figures.judged for i in rungs):
        return None
    centred = np.array([scores[figures.others[i]] for i in rungs]) - np.mean(list(scores.values()))
    spread = sum((score - np.mean(list(scores.values()))) ** 2 for score in scores.values())
    weights = centred / spread  # the control's own gap is 0, so its weight drops out
    slope = float(weights @ model.estimates[rungs])
    se = float(model.noise_sd * math.sqrt(weights @ model.unscaled[np.ix_(rungs, rungs)] @ weights))
    half = se * critical_value(np.eye(1), model.df, question.confidence)
    p = adjusted_p(slope / se, np.eye(1), model.df)
    return Trend(question.ladder, slope, se, model.df, slope - half, slope + half, p)


def _described(figures: Figures, i: int) -> Comparison:
    """The gap as seen, with nothing claimed."""
    name, control, model = figures.others[i], figures.question.control, figures.fit
    gap = float(model.estimates[i])
    if not math.isfinite(gap):
        gap = _plain_gap(figures.units, name, figures.question)
    dots = tuple(
        Dot(u.unit, u.treatment, float(r) + (gap if u.treatment == name else 0.0))
        for u, r in zip(figures.units, model.residuals, strict=True)
        if u.treatment in (name, control)
    )
    return Comparison(
        treatment=name,
        n=figures.count(name),
        n_control=figures.count(control),
        estimate=gap,
        df=model.df or None,
        percent=Percent(percent(gap), None, None) if figures.question.scale == "ratio" else None,
        dots=dots,
    )


def _plain_gap(units: Sequence[UnitValue], name: str, question: Question) -> float:
    """Difference of the plain means, where the model can't tell the treatment from its place."""
    treated = [on_scale(u.value, question) for u in units if u.treatment == name]
    control = [on_scale(u.value, question) for u in units if u.treatment == question.control]
    return sum(treated) / len(treated) - sum(control) / len(control)


def _with_intervals(shown: Comparison, figures: Figures, i: int) -> Comparison:
    """The gap with its intervals, alone and among all, and the verdict that the latter carries."""
    question, model, alone = figures.question, figures.fit, np.eye(1)
    gap, se = float(model.estimates[i]), float(model.standard_errors[i])
    plain = se * critical_value(alone, model.df, question.confidence)
    wide = se * critical_value(figures.correlation, model.df, question.confidence)
    low, high = gap - wide, gap + wide
    in_percent = Percent(percent(gap), percent(low), percent(high)) if question.scale == "ratio" else None
    return replace(
        shown,
        se=se,
        p=adjusted_p(gap / se, alone, model.df),
        low=gap - plain,
        high=gap + plain,
        p_adjusted=adjusted_p(gap / se, figures.correlation, model.df),
        low_adjusted=low,
        high_adjusted=high,
        percent=in_percent,
        verdict=verdict_of(low, high, question.band, question.lower_is_better, question.no_worse),
    )


def _ledger(
    figures: Figures, comparisons: Sequence[Comparison], circumstances: Circumstances | None
) -> list[TrustLine]:
    units, model = figures.units, figures.fit
    lost = [unit for unit in figures.every if unit.value is None]
    lines = trust.sizes(units, lost, [figures.question.control, *figures.others])
    lines.append(trust.lots(circumstances))
    if circumstances is not None:
        lines.append(trust.control_kind(circumstances))
        lines += trust.rounds(circumstances)
    lines += [
        trust.not_told_apart(c.treatment)
        for i, c in enumerate(comparisons[: len(figures.others)])
        if not model.estimable[i] and min(c.n, c.n_control) > 1
    ]
    if model.df < 1 or model.noiseless:
        if max(c.n for c in comparisons) > 1:
            lines.append(trust.noiseless(model.df < 1))
        return lines
    lines += trust.baseline_alike(units, figures.question, figures.others)
    lines += trust.baseline_gaps(units, figures.filled)
    lines += trust.outliers(units, model.residuals)
    lines += trust.unequal_noise(units, model.residuals)
    tests = [c.shuffle for c in comparisons if c.shuffle is not None]
    lines += trust.shuffle_reach(tests)
    for c in comparisons:
        lines += trust.model_and_shuffle(c.treatment, c.p_adjusted, c.shuffle, c.shuffle_p_adjusted, len(tests))
    return lines
