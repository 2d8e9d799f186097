"""Tables of data (TOML, JSON) against the dataclasses that they become: wrong keys and values are refused by name."""

import functools
from collections.abc import Collection, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import MISSING, dataclass, fields
from typing import TYPE_CHECKING, Any, get_type_hints

from eproba.core.words import lower_first

if TYPE_CHECKING:
    from pydantic import GetCoreSchemaHandler, TypeAdapter
    from pydantic_core import CoreSchema

_shipped = ContextVar("shipped", default=False)


@contextmanager
def as_shipped() -> Iterator[None]:
    """Within it values are taken as they stand: of files that come with Eproba, since a test has checked those."""
    token = _shipped.set(True)
    try:
        yield
    finally:
        _shipped.reset(token)


@dataclass(frozen=True)
class Allowed:
    """What a value may be beside its type, in the words of pydantic, which is loaded only when something is checked."""

    gt: float | None = None
    ge: float | None = None
    le: float | None = None
    min_length: int | None = None
    max_length: int | None = None
    strict: bool | None = None
    allow_inf_nan: bool | None = None

    def __get_pydantic_core_schema__(self, source: type, handler: "GetCoreSchemaHandler") -> "CoreSchema":
        return {**handler(source), **{name: limit for name, limit in vars(self).items() if limit is not None}}


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
    nothing is taken for what it could be turned into. Not so within `as_shipped`."""
    if _shipped.get():
        return
    from pydantic import ValidationError

    for name, value in values.items():
        try:
            _shapes(table)[name].validate_python(value, strict=strict)
        except ValidationError as wrong:
            first = wrong.errors(include_url=False)[0]
            place = " ".join([name, *(str(part + 1) if isinstance(part, int) else part for part in first["loc"])])
            shown = repr(first["input"])[:60]
            raise error(f"{where}: {place} can’t be {shown}: {lower_first(str(first['msg']))}") from wrong
