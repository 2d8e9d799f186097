"""Two things at once (2 × 2): what each does over with and without the other, and whether they help each other.

References
----------
Yates, F. (1937). The design and analysis of factorial experiments. Imperial Bureau of Soil Science, Technical
Communication 35: main effects and their interaction as contrasts of the same four means.
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from eproba.core.judging.figures import mixture_figures
from eproba.core.judging.judgement import Comparison, Effect, Judgement
from eproba.core.judging.verdicts import verdict_of
from eproba.core.stats.linear import Array, Fit
from eproba.core.stats.series import Question
from eproba.core.trial.model import CROSSED

# Over the gaps to the control of those that get the first thing, the second, both: each thing over with and without the
# other, and what both do beyond their sum.
EFFECTS = ("1", "2", "12")
CONTRASTS: Array = np.array([[0.5, -0.5, 0.5], [-0.5, 0.5, 0.5], [-1.0, -1.0, 1.0]])


def effects_of(
    question: Question, model: Fit, others: Sequence[str], judged: Sequence[int], treatments: Sequence[str],
    values: Array,
) -> list[tuple[Effect, ...]]:  # fmt: skip
    """For each measure the three effects; none where not all four can be judged."""
    measures = values.shape[1]
    named = {things: name for name, things in question.crossed}
    if set(named) != set(CROSSED) or any(i not in judged for i in range(len(others))) or len(others) != 3:
        return [()] * measures
    places = [others.index(named[things]) for things in EFFECTS]
    contrasts = np.zeros_like(CONTRASTS)
    contrasts[:, places] = CONTRASTS
    figures = mixture_figures(model, contrasts, treatments, values, question.confidence)
    estimates = contrasts @ model.estimates
    effects_found = []
    for j in range(measures):
        effects = []
        for row, of in enumerate(EFFECTS):
            figures_of_row = figures[j][row]
            low, high = (
                (None, None) if figures_of_row is None else (figures_of_row.low_adjusted, figures_of_row.high_adjusted)
            )
            # Both together are a question of their own: nothing is given away in it.
            no_worse = question.no_worse and of != "12"
            verdict = verdict_of(low, high, question.band, question.lower_is_better, no_worse)
            effects.append(Effect(of, named[of], float(estimates[row, j]), figures_of_row, verdict, verdict))
        effects_found.append(tuple(effects))
    return effects_found


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
