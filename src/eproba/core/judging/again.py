"""The verdict asked once more: without the units far off, with the worst that the lost may have been, with the lost as
they last stood, and with any single unit otherwise where one of two arms is noisier than the other.

First it is said which trials those are (`trials_again`), so that all of them can be judged together; then what the
ledger says of their verdicts (`lines_again`).
"""

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

from eproba.core.judging.judgement import EFFECT_TURNS, Comparison, Effect, Judgement, effect_key
from eproba.core.judging.scale import off_scale, on_scale
from eproba.core.judging.trust_line import TrustLine
from eproba.core.judging.verdicts import Cap, Verdict
from eproba.core.stats.series import Question, UnitValue

Why = Literal["without the far", "as last seen", "with the lost", "with one otherwise"]


@dataclass(frozen=True)
class Again:
    """The same trial with other values: why, of which treatment it is asked (empty: of all), what the ledger names."""

    why: Why
    units: Sequence[UnitValue]
    of: str = ""
    evidence: Mapping[str, object] = field(default_factory=dict, hash=False)


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


def trials_again(units: Sequence[UnitValue], judgement: Judgement, in_full: bool = True) -> list[Again]:
    """Every trial that the ledger wants judged beside this one.

    Parameters
    ----------
    units : all of them, the lost with None.
    in_full : also what is told and caps nothing.
    """
    beside = [*_without_the_far(units, judgement), *_as_last_seen(units, judgement)] if in_full else []
    lost = [*_with_the_lost(units, judgement), *_effects_with_the_lost(units, judgement)]
    return [*beside, *lost, *_with_one_otherwise(units, judgement)]


def lines_again(judgement: Judgement, tried: Sequence[tuple[Again, Judgement]]) -> list[TrustLine]:
    """What the ledger says of verdicts that would not stand."""
    lines = []
    for compared in judgement.comparisons:
        others = [
            (again, other)
            for again, of_all in tried
            if again.of in ("", compared.treatment)
            and (other := next((c for c in of_all.comparisons if c.treatment == compared.treatment), None)) is not None
        ]
        lines += [_of_the_far(compared, other) for again, other in others if again.why == "without the far"]
        lines += [_of_last_seen(compared, again, other) for again, other in others if again.why == "as last seen"]
        lines += _of_the_lost(compared, [pair for pair in others if pair[0].why == "with the lost"])
        lines += _of_one(compared, [pair for pair in others if pair[0].why == "with one otherwise"])
    return [*lines, *(line for effect in judgement.effects for line in _of_effect(effect, tried))]


def _without_the_far(units: Sequence[UnitValue], judgement: Judgement) -> list[Again]:
    """Without units far off, told and never taken."""
    far = next((line for line in judgement.trust if line.rule == "outliers"), None)
    named = far.evidence["units"] if far is not None else ()
    if not isinstance(named, Sequence) or not named:
        return []
    left = [replace(unit, value=None) if unit.unit in named else unit for unit in units]
    still = Counter(unit.treatment for unit in left if unit.value is not None)
    compared = [judgement.question.control, *(comparison.treatment for comparison in judgement.comparisons)]
    return [] if any(still[name] < 2 for name in compared) else [Again("without the far", left)]


def _of_the_far(compared: Comparison, without: Comparison) -> TrustLine:
    alike = without.uncapped == compared.uncapped
    says = "the same without" if alike else "another without"
    return _told("outliers", says, alike, compared, {"verdict": without.uncapped})


def _as_last_seen(units: Sequence[UnitValue], judgement: Judgement) -> list[Again]:
    """The lost units as they last stood: who is put down as lost is a choice, too."""
    again, question = [], judgement.question
    for compared in judgement.comparisons:
        pair = (compared.treatment, question.control)
        known = {unit.unit for unit in units if unit.treatment in pair and _last_of(unit, question) is not None}
        if known:
            filled = [replace(unit, value=unit.last) if unit.unit in known else unit for unit in units]
            names = [unit.unit for unit in units if unit.unit in known]
            again.append(Again("as last seen", filled, compared.treatment, {"units": names}))
    return again


def _of_last_seen(compared: Comparison, again: Again, other: Comparison) -> TrustLine:
    alike = other.uncapped == compared.uncapped
    says = "the same as last seen" if alike else "another as last seen"
    return _told("lost by treatment", says, alike, compared, {"verdict": other.uncapped, **again.evidence})


def _told(rule: str, says: str, alike: bool, compared: Comparison, evidence: Mapping[str, object]) -> TrustLine:
    """A line that caps nothing: a note where the verdict stays as it is."""
    of = compared.treatment
    return TrustLine(rule, "note" if alike else "caution", says, {"treatment": of, **evidence}, of=of)


def _with_the_lost(units: Sequence[UnitValue], judgement: Judgement) -> list[Again]:
    """Where the treatment or the control lost units: the worst and the best in their place, for every claim; but what
    is shown to kill need not be shown to harm those that are left as if the dead had thrived."""
    question, again = judgement.question, []
    lost = Counter(unit.treatment for unit in units if unit.value is None)
    for comparison in judgement.comparisons:
        name, of_control = comparison.treatment, lost[question.control]
        if comparison.kills and _side(comparison.uncapped) == "worse":
            continue
        if comparison.uncapped in CLAIMS and comparison.n and lost[name] + of_control:
            evidence = {"lost": lost[name], "control": of_control}
            again += [
                Again("with the lost", _filled(units, name, question, upwards), name, evidence)
                for upwards in _sides(comparison.uncapped, question)
            ]
    return again


def _effects_with_the_lost(units: Sequence[UnitValue], judgement: Judgement) -> list[Again]:
    """Of two things at once: the lost of the arms that speak for an effect at one end, those of the others at the
    other."""
    question, lost = judgement.question, any(unit.value is None for unit in units)
    named = {things: name for name, things in question.crossed}
    again = []
    for effect in judgement.effects if lost else ():
        if effect.uncapped not in CLAIMS:
            continue
        speaking = {named[things] for things in SPEAKING[effect.of]}
        for upwards in _sides(effect.uncapped, question):
            ends = {name: upwards == (name in speaking) for name in named.values()}
            again.append(Again("with the lost", _at_ends(units, ends, question), effect_key(effect.of)))
    return again


def _of_effect(effect: Effect, tried: Sequence[tuple[Again, Judgement]]) -> list[TrustLine]:
    others = [of_all for again, of_all in tried if again.of == effect_key(effect.of)]
    verdicts = [other.verdict for of_all in others for other in of_all.effects if other.of == effect.of]
    cap = _left_standing(effect.uncapped, verdicts) if verdicts else None
    if cap is None:
        return []
    return [TrustLine("lost by treatment", "cap", EFFECT_TURNS, {"treatment": effect.name}, cap, effect_key(effect.of))]


SPEAKING: Mapping[str, tuple[str, ...]] = {"1": ("1", "12"), "2": ("2", "12"), "12": ("12", "")}


def _of_the_lost(compared: Comparison, others: Sequence[tuple[Again, Comparison]]) -> list[TrustLine]:
    if not others:
        return []
    cap = _left_standing(compared.uncapped, [other.uncapped for _, other in others])
    evidence = {"treatment": compared.treatment, **others[0][0].evidence}
    if cap is None:
        return [TrustLine("lost by treatment", "note", "stands with the lost", evidence, of=compared.treatment)]
    says = "turns with the lost" if cap == "described" else "weakens with the lost"
    return [TrustLine("lost by treatment", "cap", says, evidence, cap, compared.treatment)]


def _sides(claim: Verdict, question: Question) -> tuple[bool, ...]:
    """Which ends the lost of the treatment are put at to try a claim: the upper one (True), the lower one."""
    if claim in ("same", "better_trivial", "worse_trivial"):
        return (False, True)
    favourable = claim in ("better_matters", "better", "no_worse")
    return (favourable == question.lower_is_better,)


def _filled(units: Sequence[UnitValue], treatment: str, question: Question, upwards: bool) -> list[UnitValue]:
    """The lost of the treatment at one end of all that was seen in either arm, those of the control at the other."""
    return _at_ends(units, {treatment: upwards, question.control: not upwards}, question)


def _at_ends(units: Sequence[UnitValue], upwards: Mapping[str, bool], question: Question) -> list[UnitValue]:
    """The lost of these arms at the upper end (or the lower) of all that was seen in them."""
    seen = [unit.value for unit in units if unit.treatment in upwards and unit.value is not None]
    seen += [last for unit in units if unit.treatment in upwards and (last := _last_of(unit, question)) is not None]
    ends = {True: max(seen), False: min(seen)}
    return [
        replace(unit, value=ends[upwards[unit.treatment]]) if unit.value is None and unit.treatment in upwards else unit
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


def _with_one_otherwise(units: Sequence[UnitValue], judgement: Judgement) -> list[Again]:
    """Where one of two arms is noisier and the units are few: whether the direction hangs on a single unit.

    Each is left out, and that of the noisier arm that speaks most for the direction is set as far off on the other side
    as the farthest: what a skewed arm hides is the far unit that has not come. Where that turns the direction, the
    direction itself is what nobody knows.
    """
    wild = {line.of: str(line.evidence["wild"]) for line in judgement.trust if line.rule == "one noisier"}
    return [
        Again("with one otherwise", others, comparison.treatment, {"says": says, "unit": unit})
        for comparison in judgement.comparisons
        if comparison.treatment in wild and _side(comparison.uncapped)
        for says, unit, others in _one_otherwise(units, comparison, judgement.question, wild[comparison.treatment])
    ]


def _of_one(compared: Comparison, others: Sequence[tuple[Again, Comparison]]) -> list[TrustLine]:
    turned = next((again for again, other in others if _side(other.uncapped) != _side(compared.uncapped)), None)
    if turned is None:
        return []
    evidence = {"treatment": compared.treatment, "unit": turned.evidence["unit"]}
    says = str(turned.evidence["says"])
    return [TrustLine("one noisier", "cap", says, evidence, "described", compared.treatment)]


def _one_otherwise(
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
