"""The verdict asked once more: without the units far off, with the worst that the lost may have been, with the lost as
they last stood, and with any single unit otherwise where one of two arms is noisier than the other."""

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace

from eproba.core.judging.judgement import Comparison, Judgement
from eproba.core.judging.scale import off_scale, on_scale
from eproba.core.judging.trust_line import TrustLine
from eproba.core.judging.verdicts import Cap, Verdict
from eproba.core.stats.series import Question, UnitValue

Judge = Callable[[Sequence[UnitValue], Question], Judgement]
CLAIMS: Mapping[Verdict, tuple[Verdict, ...]] = {
    "better_matters": ("better_matters",),
    "better": ("better_matters", "better", "better_trivial"),
    "better_trivial": ("better_trivial",),
    "same": ("same", "better_trivial", "worse_trivial"),
    "no_worse": ("no_worse", "better_matters", "better", "better_trivial", "worse_trivial"),
    "worse_trivial": ("worse_trivial",),
    "worse": ("worse_matters", "worse", "worse_trivial"),
    "worse_matters": ("worse_matters",),
}


def asked_again(
    units: Sequence[UnitValue], judgement: Judgement, judge: Judge, in_full: bool = True
) -> list[TrustLine]:
    """What the ledger says of verdicts that would not stand.

    Parameters
    ----------
    units : all of them, the lost with None.
    judge : judges without asking again.
    in_full : also what is told and caps nothing.
    """
    told = [*_without_the_far(units, judgement, judge), *_as_last_seen(units, judgement, judge)] if in_full else []
    return [*told, *_with_the_lost(units, judgement, judge), *_hangs_on_one(units, judgement, judge)]


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
    lines = []
    for compared, without in _both(judgement, judge(left, judgement.question)):
        alike = without.uncapped == compared.uncapped
        says = "the same without" if alike else "another without"
        lines.append(_told("outliers", says, alike, compared, {"verdict": without.uncapped}))
    return lines


def _as_last_seen(units: Sequence[UnitValue], judgement: Judgement, judge: Judge) -> list[TrustLine]:
    """The verdict with the lost units as they last stood: who is put down as lost is a choice, too."""
    lines = []
    for compared in judgement.comparisons:
        pair = (compared.treatment, judgement.question.control)
        known = [unit for unit in units if unit.treatment in pair and _last_of(unit, judgement.question) is not None]
        if not known:
            continue
        filled = [replace(unit, value=unit.last) if unit in known else unit for unit in units]
        other = _by_name(judge(filled, judgement.question))[compared.treatment]
        alike = other.uncapped == compared.uncapped
        evidence = {"verdict": other.uncapped, "units": [unit.unit for unit in known]}
        says = "the same as last seen" if alike else "another as last seen"
        lines.append(_told("lost by treatment", says, alike, compared, evidence))
    return lines


def _told(rule: str, says: str, alike: bool, compared: Comparison, evidence: Mapping[str, object]) -> TrustLine:
    """A line that caps nothing: a note where the verdict stays as it is."""
    of = compared.treatment
    return TrustLine(rule, "note" if alike else "caution", says, {"treatment": of, **evidence}, of=of)


def _with_the_lost(units: Sequence[UnitValue], judgement: Judgement, judge: Judge) -> list[TrustLine]:
    """Where the treatment or the control lost units: the worst and the best in their place, for every claim."""
    question, lines = judgement.question, []
    lost = Counter(unit.treatment for unit in units if unit.value is None)
    for comparison in judgement.comparisons:
        name, control = comparison.treatment, question.control
        if comparison.uncapped not in CLAIMS or not comparison.n or not lost[name] + lost[control]:
            continue
        verdicts = [
            _by_name(judge(_filled(units, name, question, upwards), question))[name].uncapped
            for upwards in _sides(comparison.uncapped, question)
        ]
        cap = _left_standing(comparison.uncapped, verdicts)
        evidence = {"treatment": name, "lost": lost[name], "control": lost[control]}
        if cap is None:
            lines.append(TrustLine("lost by treatment", "note", "stands with the lost", evidence, of=name))
        else:
            says = "turns with the lost" if cap == "described" else "weakens with the lost"
            lines.append(TrustLine("lost by treatment", "cap", says, evidence, cap, name))
    return lines


def _sides(claim: Verdict, question: Question) -> tuple[bool, ...]:
    """Which ends the lost of the treatment are put at to try a claim: the upper one (True), the lower one."""
    if claim in ("same", "better_trivial", "worse_trivial"):
        return (False, True)
    favourable = claim in ("better_matters", "better", "no_worse")
    return (favourable == question.lower_is_better,)


def _filled(units: Sequence[UnitValue], treatment: str, question: Question, upwards: bool) -> list[UnitValue]:
    """The lost of the treatment at one end of all that was seen in either arm, those of the control at the other."""
    pair = (treatment, question.control)
    seen = [unit.value for unit in units if unit.treatment in pair and unit.value is not None]
    seen += [last for unit in units if unit.treatment in pair and (last := _last_of(unit, question)) is not None]
    ends = {treatment: max(seen) if upwards else min(seen), question.control: min(seen) if upwards else max(seen)}
    return [
        replace(unit, value=ends[unit.treatment]) if unit.value is None and unit.treatment in pair else unit
        for unit in units
    ]


def _last_of(unit: UnitValue, question: Question) -> float | None:
    """What a lost unit last gave, where the scale has a place for it."""
    return None if unit.last is None or (question.scale == "ratio" and unit.last <= 0) else unit.last


def _left_standing(claim: Verdict, verdicts: Iterable[Verdict]) -> Cap | None:
    """What is left of a claim where these are the verdicts: all of it (None), its direction, a description."""
    others = list(verdicts)
    side = _side(claim)
    if side and not all(_side(verdict) == side for verdict in others):
        return "described"
    return None if all(verdict in CLAIMS[claim] for verdict in others) else "direction"


def _side(verdict: Verdict) -> str:
    """The direction that a verdict shows; empty: none."""
    return next((side for side in ("better", "worse") if verdict.startswith(side)), "")


def _hangs_on_one(units: Sequence[UnitValue], judgement: Judgement, judge: Judge) -> list[TrustLine]:
    """Where one of two arms is noisier and the units are few: whether the direction hangs on a single unit.

    Each is left out, and that of the noisier arm that speaks most for the direction is set as far off on the other side
    as the farthest: what a skewed arm hides is the far unit that has not come. Where that turns the direction, the
    direction itself is what nobody knows.
    """
    wild = {line.of: str(line.evidence["wild"]) for line in judgement.trust if line.rule == "one noisier"}
    lines = []
    for comparison in judgement.comparisons:
        name, side = comparison.treatment, _side(comparison.uncapped)
        if name not in wild or not side:
            continue
        for says, unit, others in _with_one_otherwise(units, comparison, judgement.question, wild[name]):
            if _side(_by_name(judge(others, judgement.question))[name].uncapped) != side:
                evidence = {"treatment": name, "unit": unit}
                lines.append(TrustLine("one noisier", "cap", says, evidence, "described", name))
                break
    return lines


def _with_one_otherwise(
    units: Sequence[UnitValue], comparison: Comparison, question: Question, wild: str
) -> Iterator[tuple[str, str, list[UnitValue]]]:
    """What is said of it, which unit, and all units with that one otherwise."""
    pair = (comparison.treatment, question.control)
    for unit in units:
        if unit.treatment in pair and unit.value is not None:
            yield "hangs on one", unit.unit, [replace(other, value=None) if other is unit else other for other in units]
    arm = {
        unit.unit: on_scale(unit.value, question) for unit in units if unit.treatment == wild and unit.value is not None
    }
    middle, upwards = sum(arm.values()) / len(arm), ((comparison.estimate or 0.0) > 0) == (wild == comparison.treatment)
    speaks_most = max(arm, key=lambda unit: arm[unit] if upwards else -arm[unit])
    far = max(abs(value - middle) for value in arm.values())
    value = off_scale(middle - far if upwards else middle + far, question)
    yield "hangs on a far one", speaks_most, [replace(u, value=value) if u.unit == speaks_most else u for u in units]


def _both(judgement: Judgement, other: Judgement) -> list[tuple[Comparison, Comparison]]:
    """Each comparison with what it is in another judgement of the same trial."""
    others = _by_name(other)
    return [(c, others[c.treatment]) for c in judgement.comparisons if c.treatment in others]


def _by_name(judgement: Judgement) -> dict[str, Comparison]:
    return {comparison.treatment: comparison for comparison in judgement.comparisons}
