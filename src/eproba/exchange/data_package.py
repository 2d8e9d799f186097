"""A data package: tables as CSV files with a `datapackage.json` that describes them (Table Schema), and files beside.

References
----------
Walsh, P. & Pollock, R. (2017). Data Package; Table Schema. Frictionless Data specifications, version 1.
"""

import csv
import hashlib
import io
import json
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from eproba import VERSION
from eproba.core.errors import EprobaError
from eproba.exchange.table import as_it_was, inert
from eproba.store.packages import Column, Table

DESCRIPTOR = "datapackage.json"
MOST_BYTES, MOST_FILES = 1_000_000_000, 20_000


class PackageError(EprobaError):
    """A file that is no data package of ours; the message says what to do."""


@dataclass(frozen=True)
class Package:
    """The make, the rows of each table, files by their path; `changed`: tables that are not as they were written."""

    format: str
    tables: Mapping[str, Sequence[Mapping[str, Any]]]
    files: Mapping[str, bytes]
    changed: tuple[str, ...] = ()


def write_package(
    title: str, name: str, format_: str, tables: Sequence[Table], files: Mapping[str, bytes], written_at: datetime
) -> bytes:
    """A ZIP with the descriptor, a CSV for each table, and the files."""
    out = io.BytesIO()
    written = {table.name: _csv(table).encode() for table in tables}
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as package:
        descriptor = {
            "profile": "data-package",
            "name": name,
            "title": title,
            "created": written_at.isoformat(timespec="seconds"),
            "format": format_,
            "made_with": f"Eproba {VERSION}",
            "resources": [_resource(table, written[table.name]) for table in tables],
        }
        package.writestr(DESCRIPTOR, json.dumps(descriptor, ensure_ascii=False, indent=1))
        for table in tables:
            package.writestr(_path(table.name), written[table.name])
        for path, content in files.items():
            package.writestr(zipfile.ZipInfo(path), content)  # pictures are packed already
    return out.getvalue()


def _path(table: str) -> str:
    return f"data/{table.replace('_', '-')}.csv"


def _digest(raw: bytes) -> str:
    return f"sha256:{hashlib.sha256(raw).hexdigest()}"


def _resource(table: Table, written: bytes) -> dict[str, Any]:
    fields = [
        {"name": column.name, "type": column.kind, **({"constraints": {"required": True}} if column.needed else {})}
        for column in table.columns
    ]
    refers = [
        {"fields": column.name, "reference": {"resource": column.refers.replace("_", "-"), "fields": "id"}}
        for column in table.columns
        if column.refers
    ]
    schema: dict[str, Any] = {"fields": fields, "missingValues": [""]}
    if table.key:
        schema["primaryKey"] = [table.key]
    if refers:
        schema["foreignKeys"] = refers
    return {
        "name": table.name.replace("_", "-"), "path": _path(table.name), "profile": "tabular-data-resource",
        "format": "csv", "mediatype": "text/csv", "encoding": "utf-8", "schema": schema,
        "bytes": len(written), "hash": _digest(written),
    }  # fmt: skip


def _csv(table: Table) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([column.name for column in table.columns])
    for row in table.rows:
        writer.writerow([_cell(column, row[column.name]) for column in table.columns])
    return out.getvalue()


def _cell(column: Column, value: Any) -> str:
    if value is None:
        return ""
    if column.kind in ("object", "array"):
        return json.dumps(value, ensure_ascii=False, allow_nan=False)
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, datetime):
        return value.isoformat()
    if isinstance(value, date):
        return value.isoformat()
    if column.kind == "string":
        return inert(str(value))
    return repr(value) if isinstance(value, float) else str(value)


def read_package(raw: bytes) -> Package:
    """A package as it was written, cells as values by the kinds that its descriptor tells.

    Raises
    ------
    PackageError
        No ZIP, no descriptor, one of another make, a table or a cell that can't be read.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(raw)) as package:
            entries = package.infolist()
            if len(entries) > MOST_FILES or sum(entry.file_size for entry in entries) > MOST_BYTES:
                raise PackageError("This package is too large: up to 1 GB fits.")
            content = {entry.filename: package.read(entry) for entry in entries if not entry.is_dir()}
    except (zipfile.BadZipFile, zipfile.LargeZipFile, NotImplementedError, RuntimeError, OSError) as error:
        raise PackageError("This is no data package: choose the .zip that “Data package” gave.") from error
    descriptor = _descriptor(content)
    tables, changed = {}, []
    for resource in descriptor["resources"]:
        name, path = str(resource.get("name", "")).replace("-", "_"), str(resource.get("path", ""))
        if path not in content:
            raise PackageError(f"The package lacks {path}, which its {DESCRIPTOR} names.")
        tables[name] = list(_rows(path, content[path], _kinds(resource)))
        if resource.get("hash", _digest(content[path])) != _digest(content[path]):
            changed.append(name)
    known = {DESCRIPTOR, *(str(resource.get("path", "")) for resource in descriptor["resources"])}
    files = {path: data for path, data in content.items() if path not in known}
    return Package(str(descriptor.get("format", "")), tables, files, tuple(changed))


def _descriptor(content: Mapping[str, bytes]) -> dict[str, Any]:
    if DESCRIPTOR not in content:
        raise PackageError(f"This ZIP holds no {DESCRIPTOR}: choose the file that “Data package” gave.")
    try:
        descriptor = json.loads(content[DESCRIPTOR])
    except (ValueError, RecursionError) as error:
        raise PackageError(f"Its {DESCRIPTOR} can’t be read: it is no JSON.") from error
    resources = descriptor.get("resources") if isinstance(descriptor, dict) else None
    if not isinstance(resources, list) or not all(isinstance(resource, dict) for resource in resources):
        raise PackageError(f"Its {DESCRIPTOR} names no tables.")
    return dict(descriptor)


def _kinds(resource: Mapping[str, Any]) -> dict[str, str]:
    schema = resource.get("schema")
    fields = schema.get("fields") if isinstance(schema, dict) else None
    if not isinstance(fields, list):
        raise PackageError(f"Its {DESCRIPTOR} tells no columns of {resource.get('name')}.")
    return {str(field.get("name")): str(field.get("type")) for field in fields if isinstance(field, dict)}


def _rows(path: str, raw: bytes, kinds: Mapping[str, str]) -> Iterator[dict[str, Any]]:
    try:
        reader = csv.DictReader(io.StringIO(raw.decode("utf-8-sig"), newline=""))
        for row in reader:
            yield {
                name: _value(kinds.get(name, "string"), cell or "") for name, cell in row.items() if name is not None
            }
    except (ValueError, csv.Error, RecursionError) as error:
        raise PackageError(f"{path}, line {reader.line_num}: it can’t be read ({error}).") from error


def _value(kind: str, cell: str) -> Any:
    """A cell as its value; an empty one is nothing. Raises ValueError."""
    if cell == "":
        return None
    if kind == "integer":
        return int(cell)
    if kind == "number":
        return float(cell)
    if kind == "boolean":
        return _truth(cell)
    if kind == "date":
        return date.fromisoformat(cell)
    if kind == "datetime":
        return datetime.fromisoformat(cell)
    if kind in ("object", "array"):
        return json.loads(cell)
    return as_it_was(cell)


def _truth(cell: str) -> bool:
    if cell not in ("true", "false"):
        raise ValueError(f"“{cell}” is neither true nor false")
    return cell == "true"
