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
import zlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import IO, Any

from eproba import VERSION
from eproba.core.errors import EprobaError
from eproba.exchange.limits import MOST_BYTES, MOST_CELLS_OF_PACKAGE, MOST_FILES, MOST_PACKAGE_BYTES, megabytes
from eproba.exchange.seal import SEAL, Seal, seal_of, sealed
from eproba.exchange.strict_json import strict_json
from eproba.exchange.table import as_it_was, inert
from eproba.store.packages import Column, Table

DESCRIPTOR = "datapackage.json"
BLOCK = 1 << 20
BROKEN = (zipfile.BadZipFile, zipfile.LargeZipFile, NotImplementedError, RuntimeError, OSError, EOFError, zlib.error)


class PackageError(EprobaError):
    """A file that is no data package of ours; the message says what to do."""


@dataclass(frozen=True)
class Package:
    """The make, the rows of each table, files by their path; `changed`: tables that are not as they were written;
    `seal`: what its signature says."""

    format: str
    tables: Mapping[str, Sequence[Mapping[str, Any]]]
    files: Mapping[str, bytes]
    changed: tuple[str, ...] = ()
    seal: Seal = field(default_factory=lambda: Seal("unsigned"))


def write_package(
    title: str, name: str, format_: str, tables: Sequence[Table], files: Mapping[str, bytes], written_at: datetime,
    private_key: bytes,
) -> bytes:  # fmt: skip
    """A ZIP with the descriptor, a CSV for each table, the files, and the seal of the garden's own key."""
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
            "files": {path: _digest(content) for path, content in files.items()},
        }
        text = json.dumps(descriptor, ensure_ascii=False, indent=1)
        package.writestr(DESCRIPTOR, text)
        package.writestr(SEAL, sealed(private_key, text.encode()))
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


class _Files(Mapping[str, bytes]):
    """The files of an open package, each unpacked when it is asked for, so that never all are in memory."""

    def __init__(self, package: zipfile.ZipFile, entries: Mapping[str, zipfile.ZipInfo]) -> None:
        self._package, self._entries = package, entries

    def __getitem__(self, path: str) -> bytes:
        return _unpacked(self._package, self._entries[path])

    def __iter__(self) -> Iterator[str]:
        return iter(self._entries)

    def __len__(self) -> int:
        return len(self._entries)


def read_package(raw: bytes | IO[bytes]) -> Package:
    """A package as it was written, cells as values by the kinds that its descriptor tells.

    Parameters
    ----------
    raw : the file, or its bytes; an open file must stay open while `files` are asked for.

    Raises
    ------
    PackageError
        No ZIP, no descriptor, one of another make, a table or a cell that can't be read, more than fits.
    """
    try:
        package = zipfile.ZipFile(io.BytesIO(raw) if isinstance(raw, bytes) else raw)
        entries = _entries(package)
        if DESCRIPTOR not in entries:
            raise PackageError(f"This ZIP holds no {DESCRIPTOR}: choose the file that “Data package” gave.")
        text = _unpacked(package, entries.pop(DESCRIPTOR))
        seal = _unpacked(package, entries.pop(SEAL)) if SEAL in entries else None
        descriptor = _descriptor(text)
        tables, changed = _tables(package, entries, descriptor)
        same = not changed and _same_files(package, entries, descriptor)
    except BROKEN as error:
        raise PackageError("This is no data package: choose the .zip that “Data package” gave.") from error
    files = _Files(package, entries)
    return Package(str(descriptor.get("format", "")), tables, files, changed, seal_of(seal, text, same))


def _entries(package: zipfile.ZipFile) -> dict[str, zipfile.ZipInfo]:
    """The parts by their path. What is unpacked of one is never more than it says, so what they say is counted."""
    entries = [entry for entry in package.infolist() if not entry.is_dir()]
    if len(entries) > MOST_FILES or sum(entry.file_size for entry in entries) > MOST_PACKAGE_BYTES:
        raise PackageError(f"This package is too large: up to {megabytes(MOST_PACKAGE_BYTES)} fit.")
    if len({entry.filename for entry in entries}) < len(entries):
        raise PackageError("This package holds a file twice: ask for it again.")
    return {entry.filename: entry for entry in entries}


def _unpacked(package: zipfile.ZipFile, entry: zipfile.ZipInfo, most: int = MOST_BYTES) -> bytes:
    if entry.file_size > most:
        raise PackageError(f"{entry.filename} is too large: up to {megabytes(MOST_BYTES)} of it can be read.")
    return package.read(entry)


def _tables(
    package: zipfile.ZipFile, entries: dict[str, zipfile.ZipInfo], descriptor: Mapping[str, Any]
) -> tuple[dict[str, list[dict[str, Any]]], tuple[str, ...]]:
    """The rows of all tables, together no more than can be read, and the tables that are not as they were written."""
    tables: dict[str, list[dict[str, Any]]] = {}
    changed, left, cells = [], MOST_BYTES, MOST_CELLS_OF_PACKAGE
    for resource in descriptor["resources"]:
        name, path = str(resource.get("name", "")).replace("-", "_"), str(resource.get("path", ""))
        if path not in entries:
            raise PackageError(f"The package lacks {path}, which its {DESCRIPTOR} names.")
        raw = _unpacked(package, entries.pop(path), left)
        left -= len(raw)
        tables[name] = _rows(path, raw, _kinds(resource), cells)
        cells -= sum(map(len, tables[name][:1])) * len(tables[name])
        if resource.get("hash", _digest(raw)) != _digest(raw):
            changed.append(name)
    return tables, tuple(changed)


def _same_files(
    package: zipfile.ZipFile, entries: Mapping[str, zipfile.ZipInfo], descriptor: Mapping[str, Any]
) -> bool:
    """Whether the files are those that the descriptor names, none more, none less, each as it was."""
    described = descriptor.get("files")
    if not isinstance(described, dict) or set(described) != set(entries):
        return False
    for path, entry in entries.items():
        digest = hashlib.sha256()
        with package.open(entry) as file:
            while block := file.read(BLOCK):
                digest.update(block)
        if described[path] != f"sha256:{digest.hexdigest()}":
            return False
    return True


def _descriptor(text: bytes) -> dict[str, Any]:
    try:
        descriptor = strict_json(text)
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


def _rows(path: str, raw: bytes, kinds: Mapping[str, str], most: int) -> list[dict[str, Any]]:
    """The rows of a table, in all no more than `most` cells."""
    rows: list[dict[str, Any]] = []
    try:
        reader = csv.reader(io.StringIO(raw.decode("utf-8-sig"), newline=""))
        header = next(reader, [])
        readers = [READERS.get(kinds.get(name, "string"), as_it_was) for name in header]
        for cells in reader:
            if len(rows) * len(header) > most:
                raise PackageError(f"{path} holds too many rows to be read at once.")
            padded = cells if len(cells) == len(header) else [*cells, *[""] * len(header)][: len(header)]
            rows.append(
                {name: read(cell) if cell else None for name, read, cell in zip(header, readers, padded, strict=True)}
            )
    except PackageError:
        raise
    except (ValueError, csv.Error, RecursionError) as error:
        raise PackageError(f"{path}, line {len(rows) + 2}: it can’t be read ({error}).") from error
    return rows


def _truth(cell: str) -> bool:
    if cell not in ("true", "false"):
        raise ValueError(f"“{cell}” is neither true nor false")
    return cell == "true"


READERS: Mapping[str, Callable[[str], Any]] = {
    "integer": int, "number": float, "boolean": _truth, "date": date.fromisoformat,
    "datetime": datetime.fromisoformat, "object": strict_json, "array": strict_json,
}  # fmt: skip
