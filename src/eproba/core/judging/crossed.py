"""Two things at once (2 × 2): what each does over with and without the other, and whether they help each other."""

from collections.abc import Sequence
from dataclasses import replace

from eproba.core.judging.contrasts import EFFECTS, Contrasts
from eproba.core.judging.judgement import Comparison, Effect, GapFigures, Judgement
from eproba.core.judging.verdicts import verdict_of
from eproba.core.stats.linear import Array
from eproba.core.stats.series import Question


def effects_of(
    question: Question, contrasts: Contrasts, estimates: Array, figures: Sequence[GapFigures | None]
) -> tuple[Effect, ...]:
    """The three effects of one measure, from the estimates (q,) and figures of all that was asked at once; none where
    not all four can be judged."""
    named = {things: name for name, things in question.crossed}
    return tuple(
        _effect(question, of, named[of], float(estimates[row]), figures[row])
        for of, row in zip(EFFECTS, contrasts.effect_rows, strict=False)
    )


def _effect(question: Question, of: str, name: str, estimate: float, figures: GapFigures | None) -> Effect:
    low, high = (None, None) if figures is None else (figures.low_adjusted, figures.high_adjusted)
    # Both together are a question of their own: nothing is given away in it.
    no_worse = question.no_worse and of != "12"
    verdict = verdict_of(low, high, question.band, question.lower_is_better, no_worse)
    return Effect(of, name, estimate, figures, verdict, verdict)


def by_effects(judgement: Judgement) -> Judgement:
    """Each of two things by what it does over with and without the other, which twice the units speak of.

    Both together stay as they stand against the control; so do all where it is shown that the two help or hinder each
    other, since then no average says what one of them does.
    """
    effects = {effect.of: effect for effect in judgement.effects}
    beyond = effects["12"].figures if "12" in effects else None
    if beyond is None or beyond.low_adjusted > 0 or beyond.high_adjusted < 0:
        return judgement
    alone = {effect.name: effect for effect in judgement.effects if effect.of != "12"}
    comparisons = tuple(_as_effect(comparison, alone.get(comparison.treatment)) for comparison in judgement.comparisons)
    return replace(judgement, comparisons=comparisons)


def _as_effect(comparison: Comparison, effect: Effect | None) -> Comparison:
    if effect is None or effect.figures is None:
        return comparison
    return replace(
        comparison, estimate=effect.estimate, own=effect.figures, pooled=None, verdict=effect.verdict,
        uncapped=effect.uncapped, capped_by=effect.capped_by,
    )  # fmt: skip
