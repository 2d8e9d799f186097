"""A CSV of units, ready to judge: columns unit, treatment, value, and block, row, column, baseline where present."""

from eproba.core.errors import EprobaError
from eproba.core.stats.series import CannotJudge, UnitValue
from eproba.core.words import parse_number
from eproba.exchange.table import TableError, TableRow, read_table

NEEDED = ("unit", "treatment", "value")


def read_units(raw: bytes) -> tuple[list[UnitValue], list[int]]:
    """The units and the file line of each.

    Raises
    ------
    TableError
        With line and column, where a cell can't be used.
    """
    rows = read_table(raw, NEEDED)
    if not rows:
        raise TableError("there is a header but no unit below it", 2)
    return [_unit(row) for row in rows], [row.line for row in rows]


def _unit(row: TableRow) -> UnitValue:
    cells = row.cells
    for name in ("unit", "treatment"):
        if not cells[name]:
            raise TableError(f"the {name} is missing", row.line, name)
    return UnitValue(
        unit=cells["unit"],
        treatment=cells["treatment"],
        value=_number(row, "value"),
        block=cells.get("block") or None,
        row=cells.get("row") or None,
        column=cells.get("column") or None,
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
    """Say of a refusal where in the file its cause stands."""
    line = lines[error.position] if error.position is not None else 1
    return TableError(str(error), line, error.field)
