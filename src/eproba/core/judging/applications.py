"""Trust lines from the applications on record: late, short, too soon, unequal, unlike, from which brews."""

from collections import defaultdict
from collections.abc import Sequence
from datetime import date
from itertools import pairwise
from statistics import median

from eproba.core.judging.trust_line import TrustLine
from eproba.core.trial.amendments import NOTHING_BESIDE, Beside
from eproba.core.trial.doses import given_amount, planned_dose, unequal, water_given
from eproba.core.trial.model import Pour, Treatment, Trial

RULE = "applied as planned"
LATE_DAYS = 1  # a day's shift is a gardener's life
MOST_MISSING = 1 / 3  # of the applications: beyond that the verdict is hardly about the treatment as planned
SHORT = 0.9  # of the planned amount


def applications(trial: Trial, beside: Beside = NOTHING_BESIDE) -> list[TrustLine]:
    """Every line that the application log gives; `beside`: what is known of recipes and brews."""
    lines = [
        *_missing(trial),
        *_late(trial),
        *_otherwise_than_planned(trial),
        *_twice(trial),
        *_too_soon(trial, beside),
        *_unequal(trial),
        *_unlike(trial),
        *_carried_over(trial),
        *_overridden(trial),
        *_otherwise(trial),
        *_from_no_brew(trial, beside),
        *_swapped(trial, beside),
    ]
    if _to_be_given(trial) and not any(line.rule == RULE for line in lines):
        lines.insert(0, TrustLine(RULE, "note", "all on record", {"applications": len(_to_be_given(trial))}))
    return lines + _brews(trial)


def _poured(trial: Trial) -> list[Pour]:
    return [pour for pour in trial.pours if pour.status == "poured"]


def _to_be_given(trial: Trial) -> list[Pour]:
    """What was planned, or given, while the trial went on: after an early end nothing is to be given."""
    return [pour for pour in trial.pours if pour.day <= trial.last_day or pour.status == "poured"]


def _missing(trial: Trial) -> list[TrustLine]:
    planned = _to_be_given(trial)
    skipped = [pour for pour in planned if pour.status == "skipped"]
    undone = [pour for pour in planned if pour.status == "due"]
    if not (skipped or undone):
        return []
    named = [(pour.letter, pour.day) for pour in sorted([*skipped, *undone], key=lambda pour: (pour.letter, pour.day))]
    left_out = [("skipped", len(skipped)), ("not on record", len(undone))]
    evidence = {"left_out": [(how, count) for how, count in left_out if count], "of": len(planned), "pours": named}
    if (len(skipped) + len(undone)) / len(planned) > MOST_MISSING:
        return [TrustLine(RULE, "cap", "mostly not given", evidence, "direction")]
    return [TrustLine(RULE, "caution", "skipped or not on record", evidence)]


def _late(trial: Trial) -> list[TrustLine]:
    late = [(trial.day_of(p.done_on) - p.day, p) for p in _poured(trial) if p.done_on is not None]
    late = [(days, pour) for days, pour in late if days > LATE_DAYS]
    if not late:
        return []
    named = list(dict.fromkeys((pour.letter, pour.day) for _, pour in late))
    latest, planned = max(days for days, _ in late), len(_to_be_given(trial))
    evidence = {"late": len(late), "of": planned, "days": latest, "pours": named}
    return [TrustLine(RULE, "caution", "came late", evidence)]


def _otherwise_than_planned(trial: Trial) -> list[TrustLine]:
    """Units that got clearly less, or clearly more, than the plan gives them."""
    lines = []
    for treatment in trial.treatments:
        shares = [
            (share, code, pour.day)
            for pour in _poured(trial)
            if pour.letter == treatment.letter
            for code, share in _shares(trial, pour).items()
        ]
        short = [one for one in shares if one[0] < SHORT]
        over = [one for one in shares if one[0] > 1 / SHORT]
        if short:
            evidence = {"least": min(short)[0], **_named(trial, treatment, short)}
            lines.append(TrustLine(RULE, "caution", "poured short", evidence))
        if over:
            evidence = {"most": max(over)[0], **_named(trial, treatment, over)}
            lines.append(TrustLine(RULE, "caution", "poured over", evidence))
    return lines


def _named(trial: Trial, treatment: Treatment, odd: Sequence[tuple[float, str, int]]) -> dict[str, object]:
    """How often, and which units on which days, as far as they are not all."""
    days = sorted({day for _, _, day in odd})
    all_units = {unit.code for unit in trial.units if unit.letter == treatment.letter}
    units: list[tuple[str, int]] = []
    for day in days:
        codes = sorted({code for _, code, on in odd if on == day})
        units += [(treatment.letter, day)] if all_units <= set(codes) else [(code, day) for code in codes]
    return {"treatment": treatment.name, "times": len(days), "units": units}


def _shares(trial: Trial, pour: Pour) -> dict[str, float]:
    """What each unit was given, as a share of the plan, where the record says."""
    dose = planned_dose(trial, pour)
    if dose is None or not dose.amount:
        return {}
    units = trial.given_to(pour.letter, pour.what, pour.day)
    said = [unit for unit in units if pour.amount_each is not None or unit.code in pour.unit_amounts]
    return {unit.code: given_amount(pour, dose, unit) / dose.of(unit.cut) for unit in said}


def _twice(trial: Trial) -> list[TrustLine]:
    """Two applications of one treatment on one day: what was caught up on, or put down twice."""
    by_day: dict[tuple[str, str, date], list[Pour]] = defaultdict(list)
    for pour in _poured(trial):
        if pour.done_on is not None:
            by_day[pour.letter, pour.what, pour.done_on].append(pour)
    twice = [(letter, trial.day_of(on)) for (letter, _, on), pours in by_day.items() if len(pours) > 1]
    return [TrustLine(RULE, "caution", "twice on a day", {"pours": twice})] if twice else []


def _too_soon(trial: Trial, beside: Beside) -> list[TrustLine]:
    """Applications closer to each other than the recipe allows, by the days on which they were done; in two places
    that take turns only those of one period."""
    least_of, soon = dict(beside.least_days), []
    for letter, least in least_of.items():
        done = sorted(
            {trial.day_of(pour.done_on) for pour in _poured(trial)
             if pour.letter == letter and pour.what == "dose" and pour.done_on is not None}
        )  # fmt: skip
        for earlier, day in pairwise(done):
            same = not trial.turns or trial.period_given(earlier) == trial.period_given(day)
            if same and 0 < day - earlier < dict(least).get(day, 0.0):
                soon.append((letter, day))
    return [TrustLine(RULE, "caution", "too soon", {"pours": soon})] if soon else []


def _unequal(trial: Trial) -> list[TrustLine]:
    """Days on which the treatments that are to be watered alike got different volumes on a square metre, and units
    that got another one than the rest of their treatment."""
    days, odd = [], []
    for day, water in sorted(water_given(trial).items()):
        by_letter: dict[str, list[float]] = defaultdict(list)
        for code, volume in water.items():
            by_letter[trial.by_code[code].letter].append(volume)
        usual = {letter: median(volumes) for letter, volumes in by_letter.items()}
        if unequal(list(usual.values())):
            days.append(day)
        named = [(code, volume, usual[trial.by_code[code].letter]) for code, volume in sorted(water.items())]
        odd += [(code, day) for code, volume, of_its_own in named if unequal([volume, of_its_own])]
    lines = [TrustLine("equal volume", "caution", "unequal water", {"days": days})] if days else []
    return lines + ([TrustLine("equal volume", "caution", "units unlike", {"units": odd})] if odd else [])


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


def _from_no_brew(trial: Trial, beside: Beside) -> list[TrustLine]:
    """Applications of what is brewed, from no batch on record."""
    unknown = [
        (pour.letter, pour.day)
        for pour in _poured(trial)
        if pour.letter in beside.brewed and pour.what == "dose" and pour.batch is None
    ]
    return [TrustLine("batch good", "caution", "from no brew", {"pours": unknown})] if unknown else []


def _swapped(trial: Trial, beside: Beside) -> list[TrustLine]:
    """Applications from a batch of another recipe than the treatment’s."""
    made, lines = dict(beside.made_by), []
    for pour in _poured(trial):
        treatment = trial.treatment(pour.letter)
        recipe, title = made.get(pour.batch or 0, ("", ""))
        if recipe and treatment.recipe and recipe != treatment.recipe:
            evidence = {"letter": pour.letter, "treatment": treatment.name, "day": pour.day, "title": title}
            lines.append(TrustLine("batch good", "caution", "another brew", evidence))
    return lines


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
