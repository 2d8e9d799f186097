"""What a verdict is good for: which of six things to do next with a treatment, and what in the trial speaks for it."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, get_args

from eproba.core.judging.judgement import Comparison, Judgement
from eproba.core.judging.verdicts import Verdict

Choice = Literal["keep", "drop", "change", "ask again", "elsewhere", "scale up"]
CHOICES: tuple[Choice, ...] = get_args(Choice)
GAINED: tuple[Verdict, ...] = ("better_matters", "better", "better_trivial")
LOST: tuple[Verdict, ...] = ("worse_trivial", "worse", "worse_matters")
OF_VERDICT: Mapping[Verdict, Choice] = {
    "better_matters": "keep",
    "better": "ask again",
    "better_trivial": "drop",
    "same": "drop",
    "cannot_tell": "ask again",
    "worse_trivial": "drop",
    "worse": "drop",
    "worse_matters": "drop",
    "seen_not_shown": "ask again",
    "no_worse": "keep",
}
UNSETTLED: tuple[Verdict, ...] = ("cannot_tell", "seen_not_shown")
CHEAPER = 0.8  # of the minutes: less than that is worth a word


@dataclass(frozen=True)
class NextStep:
    """What to do next with a treatment.

    `cheaper`: another treatment of the trial that gained as well, is not shown to be behind this one, and takes less
    time; `best_rung`: the rung of its ladder that stood best, where this is another one; `saves`: it does as well as
    the control, and costs less.
    """

    treatment: str
    verdict: Verdict
    advised: Choice
    cheaper: str = ""
    best_rung: str = ""
    saves: bool = False

    @property
    def unsettled(self) -> bool:
        """Whether the trial says nothing of it: a plan that can tell is what it needs."""
        return self.verdict in UNSETTLED


def next_steps(
    judgement: Judgement, minutes: Mapping[str, float], costs: Mapping[str, float] | None = None
) -> list[NextStep]:
    """One step for each treatment, as the comparisons stand.

    `minutes` that each took, and `costs` of a square metre where they are known, by name, the control’s too.
    """
    costs = costs or {}
    saves = {
        c.treatment: costs[c.treatment] < costs.get(judgement.question.control, 0.0)
        for c in judgement.comparisons
        if c.treatment in costs and c.verdict in ("same", "no_worse")
    }
    first = {c.treatment: _advised(c, saves.get(c.treatment, False)) for c in judgement.comparisons}
    rung = _best_rung(judgement)
    rung = rung if first.get(rung) != "drop" else ""  # what is not worth having is nothing to go over to
    steps = []
    for comparison in judgement.comparisons:
        name = comparison.treatment
        cheaper = _cheaper(comparison, judgement, minutes)
        on_ladder = rung and rung != name and name in dict(judgement.question.ladder)
        advised = first[name]
        if on_ladder and comparison.verdict not in UNSETTLED and not comparison.kills:
            advised = "change"
        if advised == "keep" and cheaper:
            advised = "drop"
        steps.append(
            NextStep(name, comparison.verdict, advised, cheaper, rung if on_ladder else "", saves.get(name, False))
        )
    return steps


def _advised(comparison: Comparison, saves: bool) -> Choice:
    """By the verdict; what kills is dropped, and what may kill is never kept."""
    choice = "keep" if comparison.verdict == "same" and saves else OF_VERDICT[comparison.verdict]
    if comparison.kills:
        return "drop"
    return "ask again" if comparison.may_kill and choice == "keep" else choice


def _gained(comparison: Comparison) -> bool:
    """Whether it is shown to gain, and not to lose units."""
    return comparison.verdict in GAINED and not comparison.may_kill


def _cheaper(mine: Comparison, judgement: Judgement, minutes: Mapping[str, float]) -> str:
    """The cheapest other treatment that gained too and is not shown to be behind; empty: none."""
    if mine.verdict not in GAINED:
        return ""
    behind = (
        set()
        if judgement.ranking is None
        else {behind_one.second for behind_one in judgement.ranking.behind(mine.treatment)}
    )
    mine_took = minutes.get(mine.treatment, 0.0)
    rivals = [
        comparison.treatment
        for comparison in judgement.comparisons
        if comparison.treatment not in (mine.treatment, *behind)
        and _gained(comparison)
        and minutes.get(comparison.treatment, mine_took) < CHEAPER * mine_took
    ]
    return min(rivals, key=lambda name: minutes[name], default="")


def _best_rung(judgement: Judgement) -> str:
    """The rung that stood best, where the ladder has one that is shown to gain; the control counts for nothing."""
    rungs = dict(judgement.question.ladder)
    turn = -1 if judgement.question.lower_is_better else 1
    gained = [c for c in judgement.comparisons if c.treatment in rungs and _gained(c)]
    return max(gained, key=lambda c: turn * (c.estimate or 0.0)).treatment if gained else ""
