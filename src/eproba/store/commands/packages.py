"""Whole trials taken in from a data package: new numbers for all rows, the same keys, nothing written over."""

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, get_args, get_origin, get_type_hints

from sqlalchemy import delete, insert, update
from sqlalchemy.exc import SQLAlchemyError
from sqlmodel import Session, SQLModel, col, select

from eproba.core.errors import EprobaError
from eproba.core.trial.declaration import fingerprint
from eproba.core.trial.model import Trial
from eproba.core.trial.whole import EARLIEST, NotWhole, must_be_whole
from eproba.store.packages import FORMAT, GARDEN, kind_of, referred, stored_columns
from eproba.store.readings import all_readings
from eproba.store.tables import BatchEventRow, BatchRow, TakingRow, TrialRow
from eproba.store.trials import load_trial, trial_with_key

Rows = Sequence[Mapping[str, Any]]
BY_KEY = ("own_measures", "measure_pictures", "own_recipes")  # what a garden may have already: its own stays
WITH_PICTURES = ("measure_pictures", "pictures", "batch_events")
AT_ONCE = (5000, 10)  # rows of one statement, without and with pictures, which are large
ONE_EACH = ("weather", "weather_days", "kit", "prices")  # likewise, by the day or for good


class PackageRefused(EprobaError):
    """A package that can't be taken in; the message says why. Nothing was written."""


@dataclass(frozen=True)
class Taken:
    """What came in: the numbers that its trials have here, and the names of those that were here already."""

    trials: tuple[int, ...]
    here_already: tuple[str, ...] = ()


def take_package(
    session: Session, format_: str, tables: Mapping[str, Rows], files: Mapping[str, bytes],
    changed: Sequence[str] = (), seal: Mapping[str, str] | None = None,
) -> Taken:  # fmt: skip
    """Put whole trials in, one or all of a garden; those that are here already stay as they are here.

    Parameters
    ----------
    changed : tables that were changed after the file was written: the trials bear that mark from now on.
    seal : what its signature says, by “seal” and “garden”; kept with the trials.

    Raises
    ------
    PackageRefused
        Of another make, without a trial, with none that is not here already, or with rows that can't be.
    """
    if format_ != FORMAT:
        raise PackageRefused(f"This package is of another make ({format_ or 'not told'}); {FORMAT} can be taken in.")
    trials = tables.get("trials", [])
    if not trials:
        raise PackageRefused("This package holds no trial.")
    present = [trial for trial in trials if trial_with_key(session, str(trial.get("key"))) is not None]
    names = tuple(str(trial.get("name")) for trial in present)
    if len(present) == len(trials):
        words = f"“{names[0]}” is" if len(names) == 1 else f"All {len(names)} trials of this package are"
        raise PackageRefused(f"{words} in this garden already: delete it first, or look at it.")
    try:
        with session.begin_nested():
            fresh = _without(_with_prices(tables), {trial.get("id") for trial in present})
            return Taken(_put_in(session, fresh, files, changed, seal or {}), names)
    except (SQLAlchemyError, KeyError, TypeError, ValueError, OverflowError, AttributeError) as error:
        if isinstance(error, EprobaError):
            raise
        raise PackageRefused("Rows of this package don’t fit together: ask for the file again.") from error


def _with_prices(tables: Mapping[str, Rows]) -> Mapping[str, Rows]:
    """The tables of an older garden, whose prices stood with its kit and bore no day: they hold from ever."""
    kit = tables.get("kit", [])
    if not kit or "prices" in tables or not isinstance(kit[0].get("prices"), dict):
        return tables
    prices = [{"what": what, "on": EARLIEST, "value": float(value)} for what, value in kit[0]["prices"].items()]
    return {**tables, "prices": prices}


def _without(tables: Mapping[str, Rows], trials: Collection[Any]) -> dict[str, Rows]:
    """The tables without what hangs on some trials."""
    gone = {name: {row.get("id") for row in rows if row.get("trial_id") in trials} for name, rows in tables.items()}
    owner = {"corrections": ("reading_id", "readings"), "pour_changes": ("pour_id", "pours")}
    kept: dict[str, Rows] = {}
    for name, rows in tables.items():
        column, table = owner.get(name, ("trial_id", ""))
        lost = gone.get(table, set()) if table else trials
        which = "id" if name == "trials" else column
        kept[name] = [row for row in rows if row.get(which) is None or row.get(which) not in lost]
    lost = gone.get("pours", set())
    if "takings" in kept:
        kept["takings"] = [row for row in kept["takings"] if row.get("pour_id") is None or row["pour_id"] not in lost]
    return kept


def _put_in(
    session: Session, tables: Mapping[str, Rows], files: Mapping[str, bytes], changed: Sequence[str],
    seal: Mapping[str, str],
) -> tuple[int, ...]:  # fmt: skip
    numbers: dict[str, dict[int, int]]
    same = _same_batches(session, tables)
    _let_go(session, tables.get("takings", []), same)
    tables, numbers = _without_batches(tables, same), {}
    for name, row in GARDEN.items():
        fresh = _unknown(session, name, tables.get(name, []))
        numbers[name] = {}
        at_once = AT_ONCE[name in WITH_PICTURES]
        for start in range(0, len(fresh), at_once):
            part = fresh[start : start + at_once]
            rows = [_values(name, row, fresh_row, numbers, files) for fresh_row in part]
            numbers[name] |= _inserted(session, name, row, rows, [row.get("id") for row in part])
        if name == "batches":
            numbers[name] |= same
    session.flush()
    for trial_id in numbers["trials"].values():
        trial = _built(session, trial_id)
        marks = [*trial.changed_files, *changed, *([] if _as_declared(trial) else ["declaration"])]
        if not marks and seal.get("seal") == "changed":
            marks = ["signature"]
        marked = {"changed": [name.replace("_", " ") for name in dict.fromkeys(marks)]} if marks else {}
        session.exec(update(TrialRow).where(col(TrialRow.id) == trial_id).values(came={**marked, **seal} or None))
    return tuple(numbers["trials"].values())


def _built(session: Session, trial_id: int) -> Trial:
    """What was put in as a core object, all of whose parts fit together; what can’t be read is never kept."""
    try:
        trial = load_trial(session, trial_id)
        if trial is None or not trial.asked:
            raise PackageRefused("This package holds a trial without measures.")
        must_be_whole(trial, all_readings(session, trial_id))
    except NotWhole as error:
        raise PackageRefused(f"A trial of this package can’t be. {error}") from error
    return trial


def _as_declared(trial: Trial) -> bool:
    """Whether the declared plan is still what its fingerprint is of."""
    declared = trial.declared
    return declared is None or fingerprint(declared.facts) == declared.fingerprint


def _unknown(session: Session, name: str, rows: Rows) -> Rows:
    """Rows that this garden lacks: what it knows by the same key stays its own."""
    row_class: Any = GARDEN[name]
    keys = ("key",) if name in BY_KEY else tuple(column.name for column in row_class.__table__.primary_key.columns)
    if name not in (*BY_KEY, *ONE_EACH):
        return rows
    known = set(session.exec(select(*(getattr(row_class, key) for key in keys))))
    return [row for row in rows if (row[keys[0]] if len(keys) == 1 else tuple(row[key] for key in keys)) not in known]


def _same_batches(session: Session, tables: Mapping[str, Rows]) -> dict[int, int]:
    """Brews of the package that are here already, with all their events: their numbers there and here."""
    of_package = _told_batches(tables.get("batches", []), tables.get("batch_events", []))
    if not of_package:
        return {}
    rows, events = (
        [row.model_dump() for row in session.exec(select(table))]
        for table in (BatchRow, BatchEventRow)
    )  # fmt: skip
    of_garden = {batch_facts: number for number, batch_facts in _told_batches(rows, events).items()}
    return {number: of_garden[batch_facts] for number, batch_facts in of_package.items() if batch_facts in of_garden}


def _let_go(session: Session, takings: Rows, same: Mapping[int, int]) -> None:
    """What a deleted trial took of a brew that is still here comes in again with its pour: not twice."""
    for taking in takings:
        if taking["pour_id"] and taking["batch_id"] in same:
            where = (col(TakingRow.batch_id) == same[taking["batch_id"]], col(TakingRow.pour_id).is_(None))
            taken = (col(TakingRow.at) == taking["at"], col(TakingRow.litres) == taking["litres"])
            session.exec(delete(TakingRow).where(*where, *taken))


def _told_batches(batches: Rows, events: Rows) -> dict[int, tuple[object, ...]]:
    """Each brew by all that is known of it."""
    happened: dict[Any, list[tuple[object, ...]]] = {}
    for event in events:
        happened.setdefault(event["batch_id"], []).append((event["at"], event["what"]))
    return {
        batch["id"]: (batch["recipe"], batch["name"] or "", batch["litres"], batch["place"] or "", *sorted(
            happened.get(batch["id"], []), key=str
        ))
        for batch in batches
    }  # fmt: skip


def _without_batches(tables: Mapping[str, Rows], same: Collection[int]) -> dict[str, Rows]:
    """The tables without brews that are here already; what their own pours took of them comes along."""
    kept = dict(tables)
    for name, column in (("batches", "id"), ("batch_events", "batch_id"), ("batch_changes", "batch_id")):
        kept[name] = [row for row in tables.get(name, []) if row.get(column) not in same]
    kept["takings"] = [row for row in tables.get("takings", []) if row["pour_id"] or row.get("batch_id") not in same]
    return kept


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
    options = [part for part in (wanted, *get_args(wanted)) if get_origin(part) is Literal]
    if options and value is not None and value not in get_args(options[0]):
        raise PackageRefused(f"{table}: “{value}” is no {column}.")


def _picture(files: Mapping[str, bytes], path: str) -> bytes:
    if not files.get(path, b"").startswith(b"\xff\xd8"):
        raise PackageRefused(f"The package lacks the picture {path}, or it is no JPEG.")
    return files[path]


def _inserted(
    session: Session, name: str, row: type[SQLModel], rows: list[dict[str, Any]], old: Sequence[Any]
) -> dict[int, int]:
    """Rows put in; their old numbers with the new ones. Raises PackageRefused where the database can’t hold one."""
    try:
        if "id" not in row.model_fields:
            session.connection().execute(insert(row), rows)
            return {}
        put = insert(row).returning(row.id, sort_by_parameter_order=True)  # type: ignore[attr-defined]
        new = session.scalars(put, rows).all()
    except SQLAlchemyError as error:
        text = f"A row of its table “{name.replace('_', ' ')}” can’t be kept"
        raise PackageRefused(f"{text}: a value is too large or of another kind, or it stands there twice.") from error
    return {int(before): now for before, now in zip(old, new, strict=False) if before is not None}
