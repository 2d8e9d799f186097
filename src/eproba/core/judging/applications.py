"""Trust lines from the applications on record: late, short, unequal, unlike, from a bad batch, from how many brews."""

from collections import defaultdict
from dataclasses import replace

from eproba.core.judging.trust_line import TrustLine
from eproba.core.trial.doses import litres_a_m2, planned_dose, unequal
from eproba.core.trial.model import Pour, Trial

RULE = "applied as planned"
LATE_DAYS = 1  # a day's shift is a gardener's life
MOST_MISSING = 1 / 3  # of the applications: beyond that the verdict is hardly about the treatment as planned
SHORT = 0.9  # of the planned amount


def applications(trial: Trial) -> list[TrustLine]:
    """Every line that the application log gives."""
    lines = [
        *_missing(trial),
        *_late(trial),
        *_short(trial),
        *_unequal(trial),
        *_unlike(trial),
        *_carried_over(trial),
        *_overridden(trial),
        *_otherwise(trial),
    ]
    if trial.pours and not any(line.rule == RULE for line in lines):
        lines.insert(0, TrustLine(RULE, "note", "all on record", {"applications": len(trial.pours)}))
    return lines + _brews(trial)


def _poured(trial: Trial) -> list[Pour]:
    return [pour for pour in trial.pours if pour.status == "poured"]


def _missing(trial: Trial) -> list[TrustLine]:
    skipped = [pour for pour in trial.pours if pour.status == "skipped"]
    undone = [pour for pour in trial.pours if pour.status == "due"]
    if not (skipped or undone):
        return []
    evidence = {"skipped": len(skipped), "undone": len(undone), "of": len(trial.pours)}
    if (len(skipped) + len(undone)) / len(trial.pours) > MOST_MISSING:
        return [TrustLine(RULE, "cap", "mostly not given", evidence, "direction")]
    return [TrustLine(RULE, "caution", "skipped or not on record", evidence)]


def _late(trial: Trial) -> list[TrustLine]:
    late = [(trial.day_of(p.done_on) - p.day, p) for p in _poured(trial) if p.done_on is not None]
    late = [(days, pour) for days, pour in late if days > LATE_DAYS]
    if not late:
        return []
    named = list(dict.fromkeys((pour.letter, pour.day) for _, pour in late))
    evidence = {"late": len(late), "of": len(trial.pours), "days": max(days for days, _ in late), "pours": named}
    return [TrustLine(RULE, "caution", "came late", evidence)]


def _short(trial: Trial) -> list[TrustLine]:
    lines = []
    for treatment in trial.treatments:
        shares = [share for p in _poured(trial) if p.letter == treatment.letter for share in _shares(trial, p)]
        short = [share for share in shares if share < SHORT]
        if short:
            evidence = {"treatment": treatment.name, "times": len(short), "least": min(short)}
            lines.append(TrustLine(RULE, "caution", "poured short", evidence))
    return lines


def _shares(trial: Trial, pour: Pour) -> list[float]:
    """What was given as shares of the plan: for all units together, and for each that got another amount."""
    dose = planned_dose(trial, pour)
    if dose is None or not dose.amount:
        return []
    shares = [
        amount / dose.of(trial.by_code[code].cut) for code, amount in pour.unit_amounts.items() if code in trial.by_code
    ]
    return shares + ([pour.amount_each / dose.amount] if pour.amount_each is not None else [])


def _unequal(trial: Trial) -> list[TrustLine]:
    """Days on which the treatments that are poured got different volumes on a square metre."""
    by_day: dict[int, dict[str, float]] = defaultdict(dict)
    for pour in _poured(trial):
        dose = planned_dose(trial, pour)
        if pour.amount_each is None or dose is None:
            continue
        volume = litres_a_m2(replace(dose, amount=pour.amount_each), trial, pour.letter)
        if volume is not None:
            for letter in {unit.letter for unit in trial.given_to(pour.letter, pour.what, pour.day)}:
                by_day[pour.day][letter] = by_day[pour.day].get(letter, 0.0) + volume
    days = [day for day, given in by_day.items() if unequal(list(given.values()))]
    if not days:
        return []
    return [TrustLine("equal volume", "caution", "unequal water", {"days": sorted(days)})]


def _unlike(trial: Trial) -> list[TrustLine]:
    days = sorted({pour.day for pour in trial.pours if pour.alike is False})
    if not days:
        return []
    return [TrustLine("equal handling", "caution", "handled unlike", {"days": days})]


def _carried_over(trial: Trial) -> list[TrustLine]:
    days = sorted({pour.day for pour in _poured(trial) if pour.letter == trial.control and pour.can == "after"})
    if not days:
        return []
    return [TrustLine("equal handling", "caution", "carried over", {"days": days})]


def _overridden(trial: Trial) -> list[TrustLine]:
    lines = []
    for pour in _poured(trial):
        if pour.override:
            name = trial.treatment(pour.letter).name
            evidence = {"day": pour.day, "treatment": name, "why": pour.override}
            lines.append(TrustLine("batch good", "caution", "bad batch", evidence))
    return lines


def _otherwise(trial: Trial) -> list[TrustLine]:
    """Brews that were made otherwise than their recipe, each once."""
    pour_by_other = {(p.letter, p.otherwise): p for p in reversed(_poured(trial)) if p.otherwise}
    return [
        TrustLine("batch good", "caution", "made otherwise", {
            "day": pour.day, "treatment": trial.treatment(letter).name, "what": what})
        for (letter, what), pour in reversed(pour_by_other.items())
    ]  # fmt: skip


def _brews(trial: Trial) -> list[TrustLine]:
    """How many brews the verdict speaks of, where the log knows."""
    lines = []
    for treatment in trial.treatments:
        own = [pour for pour in _poured(trial) if pour.letter == treatment.letter]
        used = [pour.batch for pour in own if pour.batch is not None]
        others = {pour.other_batch for pour in own if pour.other_batch is not None}
        brews = len({*used, *others})
        if others:
            evidence = {"batches": brews, "treatment": treatment.name}
            lines.append(TrustLine("batches", "note", "batches side by side", evidence))
        elif brews == 1 and len(used) > 1:
            evidence = {"pours": len(used), "treatment": treatment.name}
            lines.append(TrustLine("batches", "note", "all from one batch", evidence))
        elif brews > 1:
            evidence = {"batches": brews, "treatment": treatment.name}
            lines.append(TrustLine("batches", "note", "batches in turn", evidence))
    return lines
