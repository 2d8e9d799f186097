"""The words of a judgement, made in this one place for the page, the command line and the paper."""

from dataclasses import dataclass, replace

from eproba.core.judging.judgement import Comparison, Judgement, Trend
from eproba.core.judging.ranking import Ranking
from eproba.core.judging.verdicts import Verdict, percent
from eproba.core.measuring.measures import Measure
from eproba.core.stats.order import Order
from eproba.core.stats.series import Question, Scale
from eproba.core.stats.summaries import SUMMARIES, Summary
from eproba.core.trial.ground import UNIT, UnitNoun
from eproba.core.trial.model import Asked, Trial
from eproba.core.trial.worth import Worth, halves, worth_unit
from eproba.core.words import figure, listed, lower_first

HEADLINES: dict[Verdict, str] = {
    "better_matters": "Better, and by enough to matter",
    "better": "Better; whether by enough is open",
    "better_trivial": "Better, but by less than you wanted",
    "same": "No difference worth having",
    "cannot_tell": "Can’t tell",
    "worse_trivial": "Worse, but by too little to matter",
    "worse": "Worse",
    "worse_matters": "Worse, and by enough to matter",
    "seen_not_shown": "Seen, not shown",
    "no_worse": "No worse, within your margin",
}
OUTCOMES: dict[Verdict, str] = {
    "better_matters": "better by enough",
    "better": "better",
    "better_trivial": "better, but little",
    "same": "alike",
    "cannot_tell": "can’t tell",
    "worse_trivial": "worse, but little",
    "worse": "worse",
    "worse_matters": "worse by enough",
    "seen_not_shown": "seen, not shown",
    "no_worse": "no worse",
}
WITH_A_MARGIN: dict[Verdict, str] = {
    "better_matters": "Better, by more than the margin",
    "better": "Better",
    "better_trivial": "Better, by less than the margin",
    "worse_trivial": "Worse, but by less than you would give away",
    "worse": "Worse; whether by more than the margin is open",
    "worse_matters": "Worse, by more than the margin",
}


@dataclass(frozen=True)
class Wording:
    """How a measure speaks: its unit, the two halves of its sentence, and those by order alone; how a trial’s units are
    called."""

    unit: str = ""
    more: str = "gave values {gap} higher"
    less: str = "gave values {gap} lower"
    above: str = "stood higher"
    below: str = "stood lower"
    a_day: bool = False
    noun: UnitNoun = UNIT

    @classmethod
    def of(cls, trial: Trial, asked: Asked) -> "Wording":
        """A measure's words in a trial, by what counts of it: a value, its change a day, the day of reaching it."""
        summary = trial.summary if asked is trial.asked[0] else trial.summary_of_others
        return replace(cls.of_measure(asked.measure, summary, trial.rules.level), noun=trial.noun)

    @classmethod
    def of_measure(cls, measure: Measure, summary: Summary, level: float | None) -> "Wording":
        """The words of a measure by what counts of it; `level`: what is to be reached, where that counts."""
        more, less = halves(measure, summary, level)
        above, below = cls.above, cls.below
        if summary == "time_to" or measure.kind == "day":
            above, below = "came later", "came earlier"
        unit = worth_unit(measure.judged_unit, summary)
        return cls(unit, more, less, above, below, a_day=summary == "rate")


def counted(trial: Trial, judgement: Judgement) -> str:
    """What counts of each unit, as it was judged."""
    if trial.turns:
        return "the mean of what was read in each period, its first half left out"
    if trial.asked[0].measure.kind == "day":
        return "the day on which it happened"
    if trial.summary == "last" and not judgement.start_taken:
        return "the reading on the decision day"
    return lower_first(SUMMARIES[trial.summary])


def headline(comparison: Comparison, judgement: Judgement, noun: UnitNoun = UNIT) -> str:
    """The verdict in a few words; what is shown to kill is said before anything else."""
    said = headline_of(comparison.verdict, judgement)
    if comparison.kills:
        lost = f"More {noun.several} lost"
        return lost if comparison.verdict == "seen_not_shown" else f"{lost}; {lower_first(said)}"
    return said


def outcome_of(comparison: Comparison) -> str:
    """What came out, in the word or two that a picture has room for."""
    return "more lost" if comparison.kills else OUTCOMES[comparison.verdict]


def losses_text(comparison: Comparison, judgement: Judgement, noun: UnitNoun) -> str:
    """The units lost in both arms, and whether luck does that; nothing where none was lost."""
    losses = comparison.losses
    if losses is None or not losses.lost + losses.lost_control:
        return ""
    counts = f"{comparison.treatment} lost {losses.lost or 'none'} of {noun(losses.of)}, {judgement.question.control} "
    counts += f"{losses.lost_control or 'none'} of {losses.of_control}"
    if losses.shown:
        luck = f"p = {losses.p_adjusted:.3f}" if losses.p_adjusted >= 0.001 else "p below 0.001"
        return f"{counts}: {losses.shown} than luck would take ({luck})."
    if not losses.excess:
        return f"{counts}."
    if losses.beyond_margin:
        return f"{counts}. Luck can do that, but nobody can rule out that {comparison.treatment} did harm."
    return f"{counts}. Luck can do that."


def headline_of(verdict: Verdict, judgement: Judgement) -> str:
    """Any verdict in a few words, as this question would have it said."""
    if judgement.question.no_worse and verdict in WITH_A_MARGIN:
        return WITH_A_MARGIN[verdict]
    if judgement.question.worth is None and verdict == "better":
        return "Better"
    return HEADLINES[verdict]


def sentence(comparison: Comparison, judgement: Judgement, wording: Wording) -> str:
    """The gardener's sentence: what was seen, what else fits, what was wanted, what was lost (first, where that is
    shown)."""
    gap, losses = _gap_sentence(comparison, judgement, wording), losses_text(comparison, judgement, wording.noun)
    return " ".join(part for part in ((losses, gap) if comparison.kills else (gap, losses)) if part)


def _gap_sentence(comparison: Comparison, judgement: Judgement, wording: Wording) -> str:
    """What was seen, what else fits, what was wanted."""
    order = comparison.order
    if order is not None and order.carries:
        return _by_order(comparison, order, judgement, wording)
    if comparison.estimate is None:
        return f"{comparison.treatment} could not be compared."
    seen, carrying = _seen(comparison, judgement, wording), comparison.carrying
    if carrying is None:
        if min(comparison.n, comparison.n_control) < 2:
            return f"{seen}, as far as you can see; with one {wording.noun.one} of each, nobody can say why."
        return f"{seen}, as far as you can see; these {wording.noun.several} can’t show why."
    low, high = carrying.low_adjusted, carrying.high_adjusted
    if comparison.verdict == "seen_not_shown":
        return f"{seen}, as far as you can see. {cap_sentence(comparison, judgement)}".strip()
    return f"{_judged(comparison, judgement, wording, low, high)} {cap_sentence(comparison, judgement)}".strip()


def line(comparison: Comparison, judgement: Judgement, wording: Wording) -> str:
    """The sentence in one line, where all treatments stand below one another: what was seen and what else fits."""
    carrying, order = comparison.carrying, comparison.order
    held = comparison.verdict == "seen_not_shown" or (order is not None and order.carries)
    if held or carrying is None or comparison.estimate is None:
        return sentence(comparison, judgement, wording)
    low, high = carrying.low_adjusted, carrying.high_adjusted
    ends = between(low, high, judgement, wording)
    if comparison.verdict == "same":
        text = f"{comparison.treatment} and {judgement.question.control} came out alike: the true gap lies {ends}."
    elif comparison.verdict in ("cannot_tell", "no_worse"):
        text = f"{_bare(comparison, judgement, wording)} here, but it could be anything {ends}."
    else:
        text = f"{_bare(comparison, judgement, wording)}; the true gap is likely {ends}."
    parts = (text, cap_sentence(comparison, judgement), losses_text(comparison, judgement, wording.noun))
    return " ".join(part for part in parts if part)


def cap_sentence(comparison: Comparison, judgement: Judgement) -> str:
    """What held the verdict back, and what it would have been; nothing where it stands as the figures have it."""
    if not comparison.capped_by:
        return ""
    would = headline_of(comparison.uncapped, judgement)
    return f"The numbers alone say “{would}”, but the check “{comparison.capped_by}” limits it."


def _judged(comparison: Comparison, judgement: Judgement, wording: Wording, low: float, high: float) -> str:
    seen, worth = _seen(comparison, judgement, wording), worth_text(judgement, wording)
    ends = between(low, high, judgement, wording)
    if comparison.verdict == "no_worse":
        text = f"{seen} here, which luck alone could do: it is no worse by more than"
        return f"{text} {_size_of(low, high, judgement, wording)}, inside the margin of {worth} that you allowed."
    if comparison.verdict == "cannot_tell":
        nothing = "" if low > 0 or high < 0 else ", so perhaps nothing"
        return f"{seen} here, but it could be anything {ends}{nothing}. {settling(comparison, wording.noun)}".strip()
    if comparison.verdict == "same":
        name, control = comparison.treatment, judgement.question.control
        return f"{name} and {control} came out alike: the true gap lies {ends}, inside the {worth} that would matter."
    text = f"{seen}; the true gap is likely {ends}."
    return f"{text} {_against_worth(comparison.verdict, judgement, worth)}".strip()


def _by_order(comparison: Comparison, order: Order, judgement: Judgement, wording: Wording) -> str:
    """How often a treated unit stands above (or below) one of the control, in 100 pairs."""
    chance, low, high = order.chance, order.low, order.high
    word = wording.above
    if chance < 0.5:
        chance, low, high, word = 1 - chance, 1 - high, 1 - low, wording.below
    of = "pairs of one block" if order.within else "pairs"
    pairs = f"in {100 * chance:.0f} of 100 {of} a {wording.noun.one} with {comparison.treatment} {word} than one with"
    text = f"{pairs[0].upper()}{pairs[1:]} {judgement.question.control} (ties count half);"
    ends = f"between {100 * low:.0f} and {100 * high:.0f} of 100"
    if comparison.verdict == "cannot_tell":
        few = "" if order.reachable else f"With so few {wording.noun.several} no order at all could show it."
        but = f"{text.removesuffix(';')}, but it could be anything {ends}, so perhaps nothing."
        parts = (but, few, settling(comparison, wording.noun), cap_sentence(comparison, judgement))
        return " ".join(part for part in parts if part)
    return f"{text} the true share is likely {ends}. {cap_sentence(comparison, judgement)}".strip()


def worth_text(judgement: Judgement, wording: Wording) -> str:
    """The worth with its unit, or nothing."""
    return Worth(judgement.question.worth, judgement.question.scale).words(wording.unit)


def band_text(question: Question, wording: Wording) -> str:
    """The worth band as it truly lies: on the ratio scale 10 % more is matched by 9 % less."""
    band = question.band
    return "" if band is None else " / ".join(either(bound, question.scale, wording) for bound in (band, -band))


def gap_text(gap: float, scale: Scale, wording: Wording) -> str:
    """A signed gap with its unit."""
    if scale == "ratio":
        return f"{_signed(percent(gap))} %"
    return f"{_signed(gap)} {wording.unit}".strip()


def settling(comparison: Comparison, noun: UnitNoun = UNIT) -> str:
    """What would settle a can't-tell, as a range: the noise itself is known only so well."""
    needed = comparison.needed
    if needed is None:
        return ""
    units_each = min(comparison.n, comparison.n_control)
    read = "" if needed.readings == 1 else f", each read {needed.readings} times,"
    if needed.likely <= units_each:
        truth = "it truly works as well as you hope"
        if needed.pairs is not None:
            truth = f"{needed.pairs} of 100 pairs truly speak for it"
        return f"If {truth}, a trial of this size{read} shows it 8 times in 10. Repeat it."
    span = f"{needed.low} to {needed.high}" if needed.high is not None else f"{needed.low} or many more"
    span = str(needed.likely) if needed.low == needed.high else f"{span}, most likely {needed.likely}"
    parts = noun.several if needed.parts == "units" else needed.parts
    units = f"{span} {parts} of each ({units_each} here){read}"
    truth = "it truly works that well" if needed.pairs is None else f"{needed.pairs} of 100 pairs truly speak for it"
    return f"{units} would show it 8 times in 10, if {truth}."


def trend_sentence(trend: Trend, judgement: Judgement, wording: Wording) -> str:
    """The ladder in one sentence: what each step up gave."""
    gap = gap_text(trend.slope, judgement.question.scale, wording)
    scale = judgement.question.scale
    ends = f"{gap_text(trend.low, scale, wording)} and {gap_text(trend.high, scale, wording)}"
    said = "stronger mixes did more, or less" if trend.p < 0.05 else "a flat ladder fits as well"
    luck = f"p = {trend.p:.3f}" if trend.p >= 0.001 else "p below 0.001"
    return f"Each step up the ladder: {gap} (likely between {ends}); {said}, {luck}."


def rank_headline(ranking: Ranking) -> str:
    """Who leads, as far as it is shown."""
    leaders = [ranking.order[0], *ranking.not_told_from(ranking.order[0])]
    if len(leaders) == 1:
        return f"{leaders[0]} came out ahead of all others"
    if len(leaders) == len(ranking.order) and not any(pair.shown for pair in ranking.pairs):
        return "None is shown to be ahead"
    return f"{listed(leaders)} lead; nothing separates them"


def rank_sentence(name: str, judgement: Judgement, ranking: Ranking, wording: Wording) -> str:
    """One treatment's place: whom it is shown ahead of and by how much, and whom it does not clearly differ from."""
    parts = []
    for one_behind in ranking.behind(name):
        ends = between(one_behind.low, one_behind.high, judgement, wording)
        gap_words = size(one_behind.gap, judgement.question.scale, wording)
        parts.append(f"ahead of {one_behind.second} by about {gap_words} (likely {ends})")
    alike = ranking.not_told_from(name)
    if alike:
        parts.append(f"no clear difference from {listed(alike)}")
    if not parts:
        parts.append("shown behind all others")
    gap_words = "; ".join(parts)
    return f"{gap_words[0].upper()}{gap_words[1:]}."


def percent_text(comparison: Comparison, judgement: Judgement) -> str:
    """Counts in percent, by the count model; nothing for other kinds."""
    percent = comparison.percent
    if judgement.question.kind != "count" or percent is None or percent.low is None or percent.high is None:
        return ""
    ends = f"{_signed(percent.low)} % and {_signed(percent.high)} %"
    return f"{_signed(percent.estimate)} % (likely between {ends}), by a quasi-Poisson model."


def order_text(comparison: Comparison, judgement: Judgement, wording: Wording) -> str:
    """How often a treated unit stands above a control unit, beside a gap that carries the verdict."""
    order = comparison.order
    if order is None or order.carries:
        return ""
    return _by_order(replace(comparison, verdict="better", capped_by=""), order, judgement, wording)


def _signed(number: float) -> str:
    """With its sign, unless it reads as nothing."""
    digits = figure(number)
    return f"+{digits}" if number > 0 and digits.strip("0.") else digits


def _seen(comparison: Comparison, judgement: Judgement, wording: Wording) -> str:
    """The gap in the measure's own words."""
    control = judgement.question.control
    if not size(comparison.estimate or 0.0, judgement.question.scale, wording).split()[0].strip("0."):
        return f"{comparison.treatment} and {control} came out alike"
    return f"{_bare(comparison, judgement, wording)} than {control}"


def _bare(comparison: Comparison, judgement: Judgement, wording: Wording) -> str:
    gap = comparison.estimate or 0.0
    phrase = wording.more if gap >= 0 else wording.less
    words = phrase.replace("{gap}", f"about {size(gap, judgement.question.scale, wording)}")
    return f"{comparison.treatment} {words}"


def _size_of(low: float, high: float, judgement: Judgement, wording: Wording) -> str:
    """How much worse it might still be."""
    return size(high if judgement.question.lower_is_better else low, judgement.question.scale, wording)


def _against_worth(verdict: Verdict, judgement: Judgement, worth: str) -> str:
    if not worth:
        return ""
    better = verdict in ("better_matters", "better", "better_trivial")
    if judgement.question.no_worse:
        words = f"The margin was {worth}"
    else:
        words = f"You wanted {worth}" if better else f"{worth} would matter"
    if verdict in ("better_matters", "worse_matters"):
        return f"{words}: even the low end beats that."
    if verdict in ("better_trivial", "worse_trivial"):
        return f"{words}: it is less than that."
    return f"{words}."


def between(low: float, high: float, judgement: Judgement, wording: Wording) -> str:
    """“between 18 and 26 %” where both ends lie on one side of nothing, the nearer first; else each as more or less."""
    scale = judgement.question.scale
    if low <= 0 <= high:
        return f"between {either(low, scale, wording)} and {either(high, scale, wording)}"
    near, far = sorted((low, high), key=abs)
    if scale == "ratio":
        return f"between {figure(abs(percent(near)))} and {figure(abs(percent(far)))} %"
    return f"between {figure(abs(near))} and {figure(abs(far))} {wording.unit}".strip()


def either(gap: float, scale: Scale, wording: Wording) -> str:
    """A gap as so much more or less."""
    return f"{size(gap, scale, wording)} {'more' if gap >= 0 else 'less'}"


def size(gap: float, scale: Scale, wording: Wording) -> str:
    """How large a gap is, without its sign."""
    if scale == "ratio":
        return f"{figure(abs(percent(gap)))} %{' a day' if wording.a_day else ''}"
    return f"{figure(abs(gap))} {wording.unit}".strip()
