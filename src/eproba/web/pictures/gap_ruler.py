"""The gap ruler: zero, the worth band, the interval, and every unit as a dot."""

import math
from collections.abc import Callable
from dataclasses import dataclass

from eproba.core.judging.judgement import Comparison, Judgement
from eproba.core.judging.verdicts import percent
from eproba.core.wording.sentences import Wording, band_text, gap_text

WIDTH, PAD = 760.0, 46.0


@dataclass(frozen=True)
class Spot:
    """A dot: one unit."""

    x: float
    y: float
    title: str


@dataclass(frozen=True)
class GapRuler:
    """Positions in drawing units; what does not exist is None."""

    zero: float
    band: tuple[float, float] | None
    band_label: str
    interval: tuple[float, float] | None
    estimate: float
    treated: tuple[Spot, ...]
    control: tuple[Spot, ...]
    ticks: tuple[tuple[float, str], ...]
    words: str


def gap_ruler(comparison: Comparison, judgement: Judgement, wording: Wording) -> GapRuler:
    """Lay one comparison along its ruler."""
    question = judgement.question
    gap = comparison.estimate or 0.0
    interval = None
    if comparison.carrying is not None:
        interval = (comparison.carrying.low_adjusted, comparison.carrying.high_adjusted)
    reach = [0.0, gap, *(interval or ()), *(dot.gap for dot in comparison.dots)]
    reach += [question.band, -question.band] if question.band else []
    low, high = min(reach), max(reach)
    spread: float = (high - low) or 1.0
    low, high = low - 0.04 * spread, high + 0.04 * spread

    def x(value: float) -> float:
        return float(round(PAD + (WIDTH - 2 * PAD) * (value - low) / (high - low), 1))

    def text(value: float) -> str:
        return gap_text(value, judgement.question.scale, wording)

    treated = [dot for dot in comparison.dots if dot.treatment == comparison.treatment]
    control = [dot for dot in comparison.dots if dot.treatment != comparison.treatment]
    ends = (text(interval[0]), text(interval[1])) if interval else None
    words = f"Gap {text(gap)}" + (f", likely between {ends[0]} and {ends[1]}" if ends else ", no interval")
    return GapRuler(
        zero=x(0),
        band=(x(-question.band), x(question.band)) if question.band else None,
        band_label=band_text(judgement.question, wording),
        interval=(x(interval[0]), x(interval[1])) if interval else None,
        estimate=x(gap),
        treated=_spots([(d.gap, d.unit) for d in treated], x, text),
        control=_spots([(d.gap, d.unit) for d in control], x, text),
        ticks=tuple((x(at), label) for at, label in ticks_between(low, high, question.scale == "ratio")),
        words=words + ".",
    )


def _spots(
    dots: list[tuple[float, str]], x: Callable[[float], float], text: Callable[[float], str]
) -> tuple[Spot, ...]:
    """Dots that would hide each other step aside in three lanes."""
    spots: list[Spot] = []
    lanes = [-1e9, -1e9, -1e9]
    for gap, unit in sorted(dots):
        at = x(gap)
        lane = next((i for i, last in enumerate(lanes) if at - last >= 13), lanes.index(min(lanes)))
        lanes[lane] = at
        spots.append(Spot(at, lane * 9.0, f"{unit}: {text(gap)}"))
    return tuple(spots)


def ticks_between(low: float, high: float, ratio: bool) -> list[tuple[float, str]]:
    """Round numbers along the ruler; percent on the ratio scale, where the ruler itself is in logs."""
    first, last = (percent(low), percent(high)) if ratio else (low, high)
    raw = (last - first) / 6
    power = 10.0 ** math.floor(math.log10(raw))
    step = next(m * power for m in (1, 2, 5, 10) if m * power >= raw)
    marks = [k * step for k in range(math.ceil(first / step), math.floor(last / step) + 1)]
    decimals = max(0, -math.floor(math.log10(step)))
    sign = " %" if ratio else ""
    return [
        (math.log1p(mark / 100) if ratio else mark, f"{mark:+.{decimals}f}{sign}".replace("-", "−") if mark else "0")
        for mark in marks
    ]
