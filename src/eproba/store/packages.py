"""A whole trial as plain tables: every row that hangs on it, with what it stands on, and its pictures as files."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, get_args, get_origin, get_type_hints

from sqlalchemy import Boolean, Date, DateTime, Float, Integer, LargeBinary, ScalarResult, true
from sqlalchemy import Column as Stored
from sqlalchemy.dialects.postgresql import JSONB
from sqlmodel import Session, SQLModel, col, select

from eproba.store.tables import (
    AmendmentRow,
    BatchChangeRow,
    BatchEventRow,
    BatchRow,
    CorrectionRow,
    DraftRow,
    GoneTrialRow,
    GuessRow,
    KitRow,
    LabelAnswerRow,
    LeftOutRow,
    LookRow,
    MeasurePictureRow,
    OwnMeasureRow,
    OwnRecipeRow,
    PictureRow,
    PourChangeRow,
    PourRow,
    PriceRow,
    ReadingRow,
    RepeatRow,
    RoundRow,
    SampleRow,
    SpareRunRow,
    TakingRow,
    TickRow,
    TreatmentRow,
    TrialMeasureRow,
    TrialRow,
    UnitEventRow,
    UnitRow,
    WeatherDayRow,
    WeatherRow,
)

Kind = Literal["integer", "number", "string", "boolean", "date", "datetime", "object", "array"]
FORMAT = "eproba-package-1"
# In the order in which they are put in: what is referred to comes first.
TABLES: Mapping[str, type[SQLModel]] = {
    "own_measures": OwnMeasureRow, "measure_pictures": MeasurePictureRow, "own_recipes": OwnRecipeRow,
    "trials": TrialRow, "treatments": TreatmentRow, "units": UnitRow, "measures": TrialMeasureRow, "rounds": RoundRow,
    "readings": ReadingRow, "repeats": RepeatRow, "corrections": CorrectionRow, "batches": BatchRow,
    "batch_events": BatchEventRow, "batch_changes": BatchChangeRow, "pours": PourRow, "pour_changes": PourChangeRow,
    "takings": TakingRow, "amendments": AmendmentRow, "spare_runs": SpareRunRow, "looks": LookRow,
    "left_out": LeftOutRow, "guesses": GuessRow, "label_answers": LabelAnswerRow,
    "unit_events": UnitEventRow, "samples": SampleRow, "pictures": PictureRow,
}  # fmt: skip
# What a whole garden has besides.
GARDEN: Mapping[str, type[SQLModel]] = {
    **TABLES, "drafts": DraftRow, "weather": WeatherRow, "weather_days": WeatherDayRow, "kit": KitRow,
    "prices": PriceRow, "ticks": TickRow, "gone_trials": GoneTrialRow,
}  # fmt: skip
KINDS: Mapping[type[Any], Kind] = {
    Boolean: "boolean", Integer: "integer", Float: "number", DateTime: "datetime", Date: "date", LargeBinary: "string",
}  # fmt: skip


@dataclass(frozen=True)
class Column:
    """One column; `needed`: it is never empty; `refers`: the table whose `id` it bears."""

    name: str
    kind: Kind
    needed: bool = False
    refers: str = ""


@dataclass(frozen=True)
class Table:
    """One table with its rows; `key`: the column that names a row."""

    name: str
    columns: Sequence[Column]
    rows: Sequence[Mapping[str, Any]]
    key: str = ""


def stored_columns(row: type[SQLModel]) -> list[Stored[Any]]:
    """The columns of a table as the database has them."""
    return list(row.__table__.columns)  # type: ignore[attr-defined]


def kind_of(row: type[SQLModel], column: Stored[Any]) -> Kind:
    """What a column holds, in the words of Table Schema."""
    if isinstance(column.type, JSONB):
        wanted = get_type_hints(row)[column.name]
        inner = [wanted, *get_args(wanted)]
        return "array" if any(get_origin(kind) is list for kind in inner) else "object"
    return next((kind for stored, kind in KINDS.items() if isinstance(column.type, stored)), "string")


def referred(column: Stored[Any]) -> str:
    """The table of a package that a column refers to; empty: none."""
    names = {row.__tablename__: name for name, row in TABLES.items()}
    return next((names.get(key.column.table.name, "") for key in column.foreign_keys), "")


def columns_of(name: str) -> list[Column]:
    """The columns of one table of a package."""
    row = GARDEN[name]
    return [
        Column(
            column.name,
            kind_of(row, column),
            not column.nullable and kind_of(row, column) not in ("string", "object", "array"),
            referred(column) if referred(column) and column.name != "key" else "",
        )
        for column in stored_columns(row)
    ]


def tables_of(session: Session, trials: Sequence[int]) -> tuple[list[Table], dict[str, bytes]]:
    """All tables of some trials, and their pictures by their path in the package."""
    return _tables(_rows(session, trials), TABLES)


def garden_tables(session: Session) -> tuple[list[Table], dict[str, bytes]]:
    """All tables of everything that is kept here, but for what lets somebody in (devices, links, tokens)."""
    every = {name: _all(session, row, true()) for name, row in GARDEN.items()}
    return _tables(every, GARDEN)


def _tables(
    rows: Mapping[str, Sequence[SQLModel]], kinds: Mapping[str, type[SQLModel]]
) -> tuple[list[Table], dict[str, bytes]]:
    files: dict[str, bytes] = {}
    tables = []
    for name, row in kinds.items():
        plain = [_plain(name, row, files) for row in rows[name]]
        key = "id" if "id" in row.model_fields else ""
        tables.append(Table(name, columns_of(name), plain, key))
    return tables, files


def _plain(name: str, row: SQLModel, files: dict[str, bytes]) -> dict[str, Any]:
    """A row by its columns; bytes become a file."""
    values: dict[str, Any] = {}
    for column in stored_columns(GARDEN[name]):
        value = getattr(row, column.name)
        if isinstance(value, bytes):
            path = f"{name.replace('_', '-')}/{getattr(row, 'id', None) or getattr(row, 'key', '')}.jpg"
            files[path] = value
            value = path
        values[column.name] = value
    return values


def _rows(session: Session, trials: Sequence[int]) -> dict[str, list[SQLModel]]:
    rows: dict[str, list[SQLModel]] = {}
    for name, row in TABLES.items():
        if "trial_id" in row.model_fields:
            rows[name] = _all(session, row, col(row.trial_id).in_(trials))  # type: ignore[attr-defined]
    rows["trials"] = _all(session, TrialRow, col(TrialRow.id).in_(trials))
    rows["corrections"] = _of(session, CorrectionRow, CorrectionRow.reading_id, _ids(rows["readings"]))
    rows["pour_changes"] = _of(session, PourChangeRow, PourChangeRow.pour_id, _ids(rows["pours"]))
    batches = {b for pour in rows["pours"] for b in (pour.batch_id, pour.other_batch_id) if b}  # type: ignore[attr-defined]
    rows["batches"] = _of(session, BatchRow, BatchRow.id, batches)
    rows["batch_events"] = _of(session, BatchEventRow, BatchEventRow.batch_id, batches)
    rows["batch_changes"] = _of(session, BatchChangeRow, BatchChangeRow.batch_id, batches)
    rows["takings"] = [_own_pour(taking, _ids(rows["pours"])) for taking in _takings(session, batches)]
    keys = {measure.measure_key for measure in rows["measures"]}  # type: ignore[attr-defined]
    rows["own_measures"] = _of(session, OwnMeasureRow, OwnMeasureRow.key, keys)
    rows["measure_pictures"] = _of(session, MeasurePictureRow, MeasurePictureRow.key, keys)
    recipes = {treatment.recipe for treatment in rows["treatments"]}  # type: ignore[attr-defined]
    rows["own_recipes"] = _of(session, OwnRecipeRow, OwnRecipeRow.key, recipes)
    return rows


def _takings(session: Session, batches: Iterable[int]) -> list[TakingRow]:
    return list(session.exec(select(TakingRow).where(col(TakingRow.batch_id).in_(set(batches))).order_by("id")))


def _own_pour(row: TakingRow, pours: Iterable[Any]) -> TakingRow:
    """What another trial took of the same brew stays a taking, by nobody's pour."""
    if row.pour_id in set(pours):
        return row
    return TakingRow(**{**row.model_dump(), "pour_id": None})


def _ids(rows: Iterable[Any]) -> set[int]:
    return {row.id for row in rows}


def _of(session: Session, row: type[SQLModel], column: Any, values: Iterable[Any]) -> list[SQLModel]:
    return _all(session, row, col(column).in_(set(values)))


def _all(session: Session, row: type[SQLModel], where: Any) -> list[SQLModel]:
    first = next(iter(row.__table__.primary_key.columns))  # type: ignore[attr-defined]
    rows: ScalarResult[SQLModel] = session.scalars(select(row).where(where).order_by(first))
    return list(rows)
