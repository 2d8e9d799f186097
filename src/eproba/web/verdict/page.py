"""What the verdict page shows of a judgement."""

from dataclasses import dataclass

from eproba.core.judging.judge import Comparison, Judgement
from eproba.core.stats.series import CannotJudge
from eproba.core.trial.model import Reading, Trial
from eproba.core.wording.sentences import Wording, headline, sentence, settling, trend_sentence
from eproba.web.pictures.gap_ruler import GapRuler, gap_ruler
from eproba.web.pictures.shuffle_pile import ShufflePile, shuffle_pile
from eproba.web.verdict.findings import judged


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


@dataclass(frozen=True)
class AlsoSeen:
    """A measure that was not the first: its sentences, kept apart from the verdict."""

    name: str
    sentences: tuple[str, ...]
    problem: str = ""


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


def also_seen(trial: Trial, readings: tuple[Reading, ...]) -> list[AlsoSeen]:
    """The other measures, described one by one."""
    described = []
    for asked in trial.asked[1:]:
        try:
            judgement = judged(trial, asked, readings)
        except CannotJudge as error:
            described.append(AlsoSeen(asked.measure.name, (), str(error)))
            continue
        wording = Wording.of(asked.measure)
        lines = tuple(sentence(each, judgement, wording) for each in judgement.comparisons)
        described.append(AlsoSeen(asked.measure.name, lines))
    return described
