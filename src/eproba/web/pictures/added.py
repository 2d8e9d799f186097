"""What is really added, treatment beside treatment: a small ruler each for water, carbon, nitrogen, cost, minutes."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial

from eproba.core.applying.comparing import SAFE_C, SMALL_C, Added
from eproba.core.quantities import METRIC, Amount, Units, conversion
from eproba.core.words import figure
from eproba.web.ui.looks import Look

Span = tuple[float, float]
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


def added_rulers(
    treatments: Sequence[Added], looks: Mapping[str, Look], total: bool, units: Units = METRIC
) -> tuple[Ruler, ...]:
    """The rulers, for one application or over the whole trial; cost only where every price is known."""
    water, grams = partial(_told_as, "L/m²", units), partial(_told_as, "g/m²", units)
    how = conversion("m²", units.system)
    rulers = [
        _ruler("Water", water, treatments, looks, lambda added: (added.water_l,) * 2, total),
        _ruler("Easy carbon", grams, treatments, looks, lambda added: (added.easy_carbon_g,) * 2, total, not total),
        _ruler("Nitrogen", grams, treatments, looks, lambda added: added.nitrogen_g, total),
        _ruler("Minutes", partial(_plain, ""), treatments, looks, lambda added: (added.minutes, added.minutes), total),
    ]
    if all(treatment.cost is not None for treatment in treatments):
        a_square = partial(_plain, f"/{how.unit}")
        cost = _ruler("Cost", a_square, treatments, looks, lambda added: (_cost(added, how.factor),) * 2, total)
        rulers.insert(3, cost)
    return tuple(rulers)


def _ruler(
    title: str,
    say: Callable[[Sequence[Span]], tuple[list[str], str]],
    treatments: Sequence[Added],
    looks: Mapping[str, Look],
    value: Callable[[Added], Span],
    total: bool,
    yardstick: bool = False,
) -> Ruler:
    times = [treatment.applications if total else 1 for treatment in treatments]
    spans = [(n * value(treatment)[0], n * value(treatment)[1]) for n, treatment in zip(times, treatments, strict=True)]
    most = max([high for _, high in spans] + ([SAFE_C * 1.1] if yardstick else [1e-9])) or 1e-9
    scale = (WIDTH - LEFT - RIGHT) / most
    labels, unit = say(spans)
    bars = tuple(
        LoadBar(looks[treatment_.letter], HEAD + ROW * i, round(scale * low, 1), round(scale * high, 1), label)
        for i, (treatment_, (low, high), label) in enumerate(zip(treatments, spans, labels, strict=True))
    )
    marks = ((SMALL_C, "small"), (SAFE_C, "limit")) if yardstick else ()
    words = ", ".join(f"{treatment.name} {bar.label}" for treatment, bar in zip(treatments, bars, strict=True))
    placed = tuple((round(LEFT + scale * at, 1), word) for at, word in marks)
    named = f"{title}, {unit}" if unit else title
    return Ruler(named, HEAD + ROW * len(bars) + 6, bars, placed, f"{named}: {words}.")


def _cost(treatment: Added, squares: float) -> float:
    """Of one of the household's squares of ground; `squares`: how many of them a square metre is."""
    return (treatment.cost or 0.0) / squares


def _told_as(unit: str, units: Units, spans: Sequence[Span]) -> tuple[list[str], str]:
    """Labels in one unit of the household's, and that unit."""
    labels, name = units.together([Amount.of(float(f"{a:.2g}"), unit, float(f"{b:.2g}")) for a, b in spans])
    return _nothing_said(spans, labels), name


def _plain(unit: str, spans: Sequence[Span]) -> tuple[list[str], str]:
    return _nothing_said(spans, [figure(high) for _, high in spans]), unit


def _nothing_said(spans: Sequence[Span], labels: Sequence[str]) -> list[str]:
    return [label if high else "none" for (_, high), label in zip(spans, labels, strict=True)]
