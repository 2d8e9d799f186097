"""A trial with its readings → what is judged."""

from collections.abc import Iterable
from dataclasses import replace

from eproba.core.judging.courses import courses, last_round_day
from eproba.core.judging.departures import plan_lines
from eproba.core.judging.judge import Judgement, judge
from eproba.core.judging.trust import Circumstances
from eproba.core.stats.series import CannotJudge, Question, UnitValue
from eproba.core.stats.summaries import Points, day_of_event, summarise
from eproba.core.trial.doses import is_poured
from eproba.core.trial.model import Asked, Reading, Trial

SHUFFLE_SEED = 1


def question_of(trial: Trial, asked: Asked) -> Question:
    """The trial's own question for the first measure; the measure's habits, without a worth, for the others."""
    control = next(each.name for each in trial.treatments if each.letter == trial.control)
    ladder = tuple((each.name, each.rung) for each in trial.treatments if each.rung is not None)
    if asked is trial.asked[0]:
        no_worse = trial.no_worse and trial.worth is not None
        return Question(
            control,
            trial.scale,
            trial.worth,
            trial.lower_is_better,
            no_worse=no_worse,
            ladder=ladder,
            ranked=trial.ranked,
        )
    return Question(control, asked.measure.scale, None, asked.measure.lower_is_better, ladder=ladder)


def unit_values(trial: Trial, asked: Asked, readings: Iterable[Reading]) -> tuple[UnitValue, ...]:
    """One number a unit, lost units with None.

    Raises
    ------
    CannotJudge
        While no reading after day 0 is in.
    """
    by_unit = courses(trial, asked, readings)
    last_day = last_round_day(trial, by_unit)
    if last_day is None:
        raise CannotJudge(f"There is no reading of {asked.measure.name.lower()} after day 0 yet.")
    name = {each.letter: each.name for each in trial.treatments}
    square = trial.dealing == "Latin square"
    values = []
    for unit in trial.units:
        value, baseline = _summed_up(trial, asked, by_unit[unit.id], last_day)
        if unit.lost_on is not None and trial.day_of(unit.lost_on) <= last_day:
            value = None
        row, column = (str(unit.cut.row), str(unit.cut.column)) if square else (None, None)
        block = unit.block if trial.in_blocks else None
        values.append(UnitValue(unit.code, name[unit.letter], value, block, row, column, baseline))
    return tuple(values)


def _summed_up(trial: Trial, asked: Asked, points: Points, last_day: int) -> tuple[float | None, float | None]:
    """One unit's number and its baseline; a day has no baseline, since nothing had happened yet."""
    if asked.measure.kind == "day":
        return day_of_event(points, last_day), None
    return summarise(points, trial.summary, question_of(trial, asked).scale, last_day)


def circumstances_of(trial: Trial, readings: Iterable[Reading]) -> Circumstances:
    """What the trial knows beside the numbers."""
    read = {reading.round_id for reading in readings if reading.value is not None}
    end = trial.day_of(trial.ended_on) if trial.ended_on else trial.decision_day
    due = [each for each in trial.rounds if each.day <= end]
    control = trial.treatment(trial.control)
    return Circumstances(
        control_role=control.role,
        poured=any(is_poured(each.amount_unit) and each.amount for each in trial.treatments),
        rounds_due=len(due),
        rounds_missed=sum(each.id not in read for each in due),
        baseline_taken=any(each.id in read for each in trial.rounds if each.day <= 0),
        deals=trial.deals,
    )


def judge_trial(trial: Trial, asked: Asked, readings: Iterable[Reading]) -> Judgement:
    """Judge one measure of a trial.

    Raises
    ------
    CannotJudge
        Where readings are missing or can't be judged; the message is for the gardener.
    """
    kept = tuple(readings)
    values = unit_values(trial, asked, kept)
    judgement = judge(values, question_of(trial, asked), circumstances_of(trial, kept), SHUFFLE_SEED)
    order = [each.name for each in trial.treatments]
    comparisons = tuple(sorted(judgement.comparisons, key=lambda each: order.index(each.treatment)))
    return replace(judgement, comparisons=comparisons, trust=judgement.trust + tuple(plan_lines(trial, asked, kept)))
