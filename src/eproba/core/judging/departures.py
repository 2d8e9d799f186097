"""Trust lines that the plan and its conduct give: declaration, crossing, batches, crops, departures."""

from collections.abc import Iterable, Sequence

from eproba.core.judging.applications import applications
from eproba.core.judging.courses import courses, true_day
from eproba.core.judging.trust import TrustLine
from eproba.core.trial.declaration import short, untold
from eproba.core.trial.ground import borders
from eproba.core.trial.model import Asked, Reading, Trial
from eproba.core.words import listed


def plan_lines(trial: Trial, asked: Asked, readings: Sequence[Reading]) -> list[TrustLine]:
    """Every line that only the trial's own record can give."""
    return [
        *declared(trial),
        *crossing(trial, asked),
        *batches(trial),
        *crops(trial),
        *blind(trial, asked),
        *read_elsewhen(trial, readings),
        *able_to_answer(trial, asked, readings),
        *spare_runs(trial),
        *conduct(trial),
    ]


def declared(trial: Trial) -> list[TrustLine]:
    """Whether the question was frozen before the answer, and what was changed since."""
    if trial.declared is None:
        text = "The plan was never declared: nobody can tell what it was at the start."
        return [TrustLine("declared", "caution", text)]
    on = trial.declared.at.date()
    text = f"Declared on {on.day} {on:%b} {on.year}, fingerprint {short(trial.declared.fingerprint)}"
    lines = [TrustLine("declared", "note", f"{text}; {_counted(len(trial.amendments))}.")]
    for each in trial.amendments:
        when = trial.day_of(each.on)
        text = f"On day {when} {each.what} was changed from {each.old} to {each.new}: {each.reason}."
        lines.append(TrustLine("amendment", "caution" if when > 0 else "note", text))
    if changed := untold(trial):
        text = f"Differs from the declared plan without an amendment: {', '.join(changed)}."
        lines.append(TrustLine("amendment", "caution", text))
    return lines


def _counted(amendments: int) -> str:
    return "no amendment" if not amendments else f"{amendments} amendment{'s' if amendments > 1 else ''}"


def crossing(trial: Trial, asked: Asked) -> list[TrustLine]:
    """Worms and water travel: treated ground beside a control."""
    guard = asked.measure.guard_cm
    beside, neighbours = borders([(u.cut, u.letter) for u in trial.units], trial.control, trial.guard_cm)
    if not beside:
        return []
    text = f"{beside} of {neighbours} borders lie between treated and control ground"
    if trial.guard_cm < guard:
        text += f", with a guard of {trial.guard_cm:g} cm where {guard:g} cm is advised: a drench that crosses makes "
        text += "the gap look smaller, worms that change sides make it look larger."
        return [TrustLine("border crossing", "caution", text)]
    return [TrustLine("border crossing", "note", f"{text}, with a guard of {trial.guard_cm:g} cm between.")]


def batches(trial: Trial) -> list[TrustLine]:
    """One batch for all speaks of that batch, not of the recipe."""
    if not any(each.role == "test" and each.amount is not None for each in trial.treatments):
        return []
    if trial.batches == 1 and any(pour.batch is not None for pour in trial.pours):
        return []  # the application log knows better
    if trial.batches == 1:
        text = "One batch (or bag) went to all units: the verdict speaks of that one, not of the recipe or the brand."
        return [TrustLine("batches", "note", text)]
    blocks = len({unit.block for unit in trial.units})
    if trial.batches == blocks:
        text = f"{trial.batches} batches, one for each block: their differences are in the noise, "
        text += "so it speaks of the recipe."
        return [TrustLine("batches", "note", text)]
    text = f"{trial.batches} batches over {blocks} blocks: differences between batches are in the noise only in part."
    return [TrustLine("batches", "caution", text)]


def crops(trial: Trial) -> list[TrustLine]:
    """Several crops are blocks."""
    if len(trial.rules.crops) < 2:
        return []
    text = f"Crops ({', '.join(trial.rules.crops)}) are blocks here: their own differences are taken out. "
    return [TrustLine("crops", "note", text + "Whether the treatment suits one better than the other is not judged.")]


def blind(trial: Trial, asked: Asked) -> list[TrustLine]:
    """Scores by eye are drawn to the letter on the tag."""
    if trial.blind:
        return [TrustLine("blind", "note", "The tags did not name the treatment.")]
    if asked.measure.kind == "score":
        text = f"{asked.measure.name} is scored by eye or nose, by somebody who could know which is which."
        return [TrustLine("blind", "caution", text)]
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
    told = "; ".join(f"day {plan} on day {listed([str(day) for day in true])}" for plan, true in moved.items())
    return [TrustLine("read on another day", "note", f"Read on another day than planned: {told}. The true day counts.")]


def able_to_answer(trial: Trial, asked: Asked, readings: Iterable[Reading]) -> list[TrustLine]:
    """Whether the place could answer at all, by its baseline."""
    if not asked.measure.silent:
        return []
    found = courses(trial, asked, readings).values()
    starts = [points[0].value for points in found if points and points[0].planned <= 0]
    silent = sum(not asked.measure.can_answer(start) for start in starts)
    if not starts or silent * 2 <= len(starts):
        return []
    text = f"At the baseline {silent} of {len(starts)} units could hardly answer. {asked.measure.silent}"
    return [TrustLine("able to answer", "caution", text)]


def spare_runs(trial: Trial) -> list[TrustLine]:
    """Spare plants are told, not judged."""
    if not trial.spare_runs:
        return []
    told = [
        f"{trial.treatment(run.letter).name}: {'came through' if run.came_through else 'suffered'}"
        for run in trial.spare_runs
    ]
    return [TrustLine("spare plant", "note", f"Tried on a spare plant first, not judged ({'; '.join(told)}).")]


def conduct(trial: Trial) -> list[TrustLine]:
    """Ended early, and what the application log gives."""
    lines = []
    if trial.ended_on is not None:
        day = trial.day_of(trial.ended_on)
        text = f"Ended on day {day} of {trial.decision_day}: {trial.ended_reason}. "
        text += "Stopping on a good day makes luck look like proof."
        lines.append(TrustLine("ended early", "caution", text))
    return lines + applications(trial)
