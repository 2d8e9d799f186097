"""Judging: units and a question in, a judgement out."""

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from eproba.core.judging.again import lines_again, trials_again
from eproba.core.judging.comparisons import judgement_of, under_caps, with_trust
from eproba.core.judging.contrasts import Contrasts, contrasts_of
from eproba.core.judging.crossed import effects_of
from eproba.core.judging.figures import (
    Figures,
    judged_of,
    own_figures,
    pooled_figures,
)
from eproba.core.judging.judgement import GapFigures, Judgement
from eproba.core.judging.ranking import rank
from eproba.core.judging.scale import on_scale
from eproba.core.judging.trust import HARDLY
from eproba.core.judging.trust_line import Circumstances
from eproba.core.stats.counts import log_gaps
from eproba.core.stats.linear import ROUNDING, Array, Fit, fit, of_one, one_measure
from eproba.core.stats.order import Order, orders_of
from eproba.core.stats.own_noise import noise_by_treatment
from eproba.core.stats.schedules import schedule_tests, turns_of
from eproba.core.stats.series import Kind, Question, UnitValue, check, strata_of
from eproba.core.stats.shuffle import Aliased, ShuffleTest, shuffle_tests
from eproba.core.stats.squares import square_tests

BY_ORDER: tuple[Kind, ...] = ("score", "class", "day")
NO_SHUFFLE_LAYOUT = "the lots fell over two sorts of places at once, and not as a whole Latin square"
NO_SHUFFLE_TURNS = "a period of one of the two places is missing, so the schedules can’t be dealt again"
NO_SHUFFLE_UNKNOWN = "how the lots fell is not known, so nobody knows how else they could have fallen"
NO_SHUFFLE_ALONE = "one unit can't be shuffled"
NO_SHUFFLE_ALIASED = "the treatment can't be told from its blocks"


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
    in_full: bool = True,
    with_pile: bool = True,
) -> list[Judgement]:
    """Judge several measures of one trial by one question.

    Parameters
    ----------
    measures : for each measure its units; measures whose living units agree share their deals in one matrix product.
    question : control, scale, worth.
    circumstances : what the trial knows beside the numbers, for the trust ledger.
    seed : for random deals.
    in_full : with what stands beside the verdict: pooled figures, the shuffle test's interval, dots, the order of
        scores, counts in percent, what would settle it.
    with_pile : with the shuffle piles, for pictures; only in full.

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
    judged = _judge_groups(measures, question, circumstances, seed, in_full, with_pile)
    return _asked_again(measures, judged, question, in_full)


def _asked_again(
    measures: Sequence[Sequence[UnitValue]], judged: Sequence[Judgement], question: Question, in_full: bool
) -> list[Judgement]:
    """The judgements with what their ledgers say of the same trials with other values: no more of those is judged than
    the verdict needs, and what shares a layout together."""
    again = [trials_again(units, judgement, in_full) for units, judgement in zip(measures, judged, strict=True)]
    flat = [trial.units for trials in again for trial in trials]
    alone = replace(question, ranked=False, dealt=False)
    retried = iter(_judge_groups(flat, alone, None, 1, in_full=False, with_trust=False))
    return [
        with_trust(judgement, lines_again(judgement, [(trial, next(retried)) for trial in trials]))
        for judgement, trials in zip(judged, again, strict=True)
    ]


def _judge_groups(
    measures: Sequence[Sequence[UnitValue]],
    question: Question,
    circumstances: Circumstances | None,
    seed: int,
    in_full: bool,
    with_pile: bool = False,
    with_trust: bool = True,
) -> list[Judgement]:
    """Judge measures, those of one layout together, in the order in which they came."""
    groups: dict[tuple[object, ...], list[int]] = {}
    for i, units in enumerate(measures):
        groups.setdefault(_layout(units, i), []).append(i)
    judged: dict[int, Judgement] = {}
    for members in groups.values():
        group = [measures[i] for i in members]
        results = _judge_group(group, question, circumstances, seed, in_full, with_pile, with_trust)
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
    in_full: bool,
    with_pile: bool = False,
    with_trust: bool = True,
) -> list[Judgement]:
    """Judge measures that share one fit."""
    living = [[unit for unit in units if unit.value is not None] for units in measures]
    units = living[0]
    raw = np.array([[on_scale(u.value, question) for u in units] for units in living]).T
    open_ended = np.isinf(raw)
    values = np.where(open_ended, 0.0, raw) if open_ended.any() else raw
    baseline, filled = covariate_of(units, question)
    treatments = [unit.treatment for unit in units]
    others = tuple(name for name in dict.fromkeys(treatments) if name != question.control)
    model = fit(units, others, values, baseline)
    judged = judged_of(model, units, others, question.control)
    contrasts = contrasts_of(question, others, judged)
    asked = own_figures(model, contrasts.rows, treatments, values, question.confidence, question.beside)
    estimates = contrasts.rows @ np.where(model.estimable[:, None], model.estimates, 0.0)
    few = min(treatments.count(name) for name in {*treatments}) <= HARDLY
    needed = in_full or few or any(figures is None for row in asked for figures in row[: len(judged)])
    pooled = pooled_figures(model, judged if needed else [], question.confidence)
    names, variances, left = noise_by_treatment(model, treatments, values)
    borrowed = _borrowed(units, others, judged, values, baseline, question)
    shuffled = _shuffled(units, measures[0], others, model, raw, baseline, question, seed, in_full, with_pile)
    judgements = []
    for j, every in enumerate(measures):
        by_order = question.kind == "class" or bool(open_ended[:, j].any())
        figures = Figures(
            question=question,
            units=living[j],
            every=every,
            others=others,
            fit=of_one(model, j),
            pooled=tuple([None] * len(others) if by_order else pooled[j]),
            own=tuple([None] * len(others) if by_order else _own_of(contrasts, asked[j], len(others))),
            shuffled=tuple(test[j] if isinstance(test, list) else test for test in shuffled),
            orders=_orders(living[j], others, judged, question, by_order, seed, in_full),
            percents=log_gaps(living[j], others, question.confidence) if in_full and question.kind == "count" else {},
            by_order=by_order,
            covariate=baseline is not None,
            filled=filled,
            noise={name: (float(variances[g, j]), float(left[g])) for g, name in enumerate(names)},
            borrowed=frozenset(name for name, of in borrowed.items() if of[j]),
            ranking=rank(units, one_measure(model, j), others, values[:, [j]], question)
            if question.ranked and not by_order
            else None,
            trend=None if by_order else _trend(contrasts, estimates[:, j], asked[j]),
            effects=() if by_order else effects_of(question, contrasts, estimates[:, j], asked[j]),
        )
        judgement = judgement_of(figures, circumstances, in_full, with_trust)
        waiting = frozenset(unit.treatment for unit in living[j] if unit.value == math.inf)
        if waiting and question.control not in waiting:
            judgement = _in_days(every, judgement, waiting, seed, in_full, with_pile)
        judgements.append(judgement)
    return judgements


def _in_days(
    units: Sequence[UnitValue],
    judgement: Judgement,
    waiting: frozenset[str],
    seed: int,
    in_full: bool,
    with_pile: bool,
) -> Judgement:
    """Treatments in which it came for every unit, as in the control, are judged in days, beside those that wait."""
    came = {c.treatment for c in judgement.comparisons if c.by_order} - waiting
    if not came:
        return judgement
    question = replace(judgement.question, beside=len(judgement.comparisons) - len(came))
    kept = [unit for unit in units if unit.treatment in (question.control, *came)]
    in_days = {
        c.treatment: c for c in _judge_group([kept], question, None, seed, in_full, with_pile, False)[0].comparisons
    }
    comparisons = [
        under_caps(replace(in_days[c.treatment], order=c.order and replace(c.order, carries=False)), judgement.trust)
        if c.treatment in came
        else c
        for c in judgement.comparisons
    ]
    return replace(judgement, comparisons=tuple(comparisons))


def _orders(
    units: Sequence[UnitValue],
    others: Sequence[str],
    judged: Sequence[int],
    question: Question,
    carries: bool,
    seed: int,
    in_full: bool,
) -> tuple[Order | None, ...]:
    """All treatments against the control by order, where the kind of measure asks for it."""
    if question.kind not in BY_ORDER or not (carries or in_full):
        return (None,) * len(others)
    numbers = [math.inf if unit.value is None else unit.value for unit in units]
    orders = orders_of(
        numbers,
        [unit.treatment for unit in units],
        question.control,
        [others[i] for i in judged],
        strata_of(units) or [None] * len(units),
        question.confidence,
        seed,
    )
    return tuple(order and replace(order, carries=carries) for order in map(orders.get, others))


def _shuffled(
    units: Sequence[UnitValue],
    every: Sequence[UnitValue],
    others: Sequence[str],
    model: Fit,
    values: Array,
    baseline: Array | None,
    question: Question,
    seed: int,
    in_full: bool,
    with_pile: bool,
) -> list[list[ShuffleTest] | str]:
    """For each treatment its shuffle tests, one a measure, or the reason why there are none."""
    by_order = question.kind == "class" or bool(np.isinf(values).any())
    numbers = _ranks(values) if by_order else values
    if question.turns:
        turns = turns_of(units, question.control, numbers)
        if turns is None:
            return [NO_SHUFFLE_TURNS] * len(others)
        return [schedule_tests(turns, numbers, question.confidence, in_full, in_full and with_pile)] * len(others)
    if strata_of(units) is not None or not question.dealt:
        return [_shuffle(units, name, numbers, baseline, question, seed, in_full, with_pile) for name in others]
    tests = square_tests(units, others, model, numbers, baseline, every, seed)
    if tests is None:
        return [NO_SHUFFLE_LAYOUT] * len(others)
    enough = [_pair_size(units, name, question.control) >= 2 for name in others]
    return [test if many else NO_SHUFFLE_ALONE for test, many in zip(tests, enough, strict=True)]


def _ranks(values: Array) -> Array:
    """Mid-ranks within each measure: (n, m)."""
    below = (values[:, None, :] > values[None, :, :]).sum(axis=1)
    same = (values[:, None, :] == values[None, :, :]).sum(axis=1)
    return np.asarray(below + (same + 1) / 2)


def _pair_size(units: Sequence[UnitValue], name: str, control: str) -> int:
    return min(sum(unit.treatment == name_of_unit for unit in units) for name_of_unit in (name, control))


def _own_of(contrasts: Contrasts, asked: Sequence[GapFigures | None], others: int) -> list[GapFigures | None]:
    """The figures of each gap to the control, None for those that can't be judged."""
    figures: list[GapFigures | None] = [None] * others
    for i, of_row in zip(contrasts.judged, asked, strict=False):
        figures[i] = of_row
    return figures


def _trend(
    contrasts: Contrasts, estimates: Array, asked: Sequence[GapFigures | None]
) -> tuple[float, GapFigures] | None:
    """The slope over the ladder with its figures, where all its rungs could be judged."""
    row = contrasts.trend_row
    figures = None if row is None else asked[row]
    return None if row is None or figures is None else (float(estimates[row]), figures)


def _borrowed(
    units: Sequence[UnitValue],
    others: Sequence[str],
    judged: Sequence[int],
    values: Array,
    baseline: Array | None,
    question: Question,
) -> dict[str, NDArray[np.bool_]]:
    """For each measure whether a treatment and the control, fitted without the others, leave no noise at all: (m,)."""
    borrowed = {}
    for i in judged if len(others) > 1 else ():
        kept = [n for n, unit in enumerate(units) if unit.treatment in (others[i], question.control)]
        alone = fit([units[n] for n in kept], (others[i],), values[kept], None if baseline is None else baseline[kept])
        borrowed[others[i]] = alone.noiseless if alone.df > 0 else np.zeros(values.shape[1], dtype=bool)
    return borrowed


def covariate_of(units: Sequence[UnitValue], question: Question) -> tuple[Array | None, int]:
    """The covariate and how many units had none of their own; None where it says nothing (absent or constant)."""
    known = [on_scale(u.baseline, question) for u in units if u.baseline is not None]
    if len(known) < 2 or max(known) - min(known) <= ROUNDING * max(map(abs, known)):
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
    in_full: bool,
    with_pile: bool,
) -> list[ShuffleTest] | str:
    """The tests of one treatment, one per measure, or the reason why there are none."""
    kept = [i for i, unit in enumerate(units) if unit.treatment in (name, question.control)]
    treated = np.array([units[i].treatment == name for i in kept])
    if min(treated.sum(), (~treated).sum()) < 2:
        return NO_SHUFFLE_ALONE
    if not question.dealt:
        return NO_SHUFFLE_UNKNOWN
    strata = strata_of(units)
    if strata is None:
        return NO_SHUFFLE_LAYOUT
    try:
        return shuffle_tests(
            values[kept],
            treated,
            [strata[i] for i in kept],
            None if baseline is None else baseline[kept],
            seed,
            question.confidence,
            in_full,
            in_full and with_pile,
        )
    except Aliased:
        return NO_SHUFFLE_ALIASED
