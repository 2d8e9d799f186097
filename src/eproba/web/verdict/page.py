"""What the verdict page shows of a judgement."""

from dataclasses import dataclass

from eproba.core.judging.judgement import Comparison, Judgement
from eproba.core.judging.trust_line import TrustLine
from eproba.core.trial.model import Trial
from eproba.core.wording.crossed import effect_headline, effect_sentence
from eproba.core.wording.ledger import text_of
from eproba.core.wording.sentences import (
    Wording,
    gap_text,
    headline,
    line,
    order_text,
    percent_text,
    rank_headline,
    rank_sentence,
    sentence,
    settling,
    trend_sentence,
)
from eproba.web.pictures.gap_ruler import GapRuler, gap_ruler
from eproba.web.pictures.shared_ruler import WIDE, RulerLayout, SharedRuler, ordered, shared_ruler
from eproba.web.pictures.shuffle_pile import ShufflePile, shuffle_pile
from eproba.web.ui.units import units


@dataclass(frozen=True)
class ComparisonShown:
    """One comparison with its words and pictures; `shuffle_span`: the interval that the shuffle test gives; `percent`
    and `order`: what the count model and the order say beside the gap."""

    letter: str
    comparison: Comparison
    headline: str
    sentence: str
    line: str
    settling: str
    ruler: GapRuler | None
    pile: ShufflePile | None
    shuffle_span: str
    percent: str
    order: str


def shown_ruler(trial: Trial, judgement: Judgement, layout: RulerLayout = WIDE) -> SharedRuler:
    """All treatments on one ruler."""
    return shared_ruler(judgement, _letters(trial), Wording.of(trial, trial.asked[0]), layout)


def shown_sentences(trial: Trial, judgement: Judgement) -> list[tuple[str, str]]:
    """Every comparison in its headline and its sentence, the best first."""
    wording = Wording.of(trial, trial.asked[0])
    return [(headline(c, judgement, wording.noun), sentence(c, judgement, wording)) for c in _best_first(judgement)]


def _best_first(judgement: Judgement) -> list[Comparison]:
    order = ordered(judgement)
    return sorted(judgement.comparisons, key=lambda c: order.index(c.treatment))


def shown_comparisons(trial: Trial, judgement: Judgement) -> list[ComparisonShown]:
    """Every comparison of the first measure, the best first."""
    wording = Wording.of(trial, trial.asked[0])
    letters = _letters(trial)
    shown = []
    for comparison in _best_first(judgement):
        test = None if comparison.by_order else comparison.shuffle  # of ranks there is no gap to draw
        span = ""
        if test is not None and test.pile:
            ends = [
                gap_text(end, judgement.question.scale, wording) if end is not None else "beyond"
                for end in (test.low, test.high)
            ]
            open_ended = test.low is None or test.high is None
            span = "without an end that these lots can show" if open_ended else f"likely between {' and '.join(ends)}"
        shown.append(
            ComparisonShown(
                letters[comparison.treatment],
                comparison,
                headline(comparison, judgement, wording.noun),
                sentence(comparison, judgement, wording),
                line(comparison, judgement, wording),
                settling(comparison, wording.noun),
                None
                if comparison.estimate is None or not comparison.dots
                else gap_ruler(comparison, judgement, wording),
                shuffle_pile(test, comparison.estimate, judgement, wording) if test and test.pile else None,
                span,
                percent_text(comparison, judgement),
                order_text(comparison, judgement, wording),
            )
        )
    return shown


def shown_ledger(trial: Trial, judgement: Judgement) -> dict[str, list[tuple[TrustLine, str]]]:
    """The ledger by how far its lines reach: caps, cautions, notes."""
    lines = [(line, text_of(line, units(), trial.noun)) for line in judgement.trust]
    return {level: [line for line in lines if line[0].level == level] for level in ("cap", "caution", "note")}


def shown_effects(trial: Trial, judgement: Judgement) -> list[tuple[str, str]]:
    """Of two things at once what each does and what both do together: headline and sentence."""
    wording = Wording.of(trial, trial.asked[0])
    return [(effect_headline(e, judgement), effect_sentence(e, judgement, wording)) for e in judgement.effects]


def shown_trend(trial: Trial, judgement: Judgement) -> str:
    """The ladder as one sentence, or nothing."""
    if judgement.trend is None:
        return ""
    return trend_sentence(judgement.trend, judgement, Wording.of(trial, trial.asked[0]))


@dataclass(frozen=True)
class RankingShown:
    """Who is ahead, and each treatment's place in words: letter, name, sentence."""

    headline: str
    places: list[tuple[str, str, str]]


def shown_ranking(trial: Trial, judgement: Judgement) -> RankingShown | None:
    """All against all, where the trial asked for it."""
    ranking = judgement.ranking
    if ranking is None or not trial.ranked:
        return None
    wording, letters = Wording.of(trial, trial.asked[0]), _letters(trial)
    places = [(letters[name], name, rank_sentence(name, judgement, ranking, wording)) for name in ranking.order]
    return RankingShown(rank_headline(ranking), places)


def _letters(trial: Trial) -> dict[str, str]:
    return {treatment.name: treatment.letter for treatment in trial.treatments}
