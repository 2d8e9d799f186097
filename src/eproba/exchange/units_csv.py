"""A CSV of units, ready to judge: columns unit, treatment, value, and block, row, column, baseline where present."""

import math
import unicodedata
from collections.abc import Sequence

from eproba.core.errors import EprobaError
from eproba.core.stats.series import CannotJudge, Kind, UnitValue
from eproba.core.words import parse_number
from eproba.exchange.table import TableError, TableRow, read_table

NOT_YET = "not yet"
NEEDED = ("unit", "treatment", "value")


def read_units(raw: bytes, kind: Kind = "quantity") -> tuple[list[UnitValue], list[int]]:
    """The units and the file line of each; of days, “not yet” is a value too.

    Raises
    ------
    TableError
        With line and column, where a cell can't be used.
    """
    rows = read_table(raw, NEEDED)
    if not rows:
        raise TableError("there is a header but no unit below it", 2)
    _check_case(rows)
    return [_unit(row, kind) for row in rows], [row.line for row in rows]


def label(text: str) -> str:
    """A name as it is compared: letters with their marks in one way (composed), one space between words."""
    return " ".join(unicodedata.normalize("NFC", text).split())


def _check_case(rows: Sequence[TableRow]) -> None:
    """Two treatments whose names differ in capitals alone, or are one number written in two ways (1.1 and 1.100), are
    a question, not a guess. Raises TableError."""
    seen: dict[str, str] = {}
    for row in rows:
        name = label(row.cells["treatment"])
        other = seen.setdefault(_as_meant(name), name)
        if other != name:
            how = "differ in capitals alone" if other.casefold() == name.casefold() else "are one number"
            text = f"“{other}” and “{name}” {how}: write them alike, or give one another name"
            raise TableError(text, row.line, "treatment")


def _as_meant(name: str) -> str:
    """What two ways of writing a name have in common."""
    try:
        return f"{float(name.replace(',', '.')):.12g}"
    except ValueError:
        return name.casefold()


def _unit(row: TableRow, kind: Kind) -> UnitValue:
    cells = row.cells
    for name in ("unit", "treatment"):
        if not cells[name]:
            raise TableError(f"the {name} is missing", row.line, name)
    return UnitValue(
        unit=label(cells["unit"]),
        treatment=label(cells["treatment"]),
        value=math.inf if kind == "day" and cells["value"].casefold() == NOT_YET else _number(row, "value"),
        block=label(cells.get("block", "")) or None,
        row=label(cells.get("row", "")) or None,
        column=label(cells.get("column", "")) or None,
        baseline=_number(row, "baseline"),
    )


def _number(row: TableRow, name: str) -> float | None:
    text = row.cells.get(name, "")
    if not text:
        return None
    try:
        return parse_number(text)
    except EprobaError as error:
        raise TableError(str(error), row.line, name) from error


def located(error: CannotJudge, lines: list[int]) -> TableError:
    """Say of a refusal where in the file its cause stands; what was asked stands in no file."""
    if error.position is None and error.field in ("worth", "scale"):
        return TableError(str(error))
    line = lines[error.position] if error.position is not None else 1
    return TableError(str(error), line, error.field)
