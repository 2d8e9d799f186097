"""Tables of data (TOML, JSON) against the dataclasses that they become: wrong keys are refused by name."""

from collections.abc import Collection, Mapping
from dataclasses import MISSING, fields
from typing import Any


def check_keys(
    where: str, entry: Mapping[str, Any], table: type, error: type[ValueError], given: Collection[str] = ()
) -> None:
    """Raise `error` for keys that `table` does not know, or that it needs; `given` fields come from elsewhere."""
    known = {field.name: field for field in fields(table) if field.name not in given}
    if unknown := sorted(set(entry) - set(known)):
        raise error(f"{where}: unknown key {', '.join(unknown)}; known are {', '.join(known)}")
    needed = {n for n, f in known.items() if f.default is MISSING and f.default_factory is MISSING}
    if missing := sorted(needed - set(entry)):
        raise error(f"{where}: missing key {', '.join(missing)}")
