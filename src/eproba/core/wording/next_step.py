"""What to do next with a treatment, each choice with its reason from the trial."""

from collections.abc import Mapping
from dataclasses import dataclass

from eproba.core.applying.spent import Spent
from eproba.core.judging.judgement import Comparison, Judgement
from eproba.core.judging.next_step import CHOICES, GAINED, LOST, Choice, NextStep
from eproba.core.quantities import METRIC, SQUARES, Amount, Units, conversion
from eproba.core.wording.sentences import Wording, cap_sentence, either, gap_text, worth_text
from eproba.core.words import minutes_text, plural

TITLES: Mapping[Choice, str] = {
    "keep": "Keep it",
    "drop": "Drop it",
    "change": "Change strength or days",
    "ask again": "Ask again with more units",
    "elsewhere": "Try it elsewhere",
    "scale up": "Scale it up",
}
ORDER: tuple[Choice, ...] = ("keep", "scale up", "change", "ask again", "elsewhere", "drop")

NO_WORTH = "Say what gap would be worth having: then it can be told how many units settle it."


@dataclass(frozen=True)
class Reason:
    """One choice with its reason; `advised`: the one that the trial speaks for."""

    choice: Choice
    title: str
    text: str
    advised: bool


def spent_text(mine: Spent, units: Units = METRIC) -> str:
    """What it took, in all, on one square of the household's, a unit."""
    if not mine.times:
        return "Nothing of it is on record as given, so nobody knows what it took."
    brews = f"{plural(mine.brews, 'brew')} and " if mine.brews else ""
    on_a_square = mine.per_m2 / conversion("m²", units.system).factor
    per_unit_text = f"{minutes_text(on_a_square)} a {SQUARES[units.system]}, {minutes_text(mine.per_unit)} a unit"
    return f"It took {minutes_text(mine.minutes)} ({brews}{plural(mine.times, 'application')}): {per_unit_text}."


def reasons(
    step: NextStep, comparison: Comparison, judgement: Judgement, wording: Wording, spent: Mapping[str, Spent],
    settling: str, units: Units = METRIC,
) -> list[Reason]:  # fmt: skip
    """All six choices for one treatment, the advised one first; `settling`: the plan that would settle it, in words."""
    mine = spent[step.treatment]
    words: dict[Choice, str] = {
        "keep": _keep(step, comparison, judgement, wording, mine, units),
        "drop": _drop(step, comparison, judgement, wording, spent),
        "change": _change(step, judgement, mine),
        "ask again": _ask_again(step, comparison, judgement, wording, settling),
        "elsewhere": _elsewhere(step),
        "scale up": _scale_up(step, mine, units),
    }
    ordered = sorted(CHOICES, key=lambda choice: choice != step.advised)
    return [Reason(choice, TITLES[choice], words[choice], choice == step.advised) for choice in ordered]


def _fits(comparison: Comparison, judgement: Judgement, wording: Wording) -> str:
    """The gap with how sure it is."""
    scale, carrying = judgement.question.scale, comparison.carrying
    if comparison.estimate is None:
        return "no gap that could be told"
    gap = gap_text(comparison.estimate, scale, wording)
    if carrying is None or comparison.verdict == "seen_not_shown":
        return f"{gap} as far as the eye goes"
    span = [either(end, scale, wording) for end in (carrying.low_adjusted, carrying.high_adjusted)]
    return f"{gap} ({span[0]} to {span[1]} fits)"


def _keep(
    step: NextStep, comparison: Comparison, judgement: Judgement, wording: Wording, mine: Spent, units: Units
) -> str:
    gap, worth = _fits(comparison, judgement, wording), worth_text(judgement, wording)
    if step.verdict == "better_matters":
        return f"It gave {gap}, beyond the {worth} that you wanted. {spent_text(mine, units)}"
    if step.verdict == "no_worse":
        return f"It is no worse within your margin: keep whichever is less work. {spent_text(mine, units)}"
    if step.verdict in GAINED:
        what = "less than you wanted" if step.verdict == "better_trivial" else "whether by enough is open"
        return f"It gave {gap}: {what}. Keep it if {minutes_text(mine.per_m2)} a m² is nothing to you."
    if step.verdict in LOST:
        return f"Nothing speaks for it: it gave {gap}."
    if step.verdict == "same":
        return f"Only as a habit: gaps that would matter are ruled out ({gap})."
    return f"This trial can’t say that it does anything: it gave {gap}."


def _drop(
    step: NextStep, comparison: Comparison, judgement: Judgement, wording: Wording, spent: Mapping[str, Spent]
) -> str:
    mine = spent[step.treatment]
    if step.cheaper:
        other = spent[step.cheaper]
        text = f"{step.cheaper}, {plural(other.times, 'application')}: a gain that can’t be told apart, for"
        return f"{text} {minutes_text(other.minutes)} instead of {minutes_text(mine.minutes)}."
    if step.verdict in LOST:
        gap = _fits(comparison, judgement, wording)
        return f"It gave {gap}; to drop it saves {minutes_text(mine.minutes)} over such a time."
    if step.verdict == "same":
        return f"No difference worth having, for {minutes_text(mine.minutes)} of work: plain water does as well."
    if step.verdict == "better_trivial":
        return f"It gains, but less than you wanted, for {minutes_text(mine.per_m2)} a m²."
    if step.verdict in GAINED or step.verdict == "no_worse":
        return "Nothing in the trial speaks for that."
    return "Not shown to be useless either: to drop it is a choice, not a finding."


def _change(step: NextStep, judgement: Judgement, mine: Spent) -> str:
    if step.best_rung:
        return f"{step.best_rung} stood better on the ladder: take that, or ask between the two rungs."
    if judgement.question.ladder:
        return "On this ladder it stood best: a finer ladder round it would tell whether that is the top."
    if step.verdict in GAINED and mine.times > 1:
        return f"Given {mine.times} times here: would half as often do? Ask “no worse” of the longer interval."
    if step.verdict in LOST:
        return "Weaker or rarer may do no harm; whether it does good is a new question."
    return "One strength was tried: a ladder of two or three, each double the last, asks about strength itself."


def _ask_again(step: NextStep, comparison: Comparison, judgement: Judgement, wording: Wording, settling: str) -> str:
    held = f" {cap_sentence(comparison, judgement)}" if comparison.capped_by else ""
    if step.unsettled or judgement.question.worth is None:
        return f"{settling or NO_WORTH}{held}"
    if step.verdict in ("better", "worse"):
        gains = "gains" if step.verdict == "better" else "harms"
        return (
            f"It {gains}; whether by the {worth_text(judgement, wording)} that matters to you is open. The same again,"
            f" put together with this trial, takes the span down to some seven tenths; four times the units halve it."
            f"{held}"
        )
    return f"It is settled for this season and place; the same again says whether it holds in another.{held}"


def _elsewhere(step: NextStep) -> str:
    if step.unsettled:
        return "First an answer here; or give the plan to a neighbour, and put both results together."
    return "One garden, one season: another soil may answer otherwise. Give the plan away, and join what comes back."


def _scale_up(step: NextStep, mine: Spent, units: Units) -> str:
    if step.verdict not in (*GAINED, "no_worse"):
        return "Not before it is shown to be worth it."
    tried = units(Amount(mine.area_m2, "m²"))
    return f"From {tried} of a trial to a bed or a plot: how much, how many fillings and minutes for each way."
