"""The words of a judgement, made in this one place for the page, the command line and the paper."""

from dataclasses import dataclass

from eproba.core.judging.judge import Comparison, Judgement, Trend
from eproba.core.judging.ranking import Ranking
from eproba.core.judging.verdicts import Verdict, percent
from eproba.core.measuring.measures import Measure
from eproba.core.trial.worth import Worth
from eproba.core.words import figure, listed, lower_first

HEADLINES: dict[Verdict, str] = {
    "better_matters": "Better, and by enough to matter",
    "better": "Better; whether by enough is open",
    "better_trivial": "Better, but by less than you wanted",
    "same": "No difference worth having",
    "cannot_tell": "Can’t tell",
    "worse_trivial": "Worse, but by little",
    "worse": "Worse",
    "worse_matters": "Worse, and by enough to matter",
    "seen_not_shown": "Seen, not shown",
    "no_worse": "No worse, within your margin",
}


@dataclass(frozen=True)
class Wording:
    """How a measure speaks: its unit and the two halves of its sentence."""

    unit: str = ""
    more: str = "gave values {gap} higher"
    less: str = "gave values {gap} lower"

    @classmethod
    def of(cls, measure: Measure) -> "Wording":
        return cls(measure.judged_unit, measure.more, measure.less)


def headline(comparison: Comparison, judgement: Judgement) -> str:
    """The verdict in a few words."""
    if judgement.question.worth is None and comparison.verdict == "better":
        return "Better"
    return HEADLINES[comparison.verdict]


def sentence(comparison: Comparison, judgement: Judgement, wording: Wording) -> str:
    """The gardener's sentence: what was seen, what else fits, what was wanted."""
    low, high = comparison.low_adjusted, comparison.high_adjusted
    if comparison.estimate is None:
        return f"{comparison.treatment} could not be compared."
    seen = _seen(comparison, judgement, wording)
    if low is None or high is None:
        if min(comparison.n, comparison.n_control) < 2:
            return f"{seen}, as far as the eye goes: with a single unit, nobody can say why."
        return f"{seen}, as far as the eye goes: these units can’t show why."
    worth = worth_text(judgement, wording)
    if comparison.verdict == "no_worse":
        text = f"{seen}, which may be nothing: it is no worse by more than {_size_of(low, high, judgement, wording)}"
        return f"{text}, inside the margin of {worth} that you allowed."
    if comparison.verdict == "cannot_tell":
        return _cannot_tell(comparison, judgement, wording, seen)
    if comparison.verdict == "same":
        name, control = comparison.treatment, lower_first(judgement.question.control)
        span = f"{_either(low, judgement, wording)} to {_either(high, judgement, wording)}"
        return f"{name} and {control} came out alike: only gaps from {span} fit, inside the {worth} that would matter."
    text = f"{seen}; anything from {_span(low, high, judgement, wording)} fits."
    return f"{text} {_against_worth(comparison.verdict, worth)}".strip()


def worth_text(judgement: Judgement, wording: Wording) -> str:
    """The worth with its unit, or nothing."""
    return Worth(judgement.question.worth, judgement.question.scale).words(wording.unit)


def band_text(judgement: Judgement, wording: Wording) -> str:
    """The worth band as it truly lies: on the ratio scale 10 % more is matched by 9 % less."""
    band = judgement.question.band
    if band is None:
        return ""
    return f"{_either(band, judgement, wording)} / {_either(-band, judgement, wording)}"


def gap_text(gap: float, judgement: Judgement, wording: Wording) -> str:
    """A signed gap with its unit."""
    sign = "+" if gap > 0 else ""
    if judgement.question.scale == "ratio":
        return f"{sign}{figure(percent(gap))} %"
    return f"{sign}{figure(gap)} {wording.unit}".strip()


def settling(comparison: Comparison) -> str:
    """What would settle a can't-tell."""
    needed = comparison.units_needed
    if needed is None:
        return ""
    more = needed - min(comparison.n, comparison.n_control)
    if more <= 0:
        return "A trial of this size settles it 8 times in 10 if the gap is what you wanted: repeat it."
    return f"About {needed} units of each, {more} more than here, would settle it (8 times in 10, with noise as here)."


def trend_sentence(trend: Trend, judgement: Judgement, wording: Wording) -> str:
    """The ladder in one sentence: what each step up gave."""
    gap = gap_text(trend.slope, judgement, wording)
    span = f"{gap_text(trend.low, judgement, wording)} to {gap_text(trend.high, judgement, wording)}"
    said = "more strength went with a change" if trend.p < 0.05 else "a flat ladder fits as well"
    return f"Each step up the ladder: {gap} (anything from {span} fits); {said}, p = {trend.p:.3f}."


def rank_headline(ranking: Ranking) -> str:
    """Who leads, as far as it is shown."""
    leaders = [ranking.order[0], *ranking.not_told_from(ranking.order[0])]
    if len(leaders) == 1:
        return f"{leaders[0]} is ahead of all others"
    if len(leaders) == len(ranking.order) and not any(each.shown for each in ranking.pairs):
        return "None is shown to be ahead"
    return f"In front, not told apart: {listed(leaders)}"


def rank_sentence(name: str, judgement: Judgement, ranking: Ranking, wording: Wording) -> str:
    """One treatment's place: whom it is shown ahead of and by how much, and whom it can't be told apart from."""
    parts = []
    for each in ranking.behind(name):
        span = _span(each.low, each.high, judgement, wording)
        size = _size(each.gap, judgement, wording)
        parts.append(f"ahead of {lower_first(each.second)} by about {size} ({span} fits)")
    alike = [lower_first(each) for each in ranking.not_told_from(name)]
    if alike:
        parts.append(f"can’t be told apart from {listed(alike)}")
    if not parts:
        parts.append("shown behind all others")
    told = "; ".join(parts)
    return f"{told[0].upper()}{told[1:]}."


def _seen(comparison: Comparison, judgement: Judgement, wording: Wording) -> str:
    gap = comparison.estimate or 0.0
    phrase = wording.more if gap >= 0 else wording.less
    told = phrase.replace("{gap}", f"about {_size(gap, judgement, wording)}")
    return f"{comparison.treatment} {told} than {lower_first(judgement.question.control)}"


def _cannot_tell(comparison: Comparison, judgement: Judgement, wording: Wording, seen: str) -> str:
    low, high = comparison.low_adjusted or 0.0, comparison.high_adjusted or 0.0
    span = f"{_either(low, judgement, wording)} to {_either(high, judgement, wording)}"
    text = f"{seen} here, but anything from {span} fits, so it may be nothing."
    return f"{text} {settling(comparison)}".strip()


def _size_of(low: float, high: float, judgement: Judgement, wording: Wording) -> str:
    """How much worse it might still be."""
    return _size(high if judgement.question.lower_is_better else low, judgement, wording)


def _against_worth(verdict: Verdict, worth: str) -> str:
    if not worth:
        return ""
    if verdict in ("better_matters", "worse_matters"):
        return f"You wanted {worth}: even the cautious end is beyond that."
    if verdict in ("better_trivial", "worse_trivial"):
        return f"You wanted {worth}: it is less than that."
    return f"You wanted {worth}."


def _span(low: float, high: float, judgement: Judgement, wording: Wording) -> str:
    """Both ends on one side of zero, nearer end first."""
    near, far = sorted((low, high), key=abs)
    if judgement.question.scale == "ratio":
        return f"{figure(abs(percent(near)))} to {figure(abs(percent(far)))} %"
    return f"{figure(abs(near))} to {figure(abs(far))} {wording.unit}".strip()


def _either(gap: float, judgement: Judgement, wording: Wording) -> str:
    return f"{_size(gap, judgement, wording)} {'more' if gap >= 0 else 'less'}"


def _size(gap: float, judgement: Judgement, wording: Wording) -> str:
    if judgement.question.scale == "ratio":
        return f"{figure(abs(percent(gap)))} %"
    return f"{figure(abs(gap))} {wording.unit}".strip()
