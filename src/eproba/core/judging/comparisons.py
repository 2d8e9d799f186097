"""From figures to comparisons, with the verdict that the trust in them leaves standing."""

import math
from collections.abc import Sequence
from dataclasses import replace

from eproba.core.judging import trust
from eproba.core.judging.figures import Figures
from eproba.core.judging.judgement import EFFECT_TURNS, Comparison, Dot, Effect, Judgement, Percent, Trend, effect_key
from eproba.core.judging.lost import losses_of
from eproba.core.judging.scale import on_scale
from eproba.core.judging.trust_line import Circumstances, TrustLine
from eproba.core.judging.verdicts import capped, percent, verdict_of
from eproba.core.stats.series import design_of
from eproba.core.stats.shuffle import ShuffleTest, holm

NO_SHUFFLE_GONE = "every unit is lost"


def judgement_of(
    figures: Figures, circumstances: Circumstances | None, in_full: bool = True, trusted: bool = True
) -> Judgement:
    """All comparisons of one measure, with the ledger of what its numbers and circumstances tell."""
    comparisons = _comparisons(figures, in_full)
    sd = figures.fit.noise_sd
    judgement = Judgement(
        question=figures.question,
        design=design_of(figures.units),
        units=len(figures.units),
        noise_sd=sd if math.isfinite(sd) and not figures.by_order else None,
        comparisons=tuple(comparisons),
        trust=(),
        trend=_trend(figures),
        effects=figures.effects,
        ranking=figures.ranking,
        residuals=tuple((u.unit, r) for u, r in zip(figures.units, figures.fit.residuals.tolist(), strict=True)),
        start_taken=figures.covariate,
    )
    return with_trust(judgement, trust.ledger(figures, comparisons, circumstances, in_full)) if trusted else judgement


def with_trust(judgement: Judgement, lines: Sequence[TrustLine]) -> Judgement:
    """The judgement with further lines in its ledger, and with the verdicts that their caps leave standing."""
    comparisons = tuple(under_caps(comparison, lines) for comparison in judgement.comparisons)
    effects = tuple(_held(effect, lines) for effect in judgement.effects)
    return replace(judgement, comparisons=comparisons, effects=effects, trust=(*judgement.trust, *lines))


def _held(effect: Effect, lines: Sequence[TrustLine]) -> Effect:
    """An effect speaks of all four treatments: what caps any of them caps it; what speaks of another effect not."""
    for line in lines:
        if line.says == EFFECT_TURNS and line.of != effect_key(effect.of):
            continue
        left = effect.verdict if line.cap is None else capped(effect.verdict, line.cap)
        if left != effect.verdict:
            effect = replace(effect, verdict=left, capped_by=line.rule)
    return effect


def under_caps(comparison: Comparison, lines: Sequence[TrustLine]) -> Comparison:
    """The comparison with the verdict that the caps among these lines leave standing."""
    for line in lines:
        if line.cap is None or line.of not in ("", comparison.treatment):
            continue
        left = capped(comparison.verdict, line.cap)
        if left != comparison.verdict:
            comparison = replace(comparison, verdict=left, capped_by=line.rule)
    return comparison


def _comparisons(figures: Figures, in_full: bool) -> list[Comparison]:
    """Every treatment against the control; those of which nothing is left stand last."""
    holmed = holm([test.p if isinstance(test, ShuffleTest) else None for test in figures.shuffled])
    comparisons = []
    for i, test in enumerate(figures.shuffled):
        shown = replace(
            _described(figures, i, in_full),
            shuffle=test if isinstance(test, ShuffleTest) else None,
            shuffle_p_adjusted=holmed[i],
            shuffle_reason=test if isinstance(test, str) else None,
        )
        comparisons.append(_judged(shown, figures, i, in_full))
    known = {figures.question.control, *figures.others}
    gone = dict.fromkeys(unit.treatment for unit in figures.every if unit.treatment not in known)
    left, losses = figures.counts[figures.question.control], losses_of(figures.every, figures.question.control)
    comparisons += [Comparison(name, 0, left, shuffle_reason=NO_SHUFFLE_GONE) for name in gone]
    return [replace(comparison, losses=losses.get(comparison.treatment)) for comparison in comparisons]


def _described(figures: Figures, i: int, in_full: bool) -> Comparison:
    """The gap as seen, with nothing claimed."""
    name, control, model = figures.others[i], figures.question.control, figures.fit
    gap = None if figures.by_order else float(model.estimates[i])
    if gap is not None and not math.isfinite(gap):
        gap = _plain_gap(figures, name)
    dots = tuple(
        Dot(u.unit, u.treatment, r + (gap if u.treatment == name else 0.0))
        for u, r in zip(figures.units, model.residuals.tolist(), strict=True)
        if in_full and gap is not None and u.treatment in (name, control)
    )
    in_percent = None
    if gap is not None and figures.question.scale == "ratio":
        in_percent = Percent(percent(gap), None, None)
    elif logs := figures.percents.get(name):
        in_percent = Percent(percent(logs.estimate), percent(logs.low), percent(logs.high))
    return Comparison(
        treatment=name,
        n=figures.counts[name],
        n_control=figures.counts[control],
        estimate=gap,
        pooled=figures.pooled[i],
        own=figures.own[i],
        order=figures.orders[i],
        percent=in_percent,
        dots=dots,
    )


def _plain_gap(figures: Figures, name: str) -> float:
    """Difference of the plain means, where the model can't tell the treatment from its place."""
    question = figures.question
    treated = [on_scale(u.value, question) for u in figures.units if u.treatment == name]
    control = [on_scale(u.value, question) for u in figures.units if u.treatment == question.control]
    return sum(treated) / len(treated) - sum(control) / len(control)


def _judged(shown: Comparison, figures: Figures, i: int, in_full: bool) -> Comparison:
    """The verdict that the figures carry, and, in full, what would settle it."""
    question, carrying, order = figures.question, shown.carrying, shown.order
    if order is not None and order.carries:
        verdict = verdict_of(order.low - 0.5, order.high - 0.5, None, question.lower_is_better)
        settled = figures.needed_by_order() if in_full and verdict == "cannot_tell" else None
        return replace(shown, verdict=verdict, uncapped=verdict, needed=settled)
    if carrying is None:
        return shown
    low, high = carrying.low_adjusted, carrying.high_adjusted
    verdict = verdict_of(low, high, question.band, question.lower_is_better, question.no_worse)
    if question.scale == "ratio" and shown.percent is not None:
        shown = replace(shown, percent=Percent(shown.percent.estimate, percent(low), percent(high)))
    needed = figures.needed(i) if in_full and verdict == "cannot_tell" else None
    return replace(shown, verdict=verdict, uncapped=verdict, needed=needed)


def _trend(figures: Figures) -> Trend | None:
    if figures.trend is None:
        return None
    slope, change = figures.trend
    return Trend(
        figures.question.ladder, slope, change.se, change.df, change.low_adjusted, change.high_adjusted,
        change.p_adjusted,
    )  # fmt: skip
