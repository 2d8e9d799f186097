"""All treatments on one ruler: ordered, the control at zero, the worth band, and a string round whom nobody can tell
apart."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import combinations

from eproba.core.judging.judgement import Comparison, Judgement
from eproba.core.judging.ranking import Ranking
from eproba.core.wording.sentences import Wording, band_text, gap_text, headline, outcome_of
from eproba.web.pictures.gap_ruler import ticks_between

LANE = 13.0  # between strings
KEPT_AT_THE_END = 7  # letters of a name
HALF_A_LABEL = 80.0  # of what stands over the band
WIDE_LABEL = 58.0  # of a tick
TO_THE_VALUE, WIDE_VALUE = 12.0, 84.0  # from a bar to its value, and the room that takes
ON_THE_LINE, UNDER_THE_BAR = 5.0, 26.0  # where the foot of a value stands, from the middle of its line down


@dataclass(frozen=True)
class RulerLayout:
    """Where the ruler lies in a drawing: its width, ends, rows; `name_y` from a row’s bar up to its name; `letters` of
    a name that fit. Strings take their room from the right end."""

    width: float
    left: float
    right: float
    row: float
    top: float
    name_y: float
    letters: int


WIDE = RulerLayout(1000, 190, 884, 46, 40, -5, 19)
NARROW = RulerLayout(360, 8, 354, 66, 52, 23, 24)  # names above their bars


@dataclass(frozen=True)
class Line:
    """One treatment: its letter and name, its bar and stake in drawing units, how far in words and where those stand,
    and what came out in a word or two."""

    letter: str
    name: str
    y: float
    bar: tuple[float, float] | None
    at: float | None
    label: str
    label_at: tuple[float, float, str]
    outcome: str
    control: bool

    def name_within(self, letters: int) -> str:
        """The name, its middle left out where it is too long: rungs of a ladder differ at their end."""
        if len(self.name) <= letters:
            return self.name
        return f"{self.name[: letters - KEPT_AT_THE_END - 1].rstrip()}…{self.name[-KEPT_AT_THE_END:]}"


@dataclass(frozen=True)
class SharedRuler:
    """Positions in drawing units; `strings`: from the first to the last of those not told apart, each in its lane."""

    height: float
    zero: float
    band: tuple[float, float] | None
    band_label: str
    band_middle: float
    lines: tuple[Line, ...]
    ticks: tuple[tuple[float, str], ...]
    strings: tuple[tuple[float, float, float], ...]
    words: str
    layout: RulerLayout


def shared_ruler(
    judgement: Judgement, letters: dict[str, str], wording: Wording, layout: RulerLayout = WIDE
) -> SharedRuler:
    """Lay all comparisons along one ruler."""
    names = ordered(judgement)
    tied = runs_not_told_apart(names, judgement.ranking)
    layout = replace(layout, right=layout.right - LANE * len(tied))
    left, right, row, top = layout.left, layout.right, layout.row, layout.top
    question, control = judgement.question, judgement.question.control
    by_order = _by_order(judgement)
    spans = {c.treatment: _span(c, by_order) for c in judgement.comparisons}
    ends = [end for span in spans.values() for end in span if end is not None]
    reach = [0.0, *ends, *([question.band, -question.band] if question.band else [])]
    low, high = min(reach), max(reach)
    wide = (high - low) or 1.0
    low, high = low - 0.05 * wide, high + 0.05 * wide

    def x(value: float) -> float:
        return round(left + (right - left) * (value - low) / (high - low), 1)

    def told(value: float) -> str:
        return f"{100 * (value + 0.5):.0f} of 100" if by_order else gap_text(value, judgement.question.scale, wording)

    place = {name: top + row * i + row / 2 for i, name in enumerate(names)}
    outcomes = {c.treatment: outcome_of(c) for c in judgement.comparisons}
    lines = []
    for name in names:
        gap, near, far = spans.get(name, (0.0, None, None))
        bar = None if near is None or far is None else (x(near), x(far))
        label = "" if name == control or gap is None else told(gap)
        middle = None if gap is None else x(gap)
        outcome = outcomes.get(name, "")
        at = _beside(bar, middle, layout)
        lines.append(Line(letters[name], name, place[name], bar, middle, label, at, outcome, name == control))
    if by_order:
        marks = [
            (percent / 100 - 0.5, f"{percent}") for percent in range(0, 101, 25) if low <= percent / 100 - 0.5 <= high
        ]
    else:
        marks = ticks_between(low, high, question.scale == "ratio")
    words = [f"{c.treatment}: {headline(c, judgement, wording.noun)}" for c in judgement.comparisons]
    return SharedRuler(
        height=top + row * len(names) + 34,
        zero=x(0),
        band=(x(-question.band), x(question.band)) if question.band and not by_order else None,
        band_label=band_text(judgement.question, wording),
        band_middle=min(max(x(0), left + HALF_A_LABEL), right - HALF_A_LABEL),
        lines=tuple(lines),
        ticks=_apart([(x(at), label) for at, label in marks], x(0)),
        strings=tuple(
            (place[first], place[last], round(right + LANE * (i + 0.7), 1)) for i, (first, last) in enumerate(tied)
        ),
        words=f"All treatments against {control}. {'; '.join(words)}.",
        layout=layout,
    )


def _apart(ticks: Sequence[tuple[float, str]], zero: float) -> tuple[tuple[float, str], ...]:
    """Those whose labels have room, from zero outwards."""
    kept: list[tuple[float, str]] = []
    for at, label in sorted(ticks, key=lambda tick: abs(tick[0] - zero)):
        if all(abs(at - other) >= WIDE_LABEL for other, _ in kept):
            kept.append((at, label))
    return tuple(sorted(kept))


def _beside(bar: tuple[float, float] | None, middle: float | None, layout: RulerLayout) -> tuple[float, float, str]:
    """Where a value stands, how far below its line, and by which end: right of its bar where there is room, else left
    of it; under a bar that leaves no room at all, beside its stake."""
    near, far = bar or (middle or 0.0, middle or 0.0)
    if far + TO_THE_VALUE + WIDE_VALUE <= layout.right:
        return round(far + TO_THE_VALUE, 1), ON_THE_LINE, "start"
    if near - WIDE_VALUE >= layout.left:
        return round(near - TO_THE_VALUE, 1), ON_THE_LINE, "end"
    return round((middle or 0.0) + 2 * TO_THE_VALUE, 1), UNDER_THE_BAR, "start"


def ordered(judgement: Judgement) -> list[str]:
    """The treatments as seen, the best first, the control among them; those without a figure last."""
    spans = {c.treatment: _span(c, _by_order(judgement))[0] for c in judgement.comparisons}
    turn = -1 if judgement.question.lower_is_better else 1
    gaps = {name: gap for name, gap in spans.items() if gap is not None} | {judgement.question.control: 0.0}
    return [*sorted(gaps, key=lambda name: -turn * gaps[name]), *(name for name in spans if name not in gaps)]


def runs_not_told_apart(names: Sequence[str], ranking: Ranking | None) -> list[tuple[str, str]]:
    """The longest stretches of the order in which no pair is shown to differ: first and last of each."""
    if ranking is None:
        return []
    shown = {frozenset((pair.first, pair.second)) for pair in ranking.pairs if pair.shown}
    kept = [name for name in names if name in ranking.order]
    runs: list[tuple[int, int]] = []
    for start in range(len(kept)):
        end = start
        while end + 1 < len(kept) and not any(
            frozenset(pair) in shown for pair in combinations(kept[start : end + 2], 2)
        ):
            end += 1
        if end > start and (not runs or end > runs[-1][1]):
            runs.append((start, end))
    return [(kept[start], kept[end]) for start, end in runs]


def _by_order(judgement: Judgement) -> bool:
    """Whether chances are drawn and no gaps: one ruler has one scale."""
    return any(comparison.by_order for comparison in judgement.comparisons)


def _span(comparison: Comparison, by_order: bool) -> tuple[float | None, float | None, float | None]:
    """The gap with its interval; by order, how far the chance lies from one half."""
    order, carrying = comparison.order, comparison.carrying
    if by_order and order is not None:
        return order.chance - 0.5, order.low - 0.5, order.high - 0.5
    if carrying is None:
        return comparison.estimate, None, None
    return comparison.estimate, carrying.low_adjusted, carrying.high_adjusted
