"""The trust ledger: each rule with its evidence and its consequence.

A *note* is in order or merely worth knowing; a *caution* weakens the verdict in the reader's mind; a *cap* limits the
verdict itself.
"""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np

from eproba.core.stats.linear import Array
from eproba.core.stats.series import Question, UnitValue
from eproba.core.stats.shuffle import ShuffleTest
from eproba.core.words import listed

Level = Literal["note", "caution", "cap"]
BASELINE_GAP = 0.25
OUTLIER = 3.5 * 1.4826
NOISE_RATIO = 2.0


@dataclass(frozen=True)
class TrustLine:
    """One line of the ledger."""

    rule: str
    level: Level
    text: str


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
        text = (
            f"Only one unit of {listed(lonely)}. Two places always differ a little, whatever is poured on them, "
            "so this can be described but not judged."
        )
        lines.append(TrustLine("replication", "cap", text))
    elif min(counts.values()) < 4:
        text = f"{_counted(counts)}: few, so only a large gap can be told from luck."
        lines.append(TrustLine("replication", "caution", text))
    else:
        lines.append(TrustLine("replication", "note", f"{_counted(counts)}."))
    if lost:
        text = f"Lost or without a value: {listed([f'{u.unit} ({u.treatment})' for u in lost])}. "
        share = len(lost) / (len(lost) + len(units))
        text += "Ask whether the treatment had a part in it: units that die of it are missing from the gap."
        lines.append(TrustLine("lost units", "caution" if share > 0.1 else "note", text))
    return lines


def lots(circumstances: Circumstances | None) -> TrustLine:
    """Whether chance, not a person, chose who gets what."""
    if circumstances is None:
        text = "The file can't say how the treatments were dealt. All figures here suppose: by lot."
        return TrustLine("lots", "note", text)
    text = "Treatments were dealt by lot, with a seed that is kept"
    if circumstances.deals > 1:
        text += f"; they were dealt {circumstances.deals} times before the start: choosing among deals is not chance"
        return TrustLine("lots", "caution", text + ".")
    return TrustLine("lots", "note", text + ".")


def control_kind(circumstances: Circumstances) -> TrustLine:
    """What the control can and can't answer."""
    if circumstances.control_role == "untreated" and circumstances.poured:
        text = "The control got nothing, the others got a drench: a gap may be the work of the water alone."
        return TrustLine("control kind", "caution", text)
    if circumstances.control_role == "untreated":
        return TrustLine("control kind", "note", "The control is untreated ground with the same handling.")
    if circumstances.control_role == "water control":
        return TrustLine("control kind", "note", "The control got plain water, the same volume on the same days.")
    text = f"The control is a {circumstances.control_role}: the gap is against that, not against plain water."
    return TrustLine("control kind", "note", text)


def rounds(circumstances: Circumstances) -> list[TrustLine]:
    """Missed rounds, above all the baseline."""
    lines = []
    if not circumstances.baseline_taken:
        text = "No readings before the first application: nobody knows whether the units began alike."
        lines.append(TrustLine("rounds missed", "caution", text))
    missed, due = circumstances.rounds_missed, circumstances.rounds_due
    if missed:
        level: Level = "caution" if missed * 4 >= due else "note"
        lines.append(TrustLine("rounds missed", level, f"{missed} of {due} rounds were missed."))
    elif due:
        lines.append(TrustLine("rounds missed", "note", f"All {due} rounds were taken."))
    return lines


def baseline_alike(units: Sequence[UnitValue], question: Question, others: Sequence[str]) -> list[TrustLine]:
    """Standardised gap of the baselines; no test, since the lots make any gap chance (Altman 1985)."""
    groups = _grouped(units, [unit.baseline for unit in units])
    control = groups.get(question.control, [])
    apart = []
    for name in others:
        group = groups.get(name, [])
        if len(group) < 2 or len(control) < 2:
            continue
        spread = np.sqrt((np.var(group, ddof=1) + np.var(control, ddof=1)) / 2)
        gap = float((np.mean(group) - np.mean(control)) / spread) if spread > 0 else 0.0
        if abs(gap) > BASELINE_GAP:
            apart.append(f"{name} {'above' if gap > 0 else 'below'} the control by {abs(gap):.1f} SD")
    if not any(groups.values()):
        return []
    if apart:
        text = f"At the start the groups were not quite alike: {'; '.join(apart)}. The judgement takes the start out."
        return [TrustLine("baseline alike", "caution", text)]
    return [TrustLine("baseline alike", "note", "The groups began alike (within a quarter of an SD).")]


def baseline_gaps(units: Sequence[UnitValue], filled: int) -> list[TrustLine]:
    """Units whose own baseline is missing."""
    if not filled:
        return []
    text = (
        f"{filled} of {len(units)} units have no baseline; the mean of the others stands in for it "
        "(fair when dealt by lot: White & Thompson 2005)."
    )
    return [TrustLine("baseline missing", "caution" if filled * 4 > len(units) else "note", text)]


def outliers(units: Sequence[UnitValue], residuals: Array) -> list[TrustLine]:
    """Residuals beyond 3.5 × 1.4826 MAD: named, never dropped."""
    centre = float(np.median(residuals))
    mad = float(np.median(np.abs(residuals - centre)))
    if mad <= 0:
        return []
    far = [u.unit for u, r in zip(units, residuals, strict=True) if abs(r - centre) > OUTLIER * mad]
    if not far:
        return []
    text = f"Far from what its group and block lead to expect: {listed(far)}. Look for a slip of the pen or a story; "
    return [TrustLine("outliers", "caution", text + "it stays in.")]


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
    text = (
        f"{wild} scatters {times:.1f} times as much as {calm}. The interval pools the noise of all groups, so the "
        "interval of the wilder one may be too short."
    )
    return [TrustLine("unequal noise", "caution", text)]


def shuffle_reach(tests: Sequence[ShuffleTest]) -> list[TrustLine]:
    """Whether the lots can pass 1 in 20 at all, as many comparisons as there are (Holm)."""
    smallest = max((test.best_p for test in tests), default=0.0)
    if smallest * len(tests) < 0.05:
        return []
    among = f" and there are {len(tests)} comparisons" if len(tests) > 1 else ""
    text = f"These lots can't give less than 1 in {1 / smallest:.0f}{among}: "
    text += "shuffling alone can't settle it, the model can."
    return [TrustLine("shuffle reach", "note", text)]


def model_and_shuffle(
    name: str, p_adjusted: float | None, test: ShuffleTest | None, shuffle_p_adjusted: float | None, family: int
) -> list[TrustLine]:
    """Model and shuffle test on different sides of 1 in 20, where the lots could reach it."""
    if p_adjusted is None or test is None or shuffle_p_adjusted is None or test.best_p * family >= 0.05:
        return []
    if (p_adjusted < 0.05) == (shuffle_p_adjusted < 0.05):
        return []
    text = (
        f"{name}: the model says p = {p_adjusted:.3f}, the shuffle test {shuffle_p_adjusted:.3f}, on different sides "
        "of 1 in 20. Take the verdict as touch and go."
    )
    return [TrustLine("model and shuffle disagree", "caution", text)]


def noiseless(none_left: bool) -> TrustLine:
    """No noise to measure the gap with."""
    if none_left:
        text = "Too few units for blocks and baseline: nothing is left over to measure the noise with."
    else:
        text = "All units of a group read the same: the readings are too coarse to show any noise, so no interval."
    return TrustLine("no noise to measure", "cap", text)


def not_told_apart(name: str) -> TrustLine:
    """Treatment and block (or row, column, another treatment) always go together."""
    text = f"{name} never shares a block with what it is compared with: its effect can't be told from the place's."
    return TrustLine("told apart", "cap", text)


def _grouped(units: Sequence[UnitValue], numbers: Sequence[float | None]) -> dict[str, list[float]]:
    groups: dict[str, list[float]] = defaultdict(list)
    for unit, number in zip(units, numbers, strict=True):
        if number is not None:
            groups[unit.treatment].append(number)
    return groups


def _counted(counts: dict[str, int]) -> str:
    if all(a == b for a, b in pairwise(counts.values())):
        return f"{next(iter(counts.values()))} units of each treatment"
    return "Units: " + ", ".join(f"{name} {n}" for name, n in counts.items())
