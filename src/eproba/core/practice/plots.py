"""Planning practice: a small plot and few minutes; a hundred gardens are grown from the plan, and judged."""

import random
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass

from eproba.core.errors import EprobaError
from eproba.core.judging.judge import judge_together
from eproba.core.judging.verdicts import Verdict
from eproba.core.measuring.measures import Measure
from eproba.core.practice.garden import Plot, Truth, grow
from eproba.core.stats.series import Question, UnitValue

GARDENS = 100
CONTROL, THING = "Plain water", "Comfrey steep"
OTHERS = ("Diluted whey", "Alfalfa-pellet steep")
LIGHT = 0.4  # from one end of the plot to the other, as a share
DAY = 28


class PlotError(EprobaError):
    """A plan that the plot or the minutes do not hold; the message says what would fit."""


@dataclass(frozen=True)
class Task:
    """What there is: pots that stand in a row from sun to shade, minutes a round; what would be worth having."""

    seed: int
    pots: int
    minutes: float
    worth: float
    unit_sd: float
    reading_sd: float


@dataclass(frozen=True)
class OwnPlan:
    """What is made of it: treatments with the control, units of each, readings of each unit, blocks along the row."""

    treatments: int
    units: int
    readings: int
    blocks: bool


@dataclass(frozen=True)
class Harvest:
    """How a hundred gardens ended where it works by the worth and where nothing does anything: counts of verdicts for
    the treatment that is tested, and gardens with any false “better” or “worse”."""

    works: Mapping[Verdict, int]
    nothing: Mapping[Verdict, int]
    false_alarms: int

    @property
    def found(self) -> int:
        """Gardens that show what is there."""
        return sum(self.works.get(verdict, 0) for verdict in ("better", "better_matters", "better_trivial"))


def task_of(seed: int) -> Task:
    """A small plot with a worth; the same seed gives the same."""
    rng = random.Random(f"plot:{seed}")
    return Task(
        seed, rng.choice((12, 16, 18, 24)), rng.choice((8.0, 10.0, 12.0)), rng.choice((0.15, 0.2, 0.25)), 0.1, 0.08
    )


def check_plan(task: Task, plan: OwnPlan, measure: Measure) -> None:
    """Raise PlotError where the plan does not fit."""
    if not 2 <= plan.treatments <= 2 + len(OTHERS):
        raise PlotError(f"2 to {2 + len(OTHERS)} treatments, the control counted.")
    if plan.units < 1 or plan.readings < 1:
        raise PlotError("At least one unit of each, and one reading of each unit.")
    pots = plan.treatments * plan.units
    if pots > task.pots:
        raise PlotError(f"{plan.treatments} × {plan.units} = {pots} pots; there is room for {task.pots}.")
    took = minutes_of(plan, measure)
    if took > task.minutes:
        text = f"Reading {pots} pots {plan.readings} times each takes {took:.1f} minutes; you have {task.minutes:g}"
        raise PlotError(f"{text}: fewer readings, or fewer pots.")


def minutes_of(plan: OwnPlan, measure: Measure) -> float:
    """Minutes of one round."""
    return plan.treatments * plan.units * plan.readings * measure.seconds / 60


def harvest(task: Task, plan: OwnPlan, measure: Measure, gardens: int = GARDENS) -> Harvest:
    """Grow gardens from the plan and judge them, once as if it worked and once as if nothing did.

    Raises
    ------
    PlotError
        The plan does not fit.
    """
    check_plan(task, plan, measure)
    works, _ = _ends(task, plan, measure, task.worth, gardens)
    nothing, alarms = _ends(task, plan, measure, 0.0, gardens)
    return Harvest(works, nothing, alarms)


def _ends(
    task: Task, plan: OwnPlan, measure: Measure, effect: float, gardens: int
) -> tuple[dict[Verdict, int], int]:  # fmt: skip
    trials = [garden(task, plan, measure, effect, number) for number in range(gardens)]
    if plan.units < 2:
        return {"seen_not_shown": gardens}, 0
    question = Question(CONTROL, "ratio", task.worth, dealt=False)  # it asks no shuffle test
    judged = judge_together(trials, question, in_full=False)
    counts: Counter[Verdict] = Counter()
    alarms = 0
    for judgement in judged:
        by_name = {comparison.treatment: comparison.verdict for comparison in judgement.comparisons}
        counts[by_name[THING]] += 1
        alarms += any(verdict.startswith(("better", "worse")) for verdict in by_name.values())
    return dict(counts), alarms


def garden(
    task: Task, plan: OwnPlan, measure: Measure, effect: float, number: int, light: float = LIGHT
) -> list[UnitValue]:
    """One garden of the plan: pots in a row from sun to shade (`light`: how much both ends differ by), dealt over
    blocks of neighbours or anywhere."""
    rng = random.Random(f"garden:{task.seed}:{number}:{effect}:{plan}")
    names = [CONTROL, THING, *OTHERS][: plan.treatments]
    places = _dealt(names, plan, rng)
    plots = [Plot(f"P{i + 1}", name, None) for i, name in enumerate(places)]
    truth = Truth(20.0, 0.0, {THING: effect}, task.unit_sd, 0.0, 0.0)
    grown = grow(measure, truth, plots, (0, DAY), rng.randrange(10**9))
    last = len(plots) - 1 or 1
    readings: dict[tuple[str, str], UnitValue] = {}
    for i, plot in enumerate(plots):
        level = grown[plot.code, DAY] * (1 + light * (0.5 - i / last))
        read = sum(level * (1 + rng.gauss(0, task.reading_sd)) for _ in range(plan.readings)) / plan.readings
        block = str(i // plan.treatments) if plan.blocks else None
        name = f"{plot.letter} {block or sum(other == plot.letter for other in places[:i])}"
        readings[name, plot.letter] = UnitValue(name, plot.letter, max(read, measure.low + 0.1), block)
    return [readings[key] for key in sorted(readings)]  # alike in every garden, so that all are judged at once


def _dealt(names: list[str], plan: OwnPlan, rng: random.Random) -> list[str]:
    if not plan.blocks:
        sheet = [name for name in names for _ in range(plan.units)]
        rng.shuffle(sheet)
        return sheet
    return [name for _ in range(plan.units) for name in rng.sample(names, len(names))]


def best_plan(task: Task, measure: Measure) -> OwnPlan:
    """The plan that fits and finds most: two treatments, blocks, as many pots as there are, then readings."""
    most = [
        OwnPlan(2, units, readings, True)
        for units in range(2, task.pots // 2 + 1)
        for readings in range(1, 6)
        if minutes_of(OwnPlan(2, units, readings, True), measure) <= task.minutes
    ]
    return min(most, key=lambda plan: (task.unit_sd**2 + task.reading_sd**2 / plan.readings) / plan.units)
