"""Whether a treatment pays: what a unit more costs than the control’s, beside what it gained, with its range."""

from dataclasses import dataclass
from math import exp

from eproba.core.judging.judgement import Comparison
from eproba.core.judging.verdicts import Verdict
from eproba.core.stats.series import Scale
from eproba.core.trial.model import Trial

GRAMS = 1000.0
NOT_SHOWN: tuple[Verdict, ...] = ("seen_not_shown",)


@dataclass(frozen=True)
class Gain:
    """Kilograms gained by a unit: likely, and the ends of the verdict’s interval."""

    likely: float
    low: float
    high: float


@dataclass(frozen=True)
class Pays:
    """What one treatment cost beyond the control, a unit; `gain` None: the measure has no weight, or no range.

    `break_even`: the kilograms a unit that pay for it, at what a kilogram is worth (None: no worth was said, or it
    costs no more); `share`: the same as a share of what the control’s units brought.
    """

    more: float
    gain: Gain | None = None
    break_even: float | None = None
    share: float | None = None

    @property
    def a_kilo(self) -> tuple[float, float, float | None] | None:
        """What a kilogram gained cost: likely, at the least, at the most (None: it may have gained nothing)."""
        if self.gain is None or self.more <= 0 or self.gain.high <= 0 or self.gain.likely <= 0:
            return None
        most = self.more / self.gain.low if self.gain.low > 0 else None
        return self.more / self.gain.likely, self.more / self.gain.high, most

    @property
    def answer(self) -> bool | None:
        """Whether it is shown to pay (True), or not to (False); None: the range holds the break-even."""
        if self.gain is None or self.break_even is None:
            return None
        if self.gain.low > self.break_even:
            return True
        return False if self.gain.high < self.break_even else None


def is_weighed(trial: Trial) -> bool:
    """Whether a gap of its first measure is so many grams of a unit: no rate, no area, no day."""
    return trial.asked[0].measure.unit == "g" and trial.summary in ("last", "change")


def gain_of(comparison: Comparison, scale: Scale, control_mean: float | None, lower_is_better: bool) -> Gain | None:
    """The gain of a unit in kilograms, of a measure in grams; `control_mean` in grams, for a gap in percent."""
    figures = comparison.carrying
    if comparison.verdict in NOT_SHOWN or lower_is_better or comparison.estimate is None or figures is None:
        return None
    if scale == "ratio" and control_mean is None:
        return None
    gaps = (comparison.estimate, figures.low_adjusted, figures.high_adjusted)
    return Gain(*((gap if scale == "difference" else (control_mean or 0.0) * (exp(gap) - 1)) / GRAMS for gap in gaps))


def pays(more: float, gain: Gain | None, worth_a_kilo: float | None, control_mean: float | None) -> Pays:
    """Put cost and gain beside each other; `worth_a_kilo` of what is picked, `control_mean` in grams a unit."""
    if not worth_a_kilo or more <= 0:
        return Pays(more, gain)
    needed = more / worth_a_kilo
    return Pays(more, gain, needed, needed * GRAMS / control_mean if control_mean else None)
