"""Trust lines that the plan and its conduct give: declaration, crossing, batches, crops, departures."""

from collections.abc import Iterable, Sequence

from eproba.core.judging.applications import applications
from eproba.core.judging.courses import courses, true_day
from eproba.core.judging.trust import TrustLine
from eproba.core.trial.declaration import short, untold
from eproba.core.trial.ground import borders
from eproba.core.trial.hours import hours_off, window_of
from eproba.core.trial.model import Asked, Reading, Trial


def plan_lines(trial: Trial, asked: Asked, readings: Sequence[Reading]) -> list[TrustLine]:
    """Every line that only the trial's own record can give."""
    return [
        *declared(trial),
        *crossing(trial, asked),
        *batches(trial),
        *crops(trial),
        *blind(trial, asked),
        *read_elsewhen(trial, readings),
        *read_off_hours(trial, readings),
        *able_to_answer(trial, asked, readings),
        *spare_runs(trial),
        *conduct(trial),
    ]


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
    for each in trial.amendments:
        when = trial.day_of(each.on)
        change = {"day": when, "what": each.what, "old": each.old, "new": each.new, "reason": each.reason}
        lines.append(TrustLine("amendment", "caution" if when > 0 else "note", "amended", change))
    if changed := untold(trial):
        lines.append(TrustLine("amendment", "caution", "changed untold", {"facts": changed}))
    return lines


def crossing(trial: Trial, asked: Asked) -> list[TrustLine]:
    """Worms and water travel: treated ground beside a control."""
    guard = asked.measure.guard_cm
    beside, neighbours = borders([(u.cut, u.letter) for u in trial.units], trial.control, trial.guard_cm)
    if not beside:
        return []
    evidence = {"beside": beside, "neighbours": neighbours, "guard": trial.guard_cm, "advised": guard}
    if trial.guard_cm < guard:
        return [TrustLine("border crossing", "caution", "guard too narrow", evidence)]
    return [TrustLine("border crossing", "note", "borders", evidence)]


def batches(trial: Trial) -> list[TrustLine]:
    """One batch for all speaks of that batch, not of the recipe."""
    if not any(each.role == "test" and each.amount is not None for each in trial.treatments):
        return []
    if trial.batches == 1 and any(pour.batch is not None for pour in trial.pours):
        return []  # the application log knows better
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
    planned = {each.id: each.day for each in trial.rounds}
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
    windows = {each.id: (each.day, window) for each in trial.rounds if (window := window_of(trial, each)) is not None}
    off: dict[int, list[int]] = {}
    for each in readings:
        if each.value is not None and each.read_at is not None and each.round_id in windows:
            day, window = windows[each.round_id]
            if hours := hours_off(window, each.read_at):
                off.setdefault(day, []).append(abs(hours))
    if not off:
        return []
    evidence = {"off": {day: (len(hours), max(hours)) for day, hours in sorted(off.items())}}
    return [TrustLine("read off its hours", "note", "read off hours", evidence)]


def able_to_answer(trial: Trial, asked: Asked, readings: Iterable[Reading]) -> list[TrustLine]:
    """Whether the place could answer at all, by its baseline."""
    if not asked.measure.silent:
        return []
    found = courses(trial, asked, readings).values()
    starts = [points[0].value for points in found if points and points[0].planned <= 0]
    silent = sum(not asked.measure.can_answer(start) for start in starts)
    if not starts or silent * 2 <= len(starts):
        return []
    evidence = {"silent": silent, "units": len(starts), "why": asked.measure.silent}
    return [TrustLine("able to answer", "caution", "could hardly answer", evidence)]


def spare_runs(trial: Trial) -> list[TrustLine]:
    """Spare plants are told, not judged."""
    if not trial.spare_runs:
        return []
    told = [(trial.treatment(run.letter).name, run.came_through) for run in trial.spare_runs]
    return [TrustLine("spare plant", "note", "spare plants", {"runs": told})]


def conduct(trial: Trial) -> list[TrustLine]:
    """Ended early, and what the application log gives."""
    lines = []
    if trial.ended_on is not None:
        evidence = {"day": trial.day_of(trial.ended_on), "of": trial.decision_day, "reason": trial.ended_reason}
        lines.append(TrustLine("ended early", "caution", "ended early", evidence))
    return lines + applications(trial)
