"""The worth, value and scale together: the smallest difference worth having, or the margin that may be given away.

It is typed and said in percent on the ratio scale, kept as a fraction there, and in the measure's unit elsewhere. The
same holds for any other size on a scale (a noise, say).
"""

from dataclasses import dataclass

from eproba.core.measuring.measures import Measure
from eproba.core.stats.series import Scale
from eproba.core.stats.summaries import Summary
from eproba.core.words import figure, figure_or_whole, lower_first


def worth_unit(unit: str, summary: Summary) -> str:
    """The unit of a worth: the measure's own, by what counts of it."""
    if summary == "time_to":
        return "days"
    return f"{unit} a day".strip() if summary == "rate" else unit


def halves(measure: Measure, summary: Summary, level: float | None) -> tuple[str, str]:
    """The two halves of a sentence about a gap, more and less, by what counts of the measure."""
    name = lower_first(measure.name)
    if summary == "time_to":
        half = f"reached {figure_or_whole(level or 0.0)} {measure.unit}".strip() + f" of {name} {{gap}}"
        return f"{half} later", f"{half} earlier"
    if summary == "rate":
        return f"gained {{gap}} more of {name}", f"gained {{gap}} less of {name}"
    return measure.more, measure.less


def as_kept(typed: float, scale: Scale) -> float:
    """15 (%) → 0.15 on the ratio scale; in the unit it stays what it is."""
    return typed / 100 if scale == "ratio" else typed


def as_typed(kept: float, scale: Scale) -> float:
    """0.15 → 15 (%) on the ratio scale; the way back from `as_kept`."""
    return 100 * kept if scale == "ratio" else kept


@dataclass(frozen=True)
class Worth:
    """`size` as kept; None: any difference would do."""

    size: float | None
    scale: Scale

    @classmethod
    def from_typed(cls, number: float | None, scale: Scale) -> "Worth":
        return cls(None if number is None else as_kept(number, scale), scale)

    @property
    def typed(self) -> str:
        """As it is typed into a form; empty for any difference."""
        return "" if self.size is None else f"{as_typed(self.size, self.scale):g}"

    def words(self, unit: str, nothing: str = "") -> str:
        """“15 %”, “0.5 cm”, or `nothing` where any difference would do."""
        if self.size is None:
            return nothing
        if self.scale == "ratio":
            return f"{figure(as_typed(self.size, self.scale))} %"
        return f"{self.size:g} {one_of(unit) if self.size == 1 else unit}".strip()


def one_of(unit: str) -> str:
    """The unit as it stands behind a 1: worms are a worm, leaves a leaf; what is no noun stays."""
    if unit == "leaves":
        return "leaf"
    return unit[:-1] if len(unit) > 3 and unit.endswith("s") and not unit.endswith("ss") else unit


def kept_worth(shown: float | None, scale: Scale, summary: Summary, measure: Measure) -> float | None:
    """A worth as it goes on record: a difference in the unit of the record, a share or days as they are."""
    return shown if _without_unit(shown, scale, summary) else measure.conversion.apart_kept(shown or 0.0)


def shown_worth(kept: float | None, scale: Scale, summary: Summary, measure: Measure) -> float | None:
    """A worth of the record in the unit that its measure is shown in; the way back from `kept_worth`."""
    return kept if _without_unit(kept, scale, summary) else measure.conversion.apart_shown(kept or 0.0)


def _without_unit(size: float | None, scale: Scale, summary: Summary) -> bool:
    return size is None or scale == "ratio" or summary == "time_to"
