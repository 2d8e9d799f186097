"""A CSV of trials of one question: columns trial, gap, se, all on one scale; and what they say together."""

import json
from dataclasses import asdict, dataclass

from eproba.core.errors import EprobaError
from eproba.core.stats.combining import Combined, one_more
from eproba.core.words import figure, parse_number
from eproba.exchange.table import TableError, TableRow, read_table
from eproba.exchange.units_csv import label

NEEDED = ("trial", "gap", "se")


@dataclass(frozen=True)
class TrialGap:
    """One trial: its name, its gap, and the standard error of that."""

    trial: str
    gap: float
    se: float


def read_gaps(raw: bytes) -> list[TrialGap]:
    """The trials of a file.

    Raises
    ------
    TableError
        With line and column, where a cell can't be used, or a trial stands there twice.
    """
    rows = read_table(raw, NEEDED)
    if not rows:
        raise TableError("there is a header but no trial below it", 2)
    seen: dict[str, int] = {}
    for row in rows:
        name = label(row.cells["trial"]).casefold()
        if not name:
            raise TableError("the trial’s name is missing", row.line, "trial")
        if name in seen:
            text = f"“{row.cells['trial']}” stands in line {seen[name]} already: a trial counts once"
            raise TableError(text, row.line, "trial")
        seen[name] = row.line
    return [TrialGap(label(row.cells["trial"]), _number(row, "gap"), _error(row)) for row in rows]


def _error(row: TableRow) -> float:
    error = _number(row, "se")
    if error <= 0:
        text = "a standard error is above 0; leave out a trial that has none (one unit of each, say)"
        raise TableError(text, row.line, "se")
    return error


def _number(row: TableRow, name: str) -> float:
    try:
        return parse_number(row.cells[name])
    except EprobaError as error:
        raise TableError(str(error), row.line, name) from error


def combined_json(combined: Combined, if_alike: tuple[float, float] | None = None) -> str:
    """All figures as JSON text; null for what does not exist. `if_alike`: the joint gap if gardens scatter by no more
    than about the worth."""
    content = asdict(combined) if if_alike is None else {**asdict(combined), "supposed": if_alike}
    return json.dumps(content, indent=2, allow_nan=False)


def combined_text(combined: Combined, if_alike: tuple[float, float] | None = None) -> str:
    """The same for reading."""
    lines = [f"{combined.k} trial{'s' if combined.k > 1 else ''}, gap {figure(combined.estimate)}"]
    lines[0] += f", standard error {figure(combined.se)}"
    if combined.low is None or combined.high is None:
        return f"{lines[0]}.\nOne trial alone: nothing to put together; its own interval is what its verdict tells."
    lines.append(f"On the whole, likely between {figure(combined.low)} and {figure(combined.high)} (95 %).")
    lines.append(f"From garden to garden the true gap differs by about {figure(combined.tau or 0.0)} (an SD).")
    if combined.prediction_low is None or combined.prediction_high is None:
        lines.append("Two trials: look at them side by side; where a next garden would lie, three or more can tell.")
    else:
        span = f"{figure(combined.prediction_low)} to {figure(combined.prediction_high)}"
        lines.append(f"In another garden, expect anything from {span} (95 %).")
    lines.append(f"One more trial like these takes the span to about {100 * one_more(combined.k):.0f} % of this one.")
    if if_alike is not None:
        low, high = map(figure, if_alike)
        text = f"If gardens differ by no more than about the worth, it is likely between {low} and {high}"
        lines.append(f"{text}: a supposition.")
    return "\n".join(lines)
