"""A trial as a result for other gardens: its plan, lots and readings, without names, places, notes and pictures."""

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import date
from typing import Any

from eproba.store.packages import Table

UNTOLD = "not told"
# What says who, where, or anything in free words: emptied, wherever it stands.
EMPTIED = ("by", "made_by", "note", "photo", "laboratory", "mixed", "result", "meter", "typed", "label")
# What a judgement needs to be there, though not its words.
REPLACED = ("reason", "ended_reason", "lost_reason", "override", "otherwise")
# Tables that hold nothing but such.
DROPPED = ("measure_pictures", "batch_changes", "samples", "pictures", "left_out", "repeats")
ROUGH_SKIPS = "skipped"


def without_names(tables: Sequence[Table]) -> list[Table]:
    """The same tables with nothing in them that says who, where, or more than the plan and what was read."""
    (trial,) = next(table.rows for table in tables if table.name == "trials")
    return [replace(table, rows=_rows(table, str(trial["key"]))) for table in tables]


def _rows(table: Table, key: str) -> list[Mapping[str, Any]]:
    if table.name in DROPPED:
        return []
    return [_row(table.name, row, key) for row in table.rows]


def _row(table: str, row: Mapping[str, Any], key: str) -> dict[str, Any]:
    values = dict(row)
    for name in EMPTIED:
        if values.get(name):
            values[name] = None if name == "photo" else ""
    for name in REPLACED:
        if values.get(name):
            values[name] = UNTOLD
    if values.get("skip_reason"):
        values["skip_reason"] = ROUGH_SKIPS
    if table == "trials":
        values["name"] = _neutral(values)
        values["site"] = _nowhere(values["site"])
    if table == "batches":
        values |= {"name": "", "place": ""}
    for name in ("client_id", "old_client_id"):
        if values.get(name):
            values[name] = hashlib.sha256(f"{key}:{values[name]}".encode()).hexdigest()[:24]
    return values


def _neutral(trial: Mapping[str, Any]) -> str:
    """A name that says when, not where nor whose."""
    began = trial["start_on"]
    when = began if isinstance(began, date) else date.fromisoformat(str(began))
    return f"Another garden, {when:%B %Y} ({str(trial['fingerprint'])[:6] or str(trial['key'])[:6]})"


def _nowhere(site: Mapping[str, Any]) -> dict[str, Any]:
    """The ground by its shape alone."""
    places = [{**place, "name": f"Place {i}"} for i, place in enumerate(site["places"], start=1)]
    return {**site, "places": places, "north": 0.0}
