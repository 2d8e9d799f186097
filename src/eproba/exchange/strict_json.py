"""JSON from outside: numbers that are numbers, texts that can be kept."""

import json
from typing import Any, NoReturn


def strict_json(text: str | bytes) -> Any:
    """What JSON says. Raises ValueError where it is none, names NaN or infinity, or holds a text that can't be kept."""
    content = json.loads(text, parse_constant=_no_number)
    _must_be_kept(content)
    return content


def _no_number(name: str) -> NoReturn:
    raise ValueError(f"{name} is no number")


def _must_be_kept(content: Any) -> None:
    """Every text is one: no half of a sign, no NUL; every number is finite and fits."""
    if isinstance(content, dict):
        for name, part in content.items():
            _must_be_kept(name)
            _must_be_kept(part)
    elif isinstance(content, list):
        for part in content:
            _must_be_kept(part)
    elif isinstance(content, str):
        content.encode()
        if "\0" in content:
            raise ValueError("a text holds a sign that can’t be kept")
    elif isinstance(content, int | float) and not abs(content) < 1e300:
        raise ValueError("a number is far too large")
