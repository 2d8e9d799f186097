"""A trial with its readings → what is judged."""

from collections.abc import Iterable, Mapping
from dataclasses import replace

from eproba.core.judging.applications import applications
from eproba.core.judging.comparisons import with_trust
from eproba.core.judging.courses import courses, last_round_day
from eproba.core.judging.departures import plan_lines
from eproba.core.judging.envelope import confidence_at
from eproba.core.judging.judge import judge
from eproba.core.judging.judgement import Judgement
from eproba.core.judging.levels import levels_of
from eproba.core.judging.trust_line import Circumstances
from eproba.core.measuring import measures
from eproba.core.stats.series import CannotJudge, Kind, Question, UnitValue
from eproba.core.stats.summaries import Points, day_of_event, summarise
from eproba.core.trial.amendments import NOTHING_BESIDE, Beside
from eproba.core.trial.compared import COMPARED
from eproba.core.trial.doses import is_poured
from eproba.core.trial.model import Asked, Reading, Trial, Unit

SHUFFLE_SEED = 1
KINDS: Mapping[measures.Kind, Kind] = {
    "quantity": "quantity", "worked out": "quantity", "photo": "quantity", "count": "count", "proportion": "proportion",
    "yes or no": "proportion", "score": "score", "class": "class", "day": "day",
}  # fmt: skip


def question_of(trial: Trial, asked: Asked) -> Question:
    """The trial's own question for the first measure; the measure's habits, without a worth, for the others."""
    control = next(treatment.name for treatment in trial.treatments if treatment.letter == trial.control)
    crossed = tuple((treatment.name, treatment.things) for treatment in trial.treatments) if trial.crossed else ()
    ladder = tuple((treatment.name, treatment.rung) for treatment in trial.treatments if treatment.rung is not None)
    if asked is trial.asked[0]:
        no_worse = trial.no_worse and trial.worth is not None
        return Question(
            control,
            "difference" if trial.summary == "time_to" else trial.scale,
            trial.worth,
            trial.lower_is_better,
            no_worse=no_worse,
            ladder=ladder,
            ranked=trial.ranked or (len(trial.treatments) > 2 and not crossed),
            kind="day" if trial.summary == "time_to" else KINDS[asked.measure.kind],
            crossed=crossed,
            turns=trial.turns,
            usual_sd=_usual_sd(trial, asked),
        )
    kind = KINDS[asked.measure.kind]
    return Question(
        control, asked.measure.scale, None, asked.measure.lower_is_better, ladder=ladder, kind=kind, turns=trial.turns
    )


def _usual_sd(trial: Trial, asked: Asked) -> float | None:
    """What units usually differ by in what counts; None where that is a rate or a day of reaching a level."""
    if trial.summary in ("rate", "time_to"):
        return None
    return asked.measure.usual_sd(trial.scale, asked.per_unit, asked.sown)


def unit_values(
    trial: Trial, asked: Asked, readings: Iterable[Reading], at: int | None = None
) -> tuple[UnitValue, ...]:
    """One number a unit, lost units with None; `at`: judged on what was read by that day.

    Raises
    ------
    CannotJudge
        While no reading after day 0 is in.
    """
    by_unit = courses(trial, asked, readings)
    last_day = last_round_day(trial, by_unit, at)
    if last_day is None:
        raise CannotJudge(f"There is no reading of {asked.measure.name.lower()} after day 0 yet.")
    name = {treatment.letter: treatment.name for treatment in trial.treatments}
    square = trial.dealing == "Latin square" or trial.turns
    values = []
    for unit in trial.units:
        value, baseline = _summed_up(trial, asked, by_unit[unit.id], last_day)
        last, lost = None, False
        if unit.lost_on is not None and trial.day_of(unit.lost_on) <= last_day:
            value, last, lost = None, _last_seen(trial, asked, by_unit[unit.id], last_day), True
        row, column = _place_of(trial, unit) if square else (None, None)
        block = unit.block if trial.in_blocks else None
        unread = value is None and not lost
        values.append(UnitValue(unit.code, name[unit.letter], value, block, row, column, baseline, last, unread))
    return tuple(values)


def _last_seen(trial: Trial, asked: Asked, points: Points, last_day: int) -> float | None:
    """What the readings of a lost unit gave when it was last read after day 0."""
    after = [point.planned for point in points if 0 < point.planned <= last_day]
    return _summed_up(trial, asked, points, max(after))[0] if after else None


def _place_of(trial: Trial, unit: Unit) -> tuple[str, str]:
    """Row and column; of places that take turns the period and the place."""
    return (unit.block or "", unit.cut.where) if trial.turns else (str(unit.cut.row), str(unit.cut.column))


def _summed_up(trial: Trial, asked: Asked, points: Points, last_day: int) -> tuple[float | None, float | None]:
    """One unit's number and its baseline; a day has no baseline, since nothing had happened yet."""
    if trial.turns:  # what was read of it in its own period, washout left out
        values = [point.value for point in points]
        return (sum(values) / len(values) if values else None), None
    if asked.measure.kind == "day":
        return day_of_event(points, last_day), None
    scale = asked.measure.scale if asked is not trial.asked[0] else trial.scale
    summary = trial.summary if asked is trial.asked[0] else trial.summary_of_others
    value, baseline = summarise(points, summary, scale, last_day, trial.rules.level)
    return value, None if asked.measure.adds_up else baseline  # what adds up began with nothing in every unit


def circumstances_of(trial: Trial, asked: Asked, readings: Iterable[Reading]) -> Circumstances:
    """What the trial knows beside the numbers."""
    read: dict[int, set[int]] = {}
    for reading in readings:
        if reading.value is not None and reading.measure_key == asked.measure.key:
            read.setdefault(reading.round_id, set()).add(reading.unit_id)
    due = [round_ for round_ in trial.rounds if round_.day <= trial.last_day and asked in trial.asked_in(round_)]
    control = trial.treatment(trial.control)
    partly = [
        round_.day
        for round_ in due
        if round_.id in read and len(read[round_.id]) < len(trial.living(trial.date_of(round_.day)))
    ]
    # Nothing could be read before: places are their own baseline, nothing had come up, or pots were yet to be filled.
    no_start = trial.turns or asked.measure.kind == "day" or not COMPARED[trial.compared].baseline
    no_start = no_start or bool(trial.rules.carried)  # what units begin with is what the earlier trial did to them
    return Circumstances(
        control_role=control.role,
        poured=any(is_poured(treatment.amount_unit) and treatment.amount for treatment in trial.treatments),
        rounds_due=len(due),
        rounds_missed=sum(round_.id not in read for round_ in due),
        rounds_partly=tuple(partly),
        baseline_taken=no_start or any(round_.id in read for round_ in trial.rounds if round_.day <= 0),
        deals=trial.deals,
        watered_alike=not any(line.says == "unequal water" for line in applications(trial)),
        given_before=trial.rules.carried == "lasted",
    )


def judge_trial(
    trial: Trial,
    asked: Asked,
    readings: Iterable[Reading],
    at: int | None = None,
    beside: Beside = NOTHING_BESIDE,
) -> Judgement:
    """Judge one measure of a trial, at the price that the looks before the decision day leave.

    Parameters
    ----------
    at : the day of an early look; None: the decision day, or the day on which the trial was ended.
    beside : what the record and the recipes say beside the readings.

    Raises
    ------
    CannotJudge
        Where readings are missing or can't be judged; the message is for the gardener.
    """
    kept = tuple(readings)
    ended = None if trial.ended_on is None else trial.day_of(trial.ended_on)
    day = at if at is not None else ended
    values = unit_values(trial, asked, kept, day)
    question = replace(question_of(trial, asked), confidence=confidence_of(trial, day))
    judgement = judge(values, question, circumstances_of(trial, asked, kept), SHUFFLE_SEED)
    order = [treatment.name for treatment in trial.treatments]
    comparisons = tuple(sorted(judgement.comparisons, key=lambda comparison: order.index(comparison.treatment)))
    last = last_round_day(trial, courses(trial, asked, kept), day)
    judgement = replace(judgement, comparisons=comparisons, levels=levels_of(trial, values, question), day=last)
    return with_trust(judgement, plan_lines(trial, asked, kept, judgement, values, at is not None, beside))


def confidence_of(trial: Trial, day: int | None) -> float:
    """The confidence of a judgement on a day (None: the decision day), with the looks before it paid for."""
    end = trial.decision_day if day is None else min(day, trial.decision_day)
    return confidence_at(end, trial.decision_day, [look.day for look in trial.looks])
