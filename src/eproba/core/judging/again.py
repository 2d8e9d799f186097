"""The verdict asked once more: without the units far off, and with the worst that the lost may have been."""

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import replace

from eproba.core.judging.judgement import Comparison, Judgement
from eproba.core.judging.trust_line import TrustLine
from eproba.core.stats.series import Question, UnitValue

Judge = Callable[[Sequence[UnitValue], Question], Judgement]


def asked_again(
    units: Sequence[UnitValue], judgement: Judgement, judge: Judge, in_full: bool = True
) -> list[TrustLine]:
    """What the ledger says of verdicts that would not stand.

    Parameters
    ----------
    units : all of them, the lost with None.
    judge : judges without asking again.
    in_full : also without the units far off, which is told and caps nothing.
    """
    far = _without_the_far(units, judgement, judge) if in_full else []
    return [*far, *_with_the_lost(units, judgement, judge)]


def _without_the_far(units: Sequence[UnitValue], judgement: Judgement, judge: Judge) -> list[TrustLine]:
    """The verdict without units far off, told and never taken."""
    far = next((line for line in judgement.trust if line.rule == "outliers"), None)
    named = far.evidence["units"] if far is not None else ()
    if not isinstance(named, Sequence) or not named:
        return []
    left = [replace(unit, value=None) if unit.unit in named else unit for unit in units]
    still = Counter(unit.treatment for unit in left if unit.value is not None)
    if (
        any(still[comparison.treatment] < 2 for comparison in judgement.comparisons)
        or still[judgement.question.control] < 2
    ):
        return []
    other = {comparison.treatment: comparison for comparison in judge(left, judgement.question).comparisons}
    lines = []
    for compared in judgement.comparisons:
        without = other.get(compared.treatment)
        if without is None:
            continue
        evidence = {"treatment": compared.treatment, "verdict": without.uncapped}
        says = "the same without" if without.uncapped == compared.uncapped else "another without"
        level = "note" if says == "the same without" else "caution"
        lines.append(TrustLine("outliers", level, says, evidence, of=compared.treatment))  # type: ignore[arg-type]
    return lines


def _with_the_lost(units: Sequence[UnitValue], judgement: Judgement, judge: Judge) -> list[TrustLine]:
    """Where one treatment lost more units than the control, or fewer: the worst seen in either in their place."""
    lost: dict[str, int] = {}
    for unit in units:
        lost[unit.treatment] = lost.get(unit.treatment, 0) + (unit.value is None)
    lines = []
    for comparison in judgement.comparisons:
        direction = _direction(comparison)
        if not direction or lost[comparison.treatment] == lost[judgement.question.control]:
            continue
        filled = [_filled(unit, units, comparison.treatment, judgement.question.control, direction) for unit in units]
        other = next(c for c in judge(filled, judgement.question).comparisons if c.treatment == comparison.treatment)
        evidence = {
            "treatment": comparison.treatment,
            "lost": lost[comparison.treatment],
            "control": lost[judgement.question.control],
        }
        if _direction(other) == direction:
            lines.append(
                TrustLine("lost by treatment", "note", "stands with the lost", evidence, of=comparison.treatment)
            )
        else:
            says = "turns with the lost"
            lines.append(TrustLine("lost by treatment", "cap", says, evidence, "described", comparison.treatment))
    return lines


def _direction(comparison: Comparison) -> int:
    """1 where it is shown to stand above the control, −1 below, 0 where neither is shown."""
    if not comparison.uncapped.startswith(("better", "worse")):
        return 0
    gap = (
        comparison.estimate if comparison.estimate is not None else (comparison.order and comparison.order.chance - 0.5)
    )
    return 1 if (gap or 0.0) > 0 else -1


def _filled(unit: UnitValue, units: Sequence[UnitValue], treatment: str, control: str, direction: int) -> UnitValue:
    if unit.value is not None or unit.treatment not in (treatment, control):
        return unit
    seen = [unit.value for unit in units if unit.treatment in (treatment, control) and unit.value is not None]
    lowest = (direction > 0) == (unit.treatment == treatment)
    return replace(unit, value=min(seen) if lowest else max(seen)) if seen else unit
