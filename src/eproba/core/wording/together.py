"""What several trials of one question say, in words."""

from collections.abc import Sequence

from eproba.core.judging.across import Stake, Together
from eproba.core.judging.verdicts import Verdict
from eproba.core.stats.combining import one_more
from eproba.core.trial.gone import GoneTrial
from eproba.core.trial.worth import Worth
from eproba.core.wording.sentences import HEADLINES, WITH_A_MARGIN, Wording, either, gap_text
from eproba.core.words import day_words, listed, lower_first, plural

FEWER: dict[int, str] = {
    0: "None of these trials can be put with others",
    1: "One trial so far: ask again",
    2: "Two trials, side by side",
}


def headline_together(joint: Together) -> str:
    """The joint verdict in a few words, or that there are too few for one."""
    if joint.joint is None:
        return FEWER[len(joint.stakes)]
    verdict: Verdict = joint.verdict
    if joint.asks.no_worse and verdict in WITH_A_MARGIN:
        words = WITH_A_MARGIN[verdict]
    else:
        words = "Better" if verdict == "better" and joint.asks.worth is None else HEADLINES[verdict]
    return f"{words}, over {plural(joint.joint.k, 'trial')}"


def sentence_together(pooled: Together, wording: Wording) -> str:
    """The gap on the whole, and where the next garden would lie."""
    scale, joint = pooled.asks.scale, pooled.joint
    if joint is None:
        return _too_few(pooled, wording)
    gap = gap_text(joint.estimate, scale, wording)
    likely = f"between {either(joint.low or 0.0, scale, wording)} and {either(joint.high or 0.0, scale, wording)}"
    ends = (joint.prediction_low or 0.0, joint.prediction_high or 0.0)
    text = f"On the whole {pooled.treatment} gave {gap} against {pooled.control}; the true gap is likely {likely}."
    span = f"{either(ends[0], scale, wording)} to {either(ends[1], scale, wording)}"
    return f"{text} In another garden, expect anything from {span}."


def few_together(pooled: Together, wording: Wording) -> tuple[str, ...]:
    """What few trials can't show, what one more adds, and what a supposition about gardens would say; the verdict does
    not go by that."""
    joint, lines = pooled.joint, []
    if joint is not None and joint.k <= MOST_FEW:
        share = f"{100 * one_more(joint.k):.0f} %"
        text = f"{NUMBERS[joint.k]} trials show only a large gap, since how much gardens differ is hardly known yet."
        lines.append(f"{text} One more trial like these takes the span to about {share} of this one.")
    if pooled.supposed is not None:
        low, high = (either(end, pooled.asks.scale, wording) for end in pooled.supposed)
        worth = Worth(pooled.asks.worth, pooled.asks.scale).words(wording.unit)
        text = f"If gardens differ by no more than about {worth}, the true gap is likely between {low} and {high}."
        lines.append(f"{text} That is a supposition (dashed); the verdict does not go by it.")
    return tuple(lines)


MOST_FEW = 5
NUMBERS = {3: "Three", 4: "Four", 5: "Five"}


def _too_few(joint: Together, wording: Wording) -> str:
    if joint.distance is None:
        return "Three trials or more can be put together; two can be looked at side by side."
    scale = joint.asks.scale
    gap, low, high = joint.distance
    words = f"The second lies {either(gap, scale, wording)} than the first" if gap else "Both came out alike"
    ends = f"between {either(low, scale, wording)} and {either(high, scale, wording)}"
    verdict = "they do not agree" if low > 0 or high < 0 else "luck alone can put them so far apart"
    text = f"{words}; the true difference is likely {ends}, so {verdict}."
    return f"{text} From two, nobody can tell how much gardens differ: so no joint gap is given."


def stake_text(stake: Stake, joint: Together, wording: Wording) -> str:
    """One trial's gap with its own interval."""
    scale = joint.asks.scale
    ends = f"{gap_text(stake.low, scale, wording)} and {gap_text(stake.high, scale, wording)}"
    return f"{gap_text(stake.gap, scale, wording)} (likely between {ends})"


def disagreement(pooled: Together) -> str:
    """How much gardens differ, which trials the joint gap does not fit, and in what those differ from the others."""
    joint = pooled.joint
    if joint is None:
        return ""
    odd = [stake for stake in pooled.stakes if stake.odd]
    if not odd:
        alike = "as much as luck alone makes them" if not joint.tau else "a little more than luck alone makes them"
        return f"No trial disagrees: their gaps differ {alike}."
    if len(odd) == joint.k:
        words = "They all disagree with one another, so one combined gap says little."
        return f"{words} What differs between them stands below."
    names = listed([f"“{stake.told.trial}”" for stake in odd[:5]]) + (" and more" if len(odd) > 5 else "")
    text = f"The combined result disagrees with {plural(len(odd), 'trial')} of {joint.k}: {names}."
    own = [name for name in pooled.differs if _sets_apart(name, pooled)]
    if own:
        alone = listed([lower_first(name) for name in own])
        differ = "that trial differs" if len(odd) == 1 else "those trials differ"
        return f"{text} Only {differ} from the others in {alone}. That is a hint, no more."
    others = [name for name in pooled.differs if _of_their_own(name, pooled)]
    if others:
        apart = listed([lower_first(name) for name in others])
        differ = "differs" if len(others) == 1 else "differ"
        they = "that differs" if len(others) == 1 else "those differ"
        return f"{text} Only {apart} {differ} there, and {they} in every trial, which explains nothing."
    return f"{text} Nothing in the records explains why."


def _of_their_own(name: str, joint: Together) -> bool:
    """Whether none of the others has what stands with those that disagree."""
    values = list(zip(joint.stakes, joint.differs[name], strict=True))
    odd, others = ({value for stake, value in values if stake.odd == one} for one in (True, False))
    return not odd & others


def _sets_apart(name: str, joint: Together) -> bool:
    """Whether those that disagree are on their own in something that is not another one in each trial anyway."""
    values, others = joint.differs[name], sum(not stake.odd for stake in joint.stakes)
    return _of_their_own(name, joint) and (others == 1 or len(set(values)) < len(values))


def gone_words(gone: Sequence[GoneTrial]) -> tuple[str, ...]:
    """The trials of the question that were deleted, one sentence each: what they would have said is missing."""
    return tuple(
        f"“{trial.name}” asked the same and was deleted on {day_words(trial.on)}, on its day {trial.day}."
        for trial in gone
    )


def weighing(joint: Together) -> str:
    """By which rule trials count that their own ledgers hold back; empty where there are none."""
    if not joint.held:
        return ""
    held, of = joint.held, len(joint.stakes)
    whose = "is held back by its own ledger" if held == 1 else "are held back by their own ledgers"
    rule = "They weigh by how sure their gaps are, as all do; where more than a third are held back, the joint verdict"
    return f"{held} of {of} {whose} (marked below). {rule} goes no further than “better” or “worse”."
