"""Two things at once, in words: what each does, and whether they help each other."""

from collections.abc import Mapping

from eproba.core.judging.judgement import Effect, Judgement
from eproba.core.judging.verdicts import Verdict
from eproba.core.wording.sentences import Wording, either, headline_of, size, worth_text

TOGETHER: Mapping[Verdict, str] = {
    "better_matters": "They help each other",
    "better": "They help each other; how much is open",
    "better_trivial": "They help each other a little",
    "same": "They add up, no more and no less",
    "cannot_tell": "Whether they help each other: can’t tell",
    "worse_trivial": "They take a little from each other",
    "worse": "They take from each other; how much is open",
    "worse_matters": "They take from each other",
    "seen_not_shown": "Whether they help each other: not judged",
    "no_worse": "They add up, no more and no less",
}


def effect_headline(effect: Effect, judgement: Judgement) -> str:
    """What one of the two does, or both together do beyond their sum, in a few words."""
    if effect.of == "12":
        return TOGETHER[effect.verdict]
    return f"{effect.name}: {headline_of(effect.verdict, judgement)}"


def effect_sentence(effect: Effect, judgement: Judgement, wording: Wording) -> str:
    """The gap with its interval, and what it is an average of."""
    scale = judgement.question.scale
    names = {things: name for name, things in judgement.question.crossed}
    words = f"about {size(effect.estimate, scale, wording)}"
    if effect.of == "12":
        sums = "both gains multiplied" if scale == "ratio" else "the sum of both gains"
        more = "more" if effect.estimate >= 0 else "less"
        text = f"Together they gave {words} {more} than {sums}"
    else:
        other = names["2" if effect.of == "1" else "1"]
        phrase = wording.more if effect.estimate >= 0 else wording.less
        text = f"{effect.name} {phrase.replace('{gap}', words)}, over units with and without {other}"
    held = f" The check “{effect.capped_by}” limits it." if effect.capped_by else ""
    if effect.figures is None or effect.verdict == "seen_not_shown":
        return f"{text}, as far as you can see.{held}"
    low, high = effect.figures.low_adjusted, effect.figures.high_adjusted
    ends = f"between {either(low, scale, wording)} and {either(high, scale, wording)}"
    wanted = worth_text(judgement, wording)
    against = f" You wanted {wanted}." if wanted and effect.of != "12" else ""
    return f"{text}; the true gap is likely {ends}.{against}{held}"
