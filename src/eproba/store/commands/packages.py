"""A whole trial taken in from a data package: new numbers for all its rows, the same keys, nothing written over."""

import math
from collections.abc import Mapping, Sequence
from typing import Any, Literal, get_args, get_origin, get_type_hints

from sqlalchemy import insert
from sqlalchemy.exc import DataError, IntegrityError, StatementError
from sqlmodel import Session, SQLModel, select

from eproba.core.errors import EprobaError
from eproba.store.packages import FORMAT, TABLES, kind_of, referred, stored_columns
from eproba.store.readings import all_readings
from eproba.store.trials import load_trial, trial_with_key

Rows = Sequence[Mapping[str, Any]]
BY_KEY = ("own_measures", "measure_pictures", "own_recipes")  # what a garden may have already: its own stays


class PackageRefused(EprobaError):
    """A package that can't be taken in; the message says why. Nothing was written."""


def take_package(session: Session, format_: str, tables: Mapping[str, Rows], files: Mapping[str, bytes]) -> int:
    """Put a whole trial in; returns its number here.

    Raises
    ------
    PackageRefused
        Of another make, not just one trial, one that is here already, or rows that can't be.
    """
    if format_ != FORMAT:
        raise PackageRefused(f"This package is of another make ({format_ or 'not told'}); {FORMAT} can be taken in.")
    trials = tables.get("trials", [])
    if len(trials) != 1:
        raise PackageRefused(f"A package brings one trial; this one holds {len(trials)}.")
    there = trial_with_key(session, str(trials[0].get("key")))
    if there is not None:
        raise PackageRefused(f"“{trials[0].get('name')}” is in this garden already: delete it first, or look at it.")
    try:
        with session.begin_nested():
            return _put_in(session, tables, files)
    except (DataError, IntegrityError, StatementError, KeyError, TypeError, ValueError) as error:
        if isinstance(error, EprobaError):
            raise
        raise PackageRefused(f"A row of this package can’t be: {str(error).splitlines()[0][:160]}.") from error


def _put_in(session: Session, tables: Mapping[str, Rows], files: Mapping[str, bytes]) -> int:
    numbers: dict[str, dict[int, int]] = {}
    for name, row in TABLES.items():
        fresh = _unknown(session, name, tables.get(name, []))
        rows = [_values(name, row, each, numbers, files) for each in fresh]
        numbers[name] = _inserted(session, row, rows, [each.get("id") for each in fresh])
    (trial_id,) = numbers["trials"].values()
    session.flush()
    trial = load_trial(session, trial_id)
    if trial is None or not trial.units or not trial.rounds or not trial.asked:
        raise PackageRefused("This package holds a trial without units, rounds or measures.")
    all_readings(session, trial_id)  # read once, so that what can’t be read is never kept
    return trial_id


def _unknown(session: Session, name: str, rows: Rows) -> Rows:
    """Rows that this garden lacks: what it knows by the same key stays its own."""
    if name not in BY_KEY:
        return rows
    here: Any = TABLES[name]
    known = set(session.exec(select(here.key)))
    return [each for each in rows if each.get("key") not in known]


def _values(
    name: str, row: type[SQLModel], given: Mapping[str, Any], numbers: Mapping[str, Mapping[int, int]],
    files: Mapping[str, bytes],
) -> dict[str, Any]:  # fmt: skip
    """A row for this database: its own number left out, those it refers to as they are here."""
    hints = get_type_hints(row)
    values: dict[str, Any] = {}
    for column in stored_columns(row):
        if column.name == "id":
            continue
        value, refers = given.get(column.name), referred(column)
        if value is None and not column.nullable and kind_of(row, column) == "string":
            value = ""
        if refers and column.name != "key" and value is not None:
            value = numbers[refers][value]
        if column.name in ("jpeg", "photo") and value is not None:
            value = _picture(files, str(value))
        if isinstance(value, float) and not math.isfinite(value):
            raise PackageRefused(f"{name}: {column.name} is no number.")
        _check_word(name, column.name, hints[column.name], value)
        values[column.name] = value
    return values


def _check_word(table: str, column: str, wanted: Any, value: Any) -> None:
    """One of a few words is one of them."""
    options = [each for each in (wanted, *get_args(wanted)) if get_origin(each) is Literal]
    if options and value is not None and value not in get_args(options[0]):
        raise PackageRefused(f"{table}: “{value}” is no {column}.")


def _picture(files: Mapping[str, bytes], path: str) -> bytes:
    if not files.get(path, b"").startswith(b"\xff\xd8"):
        raise PackageRefused(f"The package lacks the picture {path}, or it is no JPEG.")
    return files[path]


def _inserted(session: Session, row: type[SQLModel], rows: list[dict[str, Any]], old: Sequence[Any]) -> dict[int, int]:
    """Rows put in; their old numbers with the new ones."""
    if not rows:
        return {}
    if "id" not in row.model_fields:
        session.connection().execute(insert(row), rows)
        return {}
    put = insert(row).returning(row.id, sort_by_parameter_order=True)  # type: ignore[attr-defined]
    new = session.scalars(put, rows).all()
    return {int(before): now for before, now in zip(old, new, strict=False) if before is not None}
