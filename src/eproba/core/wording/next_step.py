"""What to do next with a treatment, each choice with its reason from the trial."""

from collections.abc import Mapping
from dataclasses import dataclass

from eproba.core.applying.prices import money
from eproba.core.applying.spent import Spent
from eproba.core.judging.judgement import Comparison, Judgement
from eproba.core.judging.next_step import CHOICES, GAINED, LOST, Choice, NextStep
from eproba.core.quantities import METRIC, SQUARES, Amount, Units, conversion
from eproba.core.trial.ground import UNIT, UnitNoun
from eproba.core.wording.sentences import Wording, cap_sentence, either, gap_text, losses_text, worth_text
from eproba.core.words import lower_first, minutes_text, plural

TITLES: Mapping[Choice, str] = {
    "keep": "Keep it",
    "drop": "Drop it",
    "change": "Change strength or days",
    "ask again": "Ask again",
    "elsewhere": "Try it elsewhere",
    "scale up": "Scale it up",
}
ORDER: tuple[Choice, ...] = ("keep", "scale up", "change", "ask again", "elsewhere", "drop")

OTHERWISE: Mapping[str, str] = {  # what held the verdict back, and how it is asked without that
    "lots": "Ask again, with lots dealt before day 0",
    "declared": "Ask again, and declare the plan before the first answer",
    "applied as planned": "Ask again, and give it as planned",
    "baseline alike": "Ask again, with lots that begin alike",
    "lost by treatment": "Ask again, with {several} to spare",
    "decision day": "Ask again, and read it on the declared day",
    "replication": "Ask again with more {several}",
}
NO_WORTH = "Say what gap would be worth having, and we can tell how many {several} settle it."


@dataclass(frozen=True)
class Reason:
    """One choice with its reason; `advised`: the one that the trial speaks for."""

    choice: Choice
    title: str
    text: str
    advised: bool


def spent_text(mine: Spent, units: Units = METRIC, noun: UnitNoun = UNIT) -> str:
    """What it took, in all, on one square of the household's, a unit."""
    if not mine.times:
        return "Nothing of it is on record as given, so nobody knows what it took."
    brews = f"{plural(mine.brews, 'brew')} and " if mine.brews else ""
    per_unit_text = f"{_a_square(mine, units)}, {minutes_text(mine.per_unit)} per {noun.one}"
    return f"It took {minutes_text(mine.minutes)} ({brews}{plural(mine.times, 'pour')}): {per_unit_text}."


def _a_square(mine: Spent, units: Units) -> str:
    """The minutes that one square of the household's took."""
    return f"{minutes_text(mine.per_m2 / conversion('m²', units.system).factor)} per {SQUARES[units.system]}"


def reasons(
    step: NextStep, comparison: Comparison, judgement: Judgement, wording: Wording, spent: Mapping[str, Spent],
    settling: str, units: Units = METRIC, currency: str = "",
) -> list[Reason]:  # fmt: skip
    """All six choices for one treatment, the advised one first; `settling`: the plan that would settle it, in words."""
    mine = spent[step.treatment]
    words: dict[Choice, str] = {
        "keep": _keep(step, comparison, judgement, wording, spent, units, currency),
        "drop": _drop(step, comparison, judgement, wording, spent, units),
        "change": _change(step, judgement, mine),
        "ask again": _ask_again(step, comparison, judgement, wording, settling),
        "elsewhere": _elsewhere(step),
        "scale up": _scale_up(step, mine, units),
    }
    titles: dict[Choice, str] = {**TITLES, "ask again": _ask_title(step, comparison, wording.noun)}
    ordered = sorted(CHOICES, key=lambda choice: choice != step.advised)
    return [Reason(choice, titles[choice], words[choice], choice == step.advised) for choice in ordered]


def _ask_title(step: NextStep, comparison: Comparison, noun: UnitNoun) -> str:
    """More units where they are what is lacking; else what was to blame is to be done otherwise."""
    if comparison.capped_by:
        return OTHERWISE.get(comparison.capped_by, "Ask again").format(several=noun.several)
    needed = comparison.needed
    more = needed is not None and needed.likely > min(comparison.n, comparison.n_control)
    return f"Ask again with more {noun.several}" if step.unsettled and (more or needed is None) else "Ask again"


def _fits(comparison: Comparison, judgement: Judgement, wording: Wording) -> str:
    """The gap with how sure it is."""
    scale, carrying = judgement.question.scale, comparison.carrying
    if comparison.estimate is None:
        return "no gap that could be told"
    gap = gap_text(comparison.estimate, scale, wording)
    if carrying is None or comparison.verdict == "seen_not_shown":
        return f"{gap} as far as you can see"
    span = [either(end, scale, wording) for end in (carrying.low_adjusted, carrying.high_adjusted)]
    return f"{gap} (likely between {span[0]} and {span[1]})"


def _keep(
    step: NextStep, comparison: Comparison, judgement: Judgement, wording: Wording, spent: Mapping[str, Spent],
    units: Units, currency: str,
) -> str:  # fmt: skip
    gap, worth, mine = _fits(comparison, judgement, wording), worth_text(judgement, wording), spent[step.treatment]
    if comparison.may_kill:
        return losses_text(comparison, judgement, wording.noun)
    if step.saves:
        control, prices = (
            judgement.question.control,
            [_cost(spent[n], units, currency) for n in (step.treatment, judgement.question.control)],
        )
        return f"It does as well as {lower_first(control)}, and costs {prices[0]} instead of {prices[1]}."
    took = spent_text(mine, units, wording.noun)
    if step.verdict == "better_matters":
        return f"It gave {gap}, beyond the {worth} that you wanted. {took}"
    if step.verdict == "no_worse":
        return f"It is no worse within your margin: keep whichever is less work. {took}"
    if step.verdict in GAINED:
        what = "less than you wanted" if step.verdict == "better_trivial" else "whether by enough is open"
        return f"It gave {gap}: {what}. Keep it if you don’t mind {_a_square(mine, units)}."
    if step.verdict in LOST:
        return f"There’s no case for it: it gave {gap}."
    if step.verdict == "same":
        return f"It makes no difference that would matter ({gap}). Keep it only if you like doing it."
    return f"This trial can’t say that it does anything: it gave {gap}."


def _cost(mine: Spent, units: Units, currency: str) -> str:
    """What all applications cost on one square of the household's."""
    on_a_square = (mine.money_a_m2 or 0.0) / conversion("m²", units.system).factor
    return f"{money(on_a_square, currency)} per {SQUARES[units.system]}"


def _drop(
    step: NextStep, comparison: Comparison, judgement: Judgement, wording: Wording, spent: Mapping[str, Spent],
    units: Units,
) -> str:  # fmt: skip
    mine = spent[step.treatment]
    if comparison.kills:
        return losses_text(comparison, judgement, wording.noun)
    if step.cheaper:
        other = spent[step.cheaper]
        text = f"{step.cheaper}, {plural(other.times, 'pour')}: no clear difference in gain, for"
        return f"{text} {minutes_text(other.minutes)} instead of {minutes_text(mine.minutes)}."
    if step.verdict in LOST:
        gap = _fits(comparison, judgement, wording)
        return f"It gave {gap}; dropping it saves {minutes_text(mine.minutes)} over such a time."
    if step.verdict == "same":
        control = lower_first(judgement.question.control)
        return f"No difference worth having, for {minutes_text(mine.minutes)} of work: you get as much from {control}."
    if step.verdict == "better_trivial":
        return f"It gains, but less than you wanted, for {_a_square(mine, units)}."
    if step.verdict in GAINED or step.verdict == "no_worse":
        return "Nothing in the trial is a reason to."
    return "It wasn’t shown to be useless. Dropping it is your choice, not the trial’s result."


def _change(step: NextStep, judgement: Judgement, mine: Spent) -> str:
    if step.best_rung:
        return f"{step.best_rung} did better on the ladder. Take that, or ask between the two rungs."
    if judgement.question.ladder:
        return "It did best on this ladder. A finer ladder around it would tell whether that is the top."
    if step.verdict in GAINED and mine.times > 1:
        return f"Given {mine.times} times here: would half as often do? Ask “no worse” of the longer interval."
    if step.verdict in LOST:
        return "Weaker or rarer may do no harm; whether it does good is a new question."
    return "One strength was tried: a ladder of two or three, each double the last, asks about strength itself."


def _ask_again(step: NextStep, comparison: Comparison, judgement: Judgement, wording: Wording, settling: str) -> str:
    held = f" {cap_sentence(comparison, judgement)}" if comparison.capped_by else ""
    if comparison.may_kill and not step.unsettled:
        lost = losses_text(comparison, judgement, wording.noun)
        return f"{lost} With {wording.noun.several} to spare, the next trial can tell.{held}"
    if step.unsettled or judgement.question.worth is None:
        return f"{settling or NO_WORTH.format(several=wording.noun.several)}{held}"
    if step.verdict in ("better", "worse"):
        gains = "gains" if step.verdict == "better" else "harms"
        return (
            f"It {gains}; whether by the {worth_text(judgement, wording)} that matters to you is open. The same trial "
            f"again, put together with this one, narrows the range to about 70 %; "
            f"four times as many {wording.noun.several} halve it.{held}"
        )
    return f"It is settled for this season and place; asking again tells whether it holds in another.{held}"


def _elsewhere(step: NextStep) -> str:
    if step.unsettled:
        return "Get an answer here first, or share the plan with a neighbour and combine the results."
    words = "One garden, one season: another soil may answer differently."
    return f"{words} Give the plan to a neighbour, and combine the results."


def lasted_text(comparison: Comparison, judgement: Judgement, wording: Wording) -> str:
    """What a look again says of whether it lasted; it is no verdict on the first trial."""
    gap = _fits(comparison, judgement, wording)
    if comparison.verdict in GAINED:
        return f"A gain is still there, with nothing given since: {gap}."
    if comparison.verdict in ("same", "no_worse"):
        return f"No difference worth having is there now ({gap}). If there was a gain before, it did not last."
    if comparison.verdict in LOST:
        return f"It stands behind now: {gap}. If there was a gain before, count it against this."
    return f"This look can’t tell whether anything is left of it: {gap}."


def _scale_up(step: NextStep, mine: Spent, units: Units) -> str:
    if step.verdict not in (*GAINED, "no_worse"):
        return "Not before it is shown to be worth it."
    if not mine.times:
        return "Nothing of it is on record as given, so there is no amount to calculate with."
    tried = units(Amount(mine.area_m2, "m²"))
    return f"From {tried} of a trial to a bed or a plot: how much, how many fillings and minutes for each way."
