"""Units lost, as an outcome of its own: a treatment that kills is no gain, whatever the survivors gave.

References
----------
Fisher, R. A. (1935). The Design of Experiments (the exact test). Piaggio, G. et al. (2012). JAMA 308: what is asked to
be no worse is asked of the harm, too.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from eproba.core.judging.trust_line import TrustLine
from eproba.core.judging.verdicts import Verdict
from eproba.core.stats.series import UnitValue
from eproba.core.stats.shuffle import holm

ONE_IN_20, ONE_IN_10 = 0.05, 0.1
LOSS_MARGIN = 0.1  # of its units: so many more may be lost before nobody calls a treatment no worse (our own choice)
NO_HARM: tuple[Verdict, ...] = ("better_matters", "better", "better_trivial", "same", "no_worse")


@dataclass(frozen=True)
class Losses:
    """Units lost of a treatment beside those of the control; `p` by Fisher's exact test, `p_adjusted` among all."""

    lost: int
    of: int
    lost_control: int
    of_control: int
    p: float
    p_adjusted: float

    @property
    def excess(self) -> float:
        """The share that it lost more (negative: fewer)."""
        return self.lost / self.of - self.lost_control / self.of_control

    @property
    def shown(self) -> Literal["more", "fewer", ""]:
        """Whether it is shown to lose more units than the control, or fewer."""
        if self.p_adjusted > ONE_IN_20:
            return ""
        return "more" if self.excess > 0 else "fewer"

    @property
    def beyond_margin(self) -> bool:
        """So many more were lost that nobody can call it no worse."""
        return self.excess > LOSS_MARGIN + 1e-9


def losses_of(every: Sequence[UnitValue], control: str) -> dict[str, Losses]:
    """The losses of each treatment; empty where no unit was lost at all. What lives and was not read is not lost."""
    lost: dict[str, int] = {}
    dealt: dict[str, int] = {}
    for unit in every:
        dealt[unit.treatment] = dealt.get(unit.treatment, 0) + 1
        lost[unit.treatment] = lost.get(unit.treatment, 0) + (unit.value is None and not unit.unread)
    if not any(lost.values()):
        return {}
    others = [name for name in dealt if name != control]
    p_values = [
        fisher(dealt[name] - lost[name], lost[name], dealt[control] - lost[control], lost[control]) for name in others
    ]
    return {
        name: Losses(lost[name], dealt[name], lost[control], dealt[control], p, p if adjusted is None else adjusted)
        for name, p, adjusted in zip(others, p_values, holm(p_values), strict=True)
    }


def fisher(kept: int, lost: int, kept_control: int, lost_control: int) -> float:
    """Two-sided p of Fisher's exact test for a table of two by two; where lots fell in blocks it errs on the safe
    side."""
    of_control, of_treatment, gone = kept + lost, kept_control + lost_control, lost + lost_control

    def ways(k: int) -> int:
        return math.comb(of_control, k) * math.comb(of_treatment, gone - k)

    seen = ways(lost)
    possible = range(max(0, gone - of_treatment), min(of_control, gone) + 1)
    return sum(ways(k) for k in possible if ways(k) <= seen) / math.comb(of_control + of_treatment, gone)


def loss_lines(losses: Mapping[str, Losses], verdicts: Mapping[str, Verdict], no_worse: bool) -> list[TrustLine]:
    """What the losses let the verdicts say; `verdicts`: by the figures alone, by treatment."""
    lines = []
    for name, loss in losses.items():
        evidence = {
            "treatment": name, "lost": loss.lost, "of": loss.of, "control": loss.lost_control,
            "of_control": loss.of_control, "p": loss.p_adjusted,
        }  # fmt: skip
        harmless = verdicts.get(name) in NO_HARM
        if loss.shown == "more" and harmless:
            lines.append(TrustLine("lost by treatment", "cap", "lost more", evidence, "described", name))
        elif no_worse and loss.beyond_margin and harmless:
            lines.append(TrustLine("lost by treatment", "cap", "lost beyond the margin", evidence, "direction", name))
        elif loss.p * len(losses) <= ONE_IN_10:
            lines.append(TrustLine("lost by treatment", "caution", "lost unevenly", evidence, of=name))
    return lines
