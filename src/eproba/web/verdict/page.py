"""What the verdict page shows of a judgement."""

from dataclasses import dataclass

from eproba.core.judging.judge import Comparison, Judgement
from eproba.core.trial.model import Trial
from eproba.core.wording.sentences import (
    Wording,
    headline,
    rank_headline,
    rank_sentence,
    sentence,
    settling,
    trend_sentence,
)
from eproba.web.pictures.gap_ruler import GapRuler, gap_ruler
from eproba.web.pictures.shuffle_pile import ShufflePile, shuffle_pile


@dataclass(frozen=True)
class ComparisonShown:
    """One comparison with its words and pictures."""

    letter: str
    comparison: Comparison
    headline: str
    sentence: str
    settling: str
    ruler: GapRuler | None
    pile: ShufflePile | None


def shown_comparisons(trial: Trial, judgement: Judgement) -> list[ComparisonShown]:
    """Every comparison of the first measure."""
    wording = Wording.of(trial.asked[0].measure)
    letters = {each.name: each.letter for each in trial.treatments}
    shown = []
    for each in judgement.comparisons:
        test = each.shuffle
        shown.append(
            ComparisonShown(
                letters[each.treatment],
                each,
                headline(each, judgement),
                sentence(each, judgement, wording),
                settling(each),
                None if each.estimate is None else gap_ruler(each, judgement, wording),
                shuffle_pile(test, judgement, wording) if test and test.pile else None,
            )
        )
    return shown


def shown_trend(trial: Trial, judgement: Judgement) -> str:
    """The ladder as one sentence, or nothing."""
    if judgement.trend is None:
        return ""
    return trend_sentence(judgement.trend, judgement, Wording.of(trial.asked[0].measure))


@dataclass(frozen=True)
class RankingShown:
    """Who is ahead, and each treatment's place in words: letter, name, sentence."""

    headline: str
    places: list[tuple[str, str, str]]


def shown_ranking(trial: Trial, judgement: Judgement) -> RankingShown | None:
    """All against all, where the trial asked for it."""
    ranking = judgement.ranking
    if ranking is None:
        return None
    wording = Wording.of(trial.asked[0].measure)
    letters = {each.name: each.letter for each in trial.treatments}
    places = [(letters[name], name, rank_sentence(name, judgement, ranking, wording)) for name in ranking.order]
    return RankingShown(rank_headline(ranking), places)
