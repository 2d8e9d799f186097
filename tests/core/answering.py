"""Says what a call answers, in one line: figures to six digits, every field of what is a record, refusals in words."""

from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from datetime import date, datetime

import numpy as np

from eproba.core.errors import EprobaError
from eproba.core.quantities import Units

BRIEF = ("Recipe", "Ingredient", "Measure", "Treatment", "Unit")  # of these the name will do


def told(value):
    if isinstance(value, bool | np.bool_):
        return "yes" if value else "no"
    if isinstance(value, float):
        return "0" if abs(value) < 1e-12 else f"{value:.6g}"
    if isinstance(value, datetime):
        return f"{value:%d.%m. %H:%M}"
    if value is None or isinstance(value, str | int | date):
        return str(value)
    if isinstance(value, Units):
        return value.system
    if callable(value):
        return value.__name__
    if is_dataclass(value):
        if type(value).__name__ in BRIEF:
            return str(getattr(value, "key", None) or getattr(value, "letter", ""))
        return f"({' | '.join(told(getattr(value, field.name)) for field in fields(value))})"
    if isinstance(value, Mapping):
        return f"{{{', '.join(f'{told(key)}: {told(each)}' for key, each in value.items())}}}"
    return f"[{'; '.join(map(told, value.tolist() if isinstance(value, np.ndarray) else value))}]"


def line(function, *arguments, **more):
    """The call and its answer."""
    given = ", ".join([*map(told, arguments), *(f"{name} {told(value)}" for name, value in more.items())])
    try:
        answer = told(function(*arguments, **more))
    except EprobaError as error:
        answer = f"✗ {error}"
    return f"{function.__name__.strip('<>')} {given} → {answer}"
