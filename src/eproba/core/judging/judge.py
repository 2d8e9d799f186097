"""The judgement: one frozen object that the page, the command line and the tests all read."""

import functools
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from eproba.core.judging import trust
from eproba.core.judging.trust import Circumstances, TrustLine
from eproba.core.judging.verdicts import Verdict, percent, verdict_of
from eproba.core.stats.linear import Array, Fit, fit
from eproba.core.stats.many_to_one import adjusted_p, critical_value
from eproba.core.stats.sample_size import units_needed
from eproba.core.stats.series import CannotJudge, Design, Question, UnitValue, check, design_of
from eproba.core.stats.shuffle import Aliased, ShuffleTest, holm, shuffle_tests

NO_SHUFFLE_SQUARE = "rows and columns were dealt together; the shuffle test for squares is not there yet"
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
    living = [[unit for unit in units if unit.value is not None] for units in measures]
    units = living[0]
    values = np.array([[_on_scale(u.value, question) for u in each] for each in living]).T
    baseline, filled = _baseline(units, question)
    present = list(dict.fromkeys(unit.treatment for unit in units))
    others = [name for name in present if name != question.control]
    model = fit(units, others, values, baseline)
    tests = [_shuffle(units, name, values, baseline, question, seed, with_pile) for name in others]
    results = []
    for j, every in enumerate(measures):
        shuffled = [test[j] if isinstance(test, list) else test for test in tests]
        comparisons = _comparisons(units, others, model, j, shuffled, question, baseline is not None)
        gone = dict.fromkeys(u.treatment for u in every if u.treatment not in present)
        comparisons += [Comparison(name, 0, comparisons[0].n_control, shuffle_reason=NO_SHUFFLE_GONE) for name in gone]
        lines = _ledger(units, every, others, model, j, comparisons, question, circumstances, filled)
        sd = float(model.noise_sd[j])
        results.append(
            Judgement(
                question=question,
                design=design_of(units),
                units=len(units),
                noise_sd=sd if math.isfinite(sd) else None,
                comparisons=tuple(comparisons),
                trust=tuple(lines),
                trend=_trend(others, model, j, comparisons, question),
            )
        )
    return results


def _on_scale(number: float | None, question: Question) -> float:
    if number is None:
        raise CannotJudge("a lost unit has no value")
    return math.log(number) if question.scale == "ratio" else number


def _baseline(units: Sequence[UnitValue], question: Question) -> tuple[Array | None, int]:
    """The covariate and how many units had none of their own; None where it says nothing (absent or constant)."""
    known = [_on_scale(u.baseline, question) for u in units if u.baseline is not None]
    if len(known) < 2 or max(known) - min(known) <= 1e-12 * max(map(abs, known)):
        return None, 0
    mean = sum(known) / len(known)
    column = [mean if u.baseline is None else _on_scale(u.baseline, question) for u in units]
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


def _comparisons(
    units: Sequence[UnitValue],
    others: Sequence[str],
    model: Fit,
    j: int,
    shuffled: Sequence[ShuffleTest | str],
    question: Question,
    covariate: bool,
) -> list[Comparison]:
    count = {name: sum(unit.treatment == name for unit in units) for name in (question.control, *others)}
    judged = [i for i, name in enumerate(others) if _can_be_judged(i, j, model, count[name], count[question.control])]
    correlation = gap_correlation(model, judged)
    holmed = holm([t.p if isinstance(t, ShuffleTest) else None for t in shuffled])
    blocks, sd = any(unit.block for unit in units), float(model.noise_sd[j])
    needed = functools.cache(
        lambda band: units_needed(band, sd, len(judged), blocks, int(covariate), no_worse=question.no_worse)
    )
    comparisons = []
    for i, name in enumerate(others):
        test = shuffled[i]
        blank = _described(name, i, j, units, model, count, question)
        shown = replace(
            blank,
            shuffle=test if isinstance(test, ShuffleTest) else None,
            shuffle_p_adjusted=holmed[i],
            shuffle_reason=test if isinstance(test, str) else None,
        )
        if i in judged:
            shown = _with_intervals(shown, i, j, model, correlation, question)
            if shown.verdict == "cannot_tell" and question.band is not None:
                shown = replace(shown, units_needed=needed(question.band))
        comparisons.append(shown)
    return comparisons


def _can_be_judged(i: int, j: int, model: Fit, n: int, n_control: int) -> bool:
    enough = min(n, n_control) >= 2 and model.df >= 1
    return bool(enough and model.estimable[i] and not model.noiseless[j])


def gap_correlation(model: Fit, judged: Sequence[int]) -> Array:
    """Correlations between the judged gaps, as the design gives them."""
    part = model.unscaled[np.ix_(judged, judged)]
    size = np.sqrt(np.diag(part))
    return np.asarray(part / np.outer(size, size))


def standard_errors(model: Fit) -> Array:
    """Standard errors of the gaps: shape (k, m)."""
    return np.asarray(np.sqrt(np.diag(model.unscaled))[:, None] * model.noise_sd[None, :])


def _trend(
    others: Sequence[str], model: Fit, j: int, comparisons: Sequence[Comparison], question: Question
) -> Trend | None:
    """The slope over the ladder's scores, where all its rungs could be judged."""
    scores = dict(question.ladder)
    rungs = [i for i, name in enumerate(others) if name in scores]
    if question.control not in scores or len(rungs) < 2 or len(rungs) + 1 < len(scores):
        return None
    if any(comparisons[i].se is None for i in rungs):
        return None
    centred = np.array([scores[others[i]] for i in rungs]) - np.mean(list(scores.values()))
    spread = sum((score - np.mean(list(scores.values()))) ** 2 for score in scores.values())
    weights = centred / spread  # the control's own gap is 0, so its weight drops out
    slope = float(weights @ model.estimates[rungs, j])
    se = float(model.noise_sd[j] * math.sqrt(weights @ model.unscaled[np.ix_(rungs, rungs)] @ weights))
    half = se * critical_value(np.eye(1), model.df, question.confidence)
    p = adjusted_p(slope / se, np.eye(1), model.df)
    return Trend(question.ladder, slope, se, model.df, slope - half, slope + half, p)


def _described(
    name: str, i: int, j: int, units: Sequence[UnitValue], model: Fit, count: dict[str, int], question: Question
) -> Comparison:
    """The gap as seen, with nothing claimed."""
    gap = float(model.estimates[i, j])
    if not math.isfinite(gap):
        gap = _plain_gap(units, name, question)
    dots = tuple(
        Dot(u.unit, u.treatment, float(r) + (gap if u.treatment == name else 0.0))
        for u, r in zip(units, model.residuals[:, j], strict=True)
        if u.treatment in (name, question.control)
    )
    return Comparison(
        treatment=name,
        n=count[name],
        n_control=count[question.control],
        estimate=gap,
        df=model.df or None,
        percent=Percent(percent(gap), None, None) if question.scale == "ratio" else None,
        dots=dots,
    )


def _plain_gap(units: Sequence[UnitValue], name: str, question: Question) -> float:
    """Difference of the plain means, where the model can't tell the treatment from its place."""
    treated = [_on_scale(u.value, question) for u in units if u.treatment == name]
    control = [_on_scale(u.value, question) for u in units if u.treatment == question.control]
    return sum(treated) / len(treated) - sum(control) / len(control)


def _with_intervals(
    shown: Comparison, i: int, j: int, model: Fit, correlation: Array, question: Question
) -> Comparison:
    gap = float(model.estimates[i, j])
    se = float(standard_errors(model)[i, j])
    alone = np.eye(1)
    plain = se * critical_value(alone, model.df, question.confidence)
    wide = se * critical_value(correlation, model.df, question.confidence)
    t = gap / se
    low, high = gap - wide, gap + wide
    in_percent = Percent(percent(gap), percent(low), percent(high)) if question.scale == "ratio" else None
    return replace(
        shown,
        se=se,
        p=adjusted_p(t, alone, model.df),
        low=gap - plain,
        high=gap + plain,
        p_adjusted=adjusted_p(t, correlation, model.df),
        low_adjusted=low,
        high_adjusted=high,
        percent=in_percent,
        verdict=verdict_of(low, high, question.band, question.lower_is_better, question.no_worse),
    )


def _ledger(
    units: Sequence[UnitValue],
    every: Sequence[UnitValue],
    others: Sequence[str],
    model: Fit,
    j: int,
    comparisons: Sequence[Comparison],
    question: Question,
    circumstances: Circumstances | None,
    filled: int,
) -> list[TrustLine]:
    lost = [unit for unit in every if unit.value is None]
    lines = trust.sizes(units, lost, [question.control, *others])
    lines.append(trust.lots(circumstances))
    if circumstances is not None:
        lines.append(trust.control_kind(circumstances))
        lines += trust.rounds(circumstances)
    lines += [
        trust.not_told_apart(c.treatment)
        for i, c in enumerate(comparisons[: len(others)])
        if not model.estimable[i] and min(c.n, c.n_control) > 1
    ]
    if model.df < 1 or model.noiseless[j]:
        if max(c.n for c in comparisons) > 1:
            lines.append(trust.noiseless(model.df < 1))
        return lines
    lines += trust.baseline_alike(units, question, others)
    lines += trust.baseline_gaps(units, filled)
    lines += trust.outliers(units, model.residuals[:, j])
    lines += trust.unequal_noise(units, model.residuals[:, j])
    tests = [c.shuffle for c in comparisons if c.shuffle is not None]
    lines += trust.shuffle_reach(tests)
    for c in comparisons:
        lines += trust.model_and_shuffle(c.treatment, c.p_adjusted, c.shuffle, c.shuffle_p_adjusted, len(tests))
    return lines
