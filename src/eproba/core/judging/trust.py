"""The trust ledger: each rule with its evidence and its consequence; the sentences are in `wording.ledger`.

A *note* is in order or merely worth knowing; a *caution* weakens the verdict in the reader's mind; a *cap* limits the
verdict itself.
"""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from eproba.core.stats.linear import Array
from eproba.core.stats.series import Question, UnitValue
from eproba.core.stats.shuffle import ShuffleTest

Level = Literal["note", "caution", "cap"]
BASELINE_GAP = 0.25
OUTLIER = 3.5 * 1.4826
NOISE_RATIO = 2.0


@dataclass(frozen=True)
class TrustLine:
    """One line of the ledger: the rule, how far it reaches, which sentence it says, and the evidence in it."""

    rule: str
    level: Level
    says: str
    evidence: Mapping[str, object] = field(default_factory=dict, hash=False)


@dataclass(frozen=True)
class Circumstances:
    """What is known of a trial beside its numbers; the command line knows none of it.

    `control_role` is the control's role; `poured` whether the other treatments are liquids; `rounds_due` and
    `rounds_missed` count the rounds up to the decision day; `deals` how often the lots were dealt.
    """

    control_role: str
    poured: bool
    rounds_due: int
    rounds_missed: int
    baseline_taken: bool
    deals: int


def sizes(units: Sequence[UnitValue], lost: Sequence[UnitValue], treatments: Sequence[str]) -> list[TrustLine]:
    """Replication: one unit a treatment is a story, not a trial."""
    counts = {name: sum(unit.treatment == name for unit in units) for name in treatments}
    lines = []
    lonely = [name for name, n in counts.items() if n == 1]
    if lonely:
        lines.append(TrustLine("replication", "cap", "one unit", {"treatments": lonely}))
    elif min(counts.values()) < 4:
        lines.append(TrustLine("replication", "caution", "few units", {"counts": counts}))
    else:
        lines.append(TrustLine("replication", "note", "units", {"counts": counts}))
    if lost:
        share = len(lost) / (len(lost) + len(units))
        named = [f"{unit.unit} ({unit.treatment})" for unit in lost]
        lines.append(TrustLine("lost units", "caution" if share > 0.1 else "note", "lost units", {"units": named}))
    return lines


def lots(circumstances: Circumstances | None) -> TrustLine:
    """Whether chance, not a person, chose who gets what."""
    if circumstances is None:
        return TrustLine("lots", "note", "lots not known")
    if circumstances.deals > 1:
        return TrustLine("lots", "caution", "dealt again", {"deals": circumstances.deals})
    return TrustLine("lots", "note", "dealt")


def control_kind(circumstances: Circumstances) -> TrustLine:
    """What the control can and can't answer."""
    if circumstances.control_role == "untreated" and circumstances.poured:
        return TrustLine("control kind", "caution", "control got nothing")
    if circumstances.control_role == "untreated":
        return TrustLine("control kind", "note", "control untreated")
    if circumstances.control_role == "water control":
        return TrustLine("control kind", "note", "control got water")
    return TrustLine("control kind", "note", "control is another", {"role": circumstances.control_role})


def rounds(circumstances: Circumstances) -> list[TrustLine]:
    """Missed rounds, above all the baseline."""
    lines = []
    if not circumstances.baseline_taken:
        lines.append(TrustLine("rounds missed", "caution", "no baseline"))
    missed, due = circumstances.rounds_missed, circumstances.rounds_due
    if missed:
        level: Level = "caution" if missed * 4 >= due else "note"
        lines.append(TrustLine("rounds missed", level, "rounds missed", {"missed": missed, "due": due}))
    elif due:
        lines.append(TrustLine("rounds missed", "note", "all rounds", {"due": due}))
    return lines


def baseline_alike(units: Sequence[UnitValue], question: Question, others: Sequence[str]) -> list[TrustLine]:
    """Standardised gap of the baselines; no test, since the lots make any gap chance (Altman 1985)."""
    groups = _grouped(units, [unit.baseline for unit in units])
    control = groups.get(question.control, [])
    apart: list[tuple[str, float]] = []
    for name in others:
        group = groups.get(name, [])
        if len(group) < 2 or len(control) < 2:
            continue
        spread = np.sqrt((np.var(group, ddof=1) + np.var(control, ddof=1)) / 2)
        gap = float((np.mean(group) - np.mean(control)) / spread) if spread > 0 else 0.0
        if abs(gap) > BASELINE_GAP:
            apart.append((name, gap))
    if not any(groups.values()):
        return []
    if apart:
        return [TrustLine("baseline alike", "caution", "began apart", {"apart": apart})]
    return [TrustLine("baseline alike", "note", "began alike")]


def baseline_gaps(units: Sequence[UnitValue], filled: int) -> list[TrustLine]:
    """Units whose own baseline is missing."""
    if not filled:
        return []
    level: Level = "caution" if filled * 4 > len(units) else "note"
    return [TrustLine("baseline missing", level, "baseline filled in", {"filled": filled, "units": len(units)})]


def outliers(units: Sequence[UnitValue], residuals: Array) -> list[TrustLine]:
    """Residuals beyond 3.5 × 1.4826 MAD: named, never dropped."""
    centre = float(np.median(residuals))
    mad = float(np.median(np.abs(residuals - centre)))
    if mad <= 0:
        return []
    far = [u.unit for u, r in zip(units, residuals, strict=True) if abs(r - centre) > OUTLIER * mad]
    if not far:
        return []
    return [TrustLine("outliers", "caution", "far off", {"units": far})]


def unequal_noise(units: Sequence[UnitValue], residuals: Array) -> list[TrustLine]:
    """One group scatters more than twice as much as another, while the interval pools the noise."""
    groups = {name: group for name, group in _grouped(units, list(residuals)).items() if len(group) >= 3}
    spreads = {name: float(np.sqrt(np.mean(np.square(group)))) for name, group in groups.items()}
    if len(spreads) < 2 or min(spreads.values()) <= 0:
        return []
    calm, wild = min(spreads, key=lambda n: spreads[n]), max(spreads, key=lambda n: spreads[n])
    times = spreads[wild] / spreads[calm]
    if times <= NOISE_RATIO:
        return []
    return [TrustLine("unequal noise", "caution", "unequal noise", {"wild": wild, "calm": calm, "times": times})]


def shuffle_reach(tests: Sequence[ShuffleTest]) -> list[TrustLine]:
    """Whether the lots can pass 1 in 20 at all, as many comparisons as there are (Holm)."""
    smallest = max((test.best_p for test in tests), default=0.0)
    if smallest * len(tests) < 0.05:
        return []
    evidence = {"best": 1 / smallest, "comparisons": len(tests)}
    return [TrustLine("shuffle reach", "note", "out of reach", evidence)]


def model_and_shuffle(
    name: str, p_adjusted: float | None, test: ShuffleTest | None, shuffle_p_adjusted: float | None, family: int
) -> list[TrustLine]:
    """Model and shuffle test on different sides of 1 in 20, where the lots could reach it."""
    if p_adjusted is None or test is None or shuffle_p_adjusted is None or test.best_p * family >= 0.05:
        return []
    if (p_adjusted < 0.05) == (shuffle_p_adjusted < 0.05):
        return []
    evidence = {"treatment": name, "model": p_adjusted, "shuffle": shuffle_p_adjusted}
    return [TrustLine("model and shuffle disagree", "caution", "model and shuffle disagree", evidence)]


def noiseless(none_left: bool) -> TrustLine:
    """No noise to measure the gap with."""
    return TrustLine("no noise to measure", "cap", "nothing left over" if none_left else "all alike")


def not_told_apart(name: str) -> TrustLine:
    """Treatment and block (or row, column, another treatment) always go together."""
    return TrustLine("told apart", "cap", "never shares a block", {"treatment": name})


def _grouped(units: Sequence[UnitValue], numbers: Sequence[float | None]) -> dict[str, list[float]]:
    groups: dict[str, list[float]] = defaultdict(list)
    for unit, number in zip(units, numbers, strict=True):
        if number is not None:
            groups[unit.treatment].append(number)
    return groups
