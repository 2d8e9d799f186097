"""What is really added, treatment beside treatment: a small ruler each for water, carbon, nitrogen, cost, minutes."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from eproba.core.applying.comparing import SAFE_C, SMALL_C, Added
from eproba.core.words import figure
from eproba.web.ui.looks import Look

WIDTH, LEFT, RIGHT, ROW, HEAD = 470.0, 34.0, 118.0, 30.0, 46.0


@dataclass(frozen=True)
class LoadBar:
    """One treatment's bar: where it lies, its label; a range has `thin` from `low` on."""

    look: Look
    y: float
    length: float
    thin: float
    label: str


@dataclass(frozen=True)
class Ruler:
    """One small ruler: title, bars, marks (x, word), words for those who can't see it."""

    title: str
    height: float
    bars: tuple[LoadBar, ...]
    marks: tuple[tuple[float, str], ...]
    words: str


def added_rulers(treatments: Sequence[Added], looks: Mapping[str, Look], total: bool) -> tuple[Ruler, ...]:
    """The rulers, for one application or over the whole trial; cost only where every price is known."""
    rulers = [
        _ruler("Water", "L/m²", treatments, looks, lambda each: (each.water_l, each.water_l), total),
        _ruler("Easy carbon", "g/m²", treatments, looks, lambda each: (each.easy_carbon_g,) * 2, total, not total),
        _ruler("Nitrogen", "g/m²", treatments, looks, lambda each: each.nitrogen_g, total),
        _ruler("Minutes", "min", treatments, looks, lambda each: (each.minutes, each.minutes), total),
    ]
    if all(each.cost is not None for each in treatments):
        rulers.insert(3, _ruler("Cost", "/m²", treatments, looks, lambda each: (each.cost or 0.0,) * 2, total))
    return tuple(rulers)


def _ruler(
    title: str,
    unit: str,
    treatments: Sequence[Added],
    looks: Mapping[str, Look],
    value: Callable[[Added], tuple[float, float]],
    total: bool,
    yardstick: bool = False,
) -> Ruler:
    spans = [tuple(v * (each.applications if total else 1) for v in value(each)) for each in treatments]
    most = max([high for _, high in spans] + ([SAFE_C * 1.1] if yardstick else [1e-9])) or 1e-9
    scale = (WIDTH - LEFT - RIGHT) / most
    bars = tuple(
        LoadBar(
            looks[each.letter], HEAD + ROW * i, round(scale * low, 1), round(scale * high, 1), _label(low, high, unit)
        )
        for i, (each, (low, high)) in enumerate(zip(treatments, spans, strict=True))
    )
    marks = ((SMALL_C, "small"), (SAFE_C, "limit")) if yardstick else ()
    told = ", ".join(f"{each.name} {bar.label}" for each, bar in zip(treatments, bars, strict=True))
    placed = tuple((round(LEFT + scale * at, 1), word) for at, word in marks)
    return Ruler(title, HEAD + ROW * len(bars) + 6, bars, placed, f"{title}: {told}.")


def _label(low: float, high: float, unit: str) -> str:
    if high == 0:
        return "none"
    return f"{figure(high)} {unit}" if abs(high - low) < 1e-9 else f"{figure(low)}–{figure(high)} {unit}"
