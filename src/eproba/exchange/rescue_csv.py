"""Entries that a device kept as a file, because the computer could not take them: read again as the entries they were.

Each row names its trial, its round and its measure by key, so that it goes where it belongs, whichever trial's page it
is brought in by; `Keeper.file` of static/keeper.js writes it.
"""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from eproba.exchange.table import TableError, TableRow, as_it_was, read_table

NEEDED = ("unit", "reading", "value", "read_at", "entry_id", "trial_key", "round_key", "measure_key")
TEXTS = {
    "id": "entry_id", "trial": "trial_key", "round": "round_key", "unit": "unit", "measure": "measure_key",
    "typed": "value", "skip": "skipped", "meter": "meter", "unit_of_value": "unit_of_value", "replaces": "replaces",
    "on": "read_on",
}  # fmt: skip
MARKS = ("again", "undo", "sure")


@dataclass(frozen=True)
class RescuedEntry:
    """One row: its line, the trial's name as the device knew it, and the entry as the device would send it."""

    line: int
    trial_name: str
    op: dict[str, Any]


def is_rescue(text: str) -> bool:
    """Whether the first line is that of such a file."""
    header = text.lstrip("\ufeff").split("\n", 1)[0].lower()
    return "entry_id" in header and "trial_key" in header


def read_rescue(raw: bytes) -> list[RescuedEntry]:
    """The entries of a file, in its order.

    Raises
    ------
    TableError
        It lacks a column, or a row has no moment or number where one must be.
    """
    return [_entry(row) for row in read_table(raw, NEEDED)]


def _entry(row: TableRow) -> RescuedEntry:
    cells = {name: as_it_was(text) for name, text in row.cells.items()}
    op: dict[str, Any] = {name: cells.get(column, "") for name, column in TEXTS.items()}
    op |= {name: True for name in MARKS if cells.get(name) == "yes"}
    op["replicate"], op["seen"] = _number(row, "reading", "1"), _number(row, "seen", "0")
    try:
        op["at"] = datetime.fromisoformat(cells["read_at"]).timestamp() * 1000
    except (ValueError, OverflowError) as error:
        raise TableError(f"“{cells['read_at']}” is no moment", row.line, "read_at") from error
    return RescuedEntry(row.line, cells.get("trial", ""), {name: value for name, value in op.items() if value != ""})


def _number(row: TableRow, column: str, usual: str) -> int:
    text = row.cells.get(column) or usual
    if not (text.isascii() and text.isdigit() and len(text) < 10):
        raise TableError(f"“{text}” is no number", row.line, column)
    return int(text)
