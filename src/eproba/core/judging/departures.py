"""Trust lines that the plan and its conduct give: declaration, crossing, batches, crops, departures."""

import math
from collections.abc import Iterable, Mapping, Sequence
from datetime import date

import numpy as np

from eproba.core.judging.applications import applications
from eproba.core.judging.courses import courses, true_day
from eproba.core.judging.judgement import Judgement
from eproba.core.judging.lost import ONE_IN_20
from eproba.core.judging.trust_line import TrustLine
from eproba.core.judging.verdicts import percent
from eproba.core.stats.neighbours import neighbours_alike
from eproba.core.stats.schedules import carry_over, turns_of
from eproba.core.stats.series import UnitValue
from eproba.core.stats.summaries import Points
from eproba.core.trial.amendments import NOTHING_BESIDE, Beside, latest_plan
from eproba.core.trial.declaration import short, untold
from eproba.core.trial.ground import borders, unblocked_gradient
from eproba.core.trial.hours import hours_off, window_of
from eproba.core.trial.model import Asked, Reading, Trial

NEAR_ENOUGH = 0.1  # of the trial's length: so near, another day may stand in for the one declared
FEWEST_PLACES = 8
CARRIED = 0.05  # so sure that something is left over: it fires in 1 of 20 trials that leave nothing


def plan_lines(
    trial: Trial,
    asked: Asked,
    readings: Sequence[Reading],
    judgement: Judgement,
    values: Sequence[UnitValue],
    early: bool = False,
    beside: Beside = NOTHING_BESIDE,
) -> list[TrustLine]:
    """Every line that only the trial's own record can give, beside the `values` that were judged; `early`: it is an
    early look that is judged."""
    return [
        *declared(trial),
        *came_changed(trial),
        *settled_late(trial, readings),
        *dealt_before(beside),
        *decision_day(trial, asked, readings, judgement, early),
        *looks(trial, judgement),
        *crossing(trial, asked),
        *batches(trial, beside),
        *crops(trial),
        *blind(trial, asked),
        *read_elsewhen(trial, readings),
        *read_off_hours(trial, readings),
        *able_to_answer(trial, asked, readings),
        *gradient_across(trial),
        *gradient(trial, judgement),
        *left_over(trial, asked, values),
        *levels(judgement, asked),
        *spare_runs(trial),
        *conduct(trial, beside),
        *same_lots(trial),
        *corrections(beside),
        *misled(trial, asked, dict(beside.marks)),
    ]


def came_changed(trial: Trial) -> list[TrustLine]:
    """What of the file that it came in was changed after it was written."""
    if not trial.changed_files:
        return []
    return [TrustLine("file", "cap", "changed file", {"files": list(trial.changed_files)}, "described")]


def settled_late(trial: Trial, readings: Sequence[Reading]) -> list[TrustLine]:
    """Lots dealt after day 0, a plan declared when its first answer was in already, a start laid in the past."""
    lines = []
    if trial.dealt_at.date() > trial.start_on:
        evidence = {"day": trial.day_of(trial.dealt_at.date())}
        lines.append(TrustLine("lots", "cap", "dealt after the start", evidence, "described"))
    answered = _first_answer(trial, readings)
    if trial.declared is not None and answered is not None and trial.declared.at.date() > answered:
        evidence = {"day": trial.day_of(trial.declared.at.date()), "answer": trial.day_of(answered)}
        lines.append(TrustLine("declared", "cap", "declared after an answer", evidence, "described"))
    if trial.made_at is not None and trial.made_at.date() > latest_plan(trial):
        evidence = {"day": trial.day_of(trial.made_at.date())}
        lines.append(TrustLine("declared", "caution", "laid down late", evidence))
    return lines


def same_lots(trial: Trial) -> list[TrustLine]:
    """A trial that is carried on has the lots of the earlier one, with their luck."""
    return [TrustLine("lots", "note", "lots of before")] if trial.rules.carried else []


def dealt_before(beside: Beside) -> list[TrustLine]:
    """Trials that asked the same and were deleted: their lots may have been thrown away because they did not suit."""
    return [
        TrustLine(
            "lots",
            "caution" if gone.unfinished else "note",
            "dealt before" if gone.unfinished else "deleted when over",
            {"name": gone.name, "deals": gone.deals, "on": gone.on, "day": gone.day},
        )
        for gone in beside.gone
    ]


def _first_answer(trial: Trial, readings: Sequence[Reading]) -> date | None:
    """The day of the first reading of the first measure that followed an application."""
    poured = [pour.done_on for pour in trial.pours if pour.status == "poured" and pour.done_on is not None]
    first, planned = trial.asked[0].measure.key, {round_.id: round_.day for round_ in trial.rounds}
    days = [
        trial.date_of(planned[reading.round_id]) if reading.read_at is None else reading.read_at.date()
        for reading in readings
        if reading.measure_key == first and reading.value is not None
    ]
    return min((day for day in days if day > min(poured)), default=None) if poured else None


def decision_day(
    trial: Trial, asked: Asked, readings: Iterable[Reading], judgement: Judgement, early: bool
) -> list[TrustLine]:
    """Whether the day that was declared is the day that was judged: another stands in for it only where it lies within
    a tenth of the trial's length. Units that were truly read on another day are named with theirs."""
    day = judgement.day
    if early or trial.ended_on is not None or day is None:
        return []
    if day == trial.decision_day:
        others = [
            (code, point.day)
            for code, points in _by_code(trial, courses(trial, asked, readings))
            for point in points
            if point.planned == day != point.day
        ]
        says = "judged on its day, some on others" if others else "judged on its day"
        return [TrustLine("decision day", "note", says, {"day": day, "others": others})]
    evidence = {"day": day, "of": trial.decision_day}
    if trial.decision_day - day <= NEAR_ENOUGH * trial.decision_day:
        return [TrustLine("decision day", "caution", "judged near its day", evidence)]
    return [TrustLine("decision day", "cap", "judged on another day", evidence, "described")]


def _by_code(trial: Trial, by_unit: Mapping[int, Points]) -> list[tuple[str, Points]]:
    return [(unit.code, by_unit[unit.id]) for unit in sorted(trial.units, key=lambda unit: unit.walk)]


def looks(trial: Trial, judgement: Judgement) -> list[TrustLine]:
    """Early looks that this judgement pays for."""
    before = [look.day for look in trial.looks if judgement.day is None or look.day < judgement.day]
    if not before:
        return []
    evidence = {"days": before, "confidence": judgement.question.confidence}
    return [TrustLine("early looks", "caution", "looked before", evidence)]


def corrections(beside: Beside) -> list[TrustLine]:
    """Readings and applications that were changed with the envelope open: how many, by whom, what the verdict was."""
    readings, pours = beside.corrections, beside.pours
    if not readings and not pours:
        return []
    who = sorted({reading.by for reading in readings if reading.by} | {pour.by for pour in pours if pour.by})
    before = next((reading.verdict_before for reading in readings if reading.verdict_before), "")
    changed = [(what, count) for what, count in (("reading", len(readings)), ("pour", len(pours))) if count]
    evidence = {"changed": changed, "who": who or ["somebody"], "before": before}
    says = "changed after the opening" if before else "changed after the opening, unjudged"
    return [TrustLine("changed after the opening", "caution", says, evidence)]


def misled(trial: Trial, asked: Asked, marks: Mapping[str, Sequence[str]]) -> list[TrustLine]:
    """Treatments that act on the reading itself, and not by way of the plant or the soil: `marks` by letter."""
    why = asked.measure.misled
    return [
        TrustLine(
            "a reading misled", "caution", "misled", {"treatment": treatment.name, "why": why[mark]}, of=treatment.name
        )
        for treatment in trial.treatments
        for mark in marks.get(treatment.letter, ())
        if mark in why and treatment.letter != trial.control
    ]


def gradient_across(trial: Trial) -> list[TrustLine]:
    """A gradient that was drawn, and lots that fell across it anywhere: the planner warned of it too."""
    kind = unblocked_gradient(trial.site, trial.dealing)
    return [TrustLine("gradient left", "caution", "gradient across", {"kind": kind})] if kind else []


def gradient(trial: Trial, judgement: Judgement) -> list[TrustLine]:
    """Neighbours still alike when blocks and treatments are taken out: something runs across the ground."""
    cuts = {unit.code: unit.cut for unit in trial.units}
    left = [(cuts[code], residual) for code, residual in judgement.residuals if code in cuts]
    if trial.turns or len(left) < FEWEST_PLACES or judgement.noise_sd is None:
        return []
    places = [(cut.place, cut.x_cm + cut.width_cm / 2, cut.y_cm + cut.length_cm / 2) for cut, _ in left]
    p = neighbours_alike(places, [residual for _, residual in left])
    if p is None or p > ONE_IN_20:
        return []
    return [TrustLine("gradient left", "caution", "neighbours alike", {"p": p})]


def left_over(trial: Trial, asked: Asked, values: Sequence[UnitValue]) -> list[TrustLine]:
    """Of places that take turns: whether being on leaves something behind in the period after."""
    if not trial.turns:
        return []
    control = trial.treatment(trial.control).name
    living = [value for value in values if value.value is not None]
    scale = trial.scale if asked is trial.asked[0] else asked.measure.scale
    numbers = [(math.log(unit.value or 1.0) if scale == "ratio" else unit.value or 0.0) for unit in living]
    turns = turns_of(living, control, np.array(numbers).reshape(-1, 1))
    carried = None if turns is None else carry_over(turns)
    if carried is None:
        return [TrustLine("carry-over", "note", "left over not told", {})]
    if carried.p > CARRIED:
        return [TrustLine("carry-over", "note", "left nothing", {"p": carried.p})]
    share = abs(carried.size / carried.gap) if carried.gap else 1.0
    return [TrustLine("carry-over", "caution", "left over", {"p": carried.p, "share": min(share, 9.99)})]


def levels(judgement: Judgement, asked: Asked) -> list[TrustLine]:
    """Whether the gap is another for every crop or batch."""
    lines, ratio = [], judgement.question.scale == "ratio"
    unit = "%" if ratio else asked.measure.judged_unit
    for of_kind in judgement.levels:
        gaps = [
            (level.name, percent(level.gap) if ratio else level.gap, unit, level.blocks) for level in of_kind.levels
        ]
        evidence = {"treatment": of_kind.treatment, "kind": of_kind.kind, "gaps": gaps, "p": of_kind.p}
        if of_kind.p is None:
            lines.append(TrustLine(f"by {of_kind.kind}", "note", "one block each", evidence, of=of_kind.treatment))
        elif of_kind.p <= ONE_IN_20:
            lines.append(TrustLine(f"by {of_kind.kind}", "caution", "another for each", evidence, of=of_kind.treatment))
        else:
            lines.append(TrustLine(f"by {of_kind.kind}", "note", "alike for each", evidence, of=of_kind.treatment))
    return lines


def declared(trial: Trial) -> list[TrustLine]:
    """Whether the question was frozen before the answer, and what was changed since."""
    if trial.declared is None:
        return [TrustLine("declared", "caution", "never declared")]
    evidence = {
        "on": trial.declared.at.date(),
        "fingerprint": short(trial.declared.fingerprint),
        "amendments": len(trial.amendments),
    }
    lines = [TrustLine("declared", "note", "declared", evidence)]
    for amendment in trial.amendments:
        when = trial.day_of(amendment.on)
        change = {
            "day": when,
            "what": amendment.what,
            "old": amendment.old,
            "new": amendment.new,
            "reason": amendment.reason,
        }
        lines.append(TrustLine("amendment", "caution" if when > 0 else "note", "amended", change))
    if changed := untold(trial):
        lines.append(TrustLine("amendment", "caution", "changed untold", {"facts": changed}))
    return lines


def crossing(trial: Trial, asked: Asked) -> list[TrustLine]:
    """Worms and water travel: treated ground beside a control."""
    guard = asked.measure.guard_cm
    beside, neighbours = borders([(u.cut, u.letter) for u in trial.laid_out], trial.control, trial.guard_cm)
    if not beside:
        return []
    evidence = {"beside": beside, "neighbours": neighbours, "guard": trial.guard_cm, "advised": guard}
    if trial.guard_cm < guard:
        return [TrustLine("border crossing", "caution", "guard too narrow", evidence)]
    return [TrustLine("border crossing", "note", "borders", evidence)]


def batches(trial: Trial, beside: Beside = NOTHING_BESIDE) -> list[TrustLine]:
    """One batch for all speaks of that batch, not of the recipe; of what is brewed the record decides."""
    if not any(treatment.role == "test" and treatment.amount is not None for treatment in trial.treatments):
        return []
    if trial.batches == 1 and any(pour.batch is not None for pour in trial.pours):
        return []  # the application log knows better
    if trial.batches == 1 and beside.brewed and any(pour.status == "poured" for pour in trial.pours):
        return []  # from which brew it came stands nowhere, so nobody can say that it was one
    if trial.batches == 1:
        return [TrustLine("batches", "note", "one batch for all")]
    evidence = {"batches": trial.batches, "blocks": len({unit.block for unit in trial.units})}
    if evidence["batches"] == evidence["blocks"]:
        return [TrustLine("batches", "note", "a batch for each block", evidence)]
    return [TrustLine("batches", "caution", "batches over blocks", evidence)]


def crops(trial: Trial) -> list[TrustLine]:
    """Several crops are blocks."""
    if len(trial.rules.crops) < 2:
        return []
    return [TrustLine("crops", "note", "crops are blocks", {"crops": list(trial.rules.crops)})]


def blind(trial: Trial, asked: Asked) -> list[TrustLine]:
    """Scores by eye are drawn to the letter on the tag."""
    if trial.blind:
        return [TrustLine("blind", "note", "tags did not name")]
    if asked.measure.kind == "score":
        return [TrustLine("blind", "caution", "scored by eye", {"measure": asked.measure.name})]
    return []


def read_elsewhen(trial: Trial, readings: Iterable[Reading]) -> list[TrustLine]:
    """Rounds that were read on another day than planned: judged at their true day, and said."""
    planned = {round_.id: round_.day for round_ in trial.rounds}
    days = {(planned[r.round_id], true_day(trial, r, planned[r.round_id])) for r in readings if not r.blank}
    moved: dict[int, list[int]] = {}
    for plan, true in sorted(days):
        if plan != true:
            moved.setdefault(plan, []).append(true)
    if not moved:
        return []
    return [TrustLine("read on another day", "note", "read elsewhen", {"moved": moved})]


def read_off_hours(trial: Trial, readings: Iterable[Reading]) -> list[TrustLine]:
    """Readings outside the hours of their round, such as 24 h ± 3 h after a pour."""
    windows = {
        round_.id: (round_.day, window) for round_ in trial.rounds if (window := window_of(trial, round_)) is not None
    }
    off: dict[int, list[int]] = {}
    for reading in readings:
        if reading.value is not None and reading.read_at is not None and reading.round_id in windows:
            day, window = windows[reading.round_id]
            if hours := hours_off(window, reading.read_at):
                off.setdefault(day, []).append(abs(hours))
    if not off:
        return []
    evidence = {"off": {day: (len(hours), max(hours)) for day, hours in sorted(off.items())}}
    return [TrustLine("read off its hours", "note", "read off hours", evidence)]


def able_to_answer(trial: Trial, asked: Asked, readings: Iterable[Reading]) -> list[TrustLine]:
    """Whether the place could answer at all, by its baseline."""
    if not asked.measure.silent:
        return []
    every_course = courses(trial, asked, readings).values()
    starts = [points[0].value for points in every_course if points and points[0].planned <= 0]
    silent = sum(not asked.measure.can_answer(start) for start in starts)
    if not starts or silent * 2 <= len(starts):
        return []
    evidence = {"silent": silent, "units": len(starts), "why": asked.measure.silent}
    return [TrustLine("able to answer", "caution", "could hardly answer", evidence)]


def spare_runs(trial: Trial) -> list[TrustLine]:
    """Spare plants are told, not judged."""
    if not trial.spare_runs:
        return []
    came_through = [(trial.treatment(run.letter).name, run.came_through) for run in trial.spare_runs]
    return [TrustLine("spare plant", "note", "spare plants", {"runs": came_through})]


def conduct(trial: Trial, beside: Beside = NOTHING_BESIDE) -> list[TrustLine]:
    """Ended early, and what the application log gives."""
    lines = []
    if trial.ended_on is not None:
        evidence = {"day": trial.day_of(trial.ended_on), "of": trial.decision_day, "reason": trial.ended_reason}
        lines.append(TrustLine("ended early", "caution", "ended early", evidence))
    return lines + applications(trial, beside)
