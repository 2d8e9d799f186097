"""What was seen as well: every other measure on one small ruler, in what units differ by; grouped, never a verdict."""

from collections.abc import Sequence
from dataclasses import dataclass

from eproba.web.verdict.findings import AlsoSeen

LEFT, RIGHT, MOST = 30.0, 400.0, 4.0
ROW, HEAD = 24.0, 30.0


@dataclass(frozen=True)
class AlsoLine:
    """One treatment of one measure in drawing units; `bar` None: nothing to draw."""

    letter: str
    y: float
    bar: tuple[float, float] | None
    at: float | None
    label: str


@dataclass(frozen=True)
class AlsoRuler:
    """Heads with their lines; `zero` is the control."""

    height: float
    zero: float
    heads: tuple[tuple[float, str], ...]
    lines: tuple[AlsoLine, ...]
    words: str


def also_ruler(also: Sequence[AlsoSeen]) -> AlsoRuler | None:
    """Lay all that was seen as well along one ruler; None where nothing of it could be judged."""
    measures = [measure for measure in also if measure.rows]
    if not measures:
        return None
    ends = [
        abs(x) for measure in measures for row in measure.rows for x in (row.gap, row.low, row.high) if x is not None
    ]
    reach = min(MOST, max([1.0, *ends]))

    def x(value: float) -> float:
        return round(LEFT + (RIGHT - LEFT) * (max(-reach, min(reach, value)) + reach) / (2 * reach), 1)

    heads, lines, y = [], [], 6.0
    for also_measure in measures:
        heads.append((y + 18, also_measure.name))
        y += HEAD
        for row in also_measure.rows:
            bar = None if row.low is None or row.high is None else (x(row.low), x(row.high))
            lines.append(AlsoLine(row.letter, y, bar, None if row.gap is None else x(row.gap), row.text))
            y += ROW
        y += 6
    words = "; ".join(
        f"{measure.name}: " + ", ".join(f"{row.letter} {row.text}" for row in measure.rows) for measure in measures
    )
    return AlsoRuler(y + 4, x(0), tuple(heads), tuple(lines), f"Seen as well. {words}.")
