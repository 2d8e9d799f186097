"""Many gardens, one question: whether a garden's trial asks what the challenge asks; how many gardens stand where."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from eproba.core.judging.answers import questions_of, strength_words
from eproba.core.trial.model import Trial
from eproba.core.words import lower_first, plural

Standing = Literal["joined", "left", "returned"]


@dataclass(frozen=True)
class GardenStake:
    """One garden of a challenge, by the short key that it signs with; `units` as far as it told."""

    garden: str
    standing: Standing
    units: int


def misfits(plan: Trial, trial: Trial) -> list[str]:
    """In what a trial asks something else than the plan of the challenge; empty: it fits."""
    reasons = []
    first, wanted = trial.asked[0].measure, plan.asked[0].measure
    if first.key != wanted.key:
        reasons.append(f"it is decided by {lower_first(first.name)}, the challenge by {lower_first(wanted.name)}")
    elif set(questions_of(trial).values()) != set(questions_of(plan).values()):
        reasons.append("it has other treatments, or another kind of control")
    elif {strength_words(t) for t in trial.treatments} != {strength_words(t) for t in plan.treatments}:
        reasons.append("its brews are of another strength")
    if trial.decision_day != plan.decision_day:
        reasons.append(f"it is decided on day {trial.decision_day}, the challenge on day {plan.decision_day}")
    if (trial.scale, trial.summary) != (plan.scale, plan.summary):
        reasons.append("another number of each unit counts")
    if trial.lower_is_better != plan.lower_is_better:
        reasons.append("the other direction is the good one")
    return reasons


def tally(gardens: Iterable[GardenStake], is_open: bool) -> str:
    """How many gardens take part, and what became of them: a garden that stopped is counted too."""
    counted = list(gardens)
    returned = sum(garden.standing == "returned" for garden in counted)
    left = sum(garden.standing == "left" for garden in counted)
    silent = len(counted) - returned - left
    words = f"{plural(len(counted), 'garden')} took part, {returned} sent an answer"
    if is_open:
        lost = left + silent
        return f"{words}, {lost} dropped out." if lost else f"{words}."
    return f"{words} so far, {left} stopped, {silent} still at it."
