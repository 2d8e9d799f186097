"""Tables of data (TOML, JSON) against the dataclasses that they become: wrong keys and values are refused by name."""

import functools
from collections.abc import Collection, Mapping
from dataclasses import MISSING, fields
from typing import TYPE_CHECKING, Any, get_type_hints

from eproba.core.words import lower_first

if TYPE_CHECKING:
    from pydantic import TypeAdapter


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


@functools.cache
def _shapes(table: type) -> dict[str, "TypeAdapter[Any]"]:
    """What each field of a dataclass may hold, by its type and the bounds in it."""
    from pydantic import TypeAdapter  # here, since judging must not wait for it

    return {name: TypeAdapter(kind) for name, kind in get_type_hints(table, include_extras=True).items()}


def check_values(
    where: str, values: Mapping[str, Any], table: type, error: type[ValueError], strict: bool | None = None
) -> None:
    """Raise `error` for the first value whose type, sign or size its field does not allow, naming the field; `strict`:
    nothing is taken for what it could be turned into."""
    from pydantic import ValidationError

    for name, value in values.items():
        try:
            _shapes(table)[name].validate_python(value, strict=strict)
        except ValidationError as wrong:
            first = wrong.errors(include_url=False)[0]
            place = " ".join([name, *(str(part + 1) if isinstance(part, int) else part for part in first["loc"])])
            shown = repr(first["input"])[:60]
            raise error(f"{where}: {place} can’t be {shown}: {lower_first(str(first['msg']))}") from wrong
