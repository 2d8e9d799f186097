"""Numbers as people type them, and as they are shown."""

import math
import re

_PLAIN = re.compile(r"[+\-−]?(\d+([.,]\d*)?|[.,]\d+)([eE][+\-]?\d+)?", re.ASCII)


def parse_number(text: str) -> float:
    """Read a number with a decimal point or comma.

    Raises
    ------
    ValueError
        Text, several separators (1,234.5 may mean two things), or a number too large to hold.
    """
    cleaned = text.strip().replace("\u00a0", "").replace(" ", "")
    if not _PLAIN.fullmatch(cleaned):
        raise ValueError(f"“{text.strip()}” is not a number; write it like 12.5 or 12,5")
    number = float(cleaned.replace(",", ".").replace("−", "-"))
    if not math.isfinite(number):
        raise ValueError(f"“{text.strip()}” is too large")
    return number


def figure(number: float, decimals: int | None = None) -> str:
    """A number for reading: fixed decimals where the measure has them, else two significant figures or more."""
    if decimals is None:
        size = abs(number)
        decimals = 0 if size >= 10 or size == 0 else 1 if size >= 1 else 2 if size >= 0.1 else 3
    shown = f"{abs(number):.{decimals}f}"
    return f"−{shown}" if number < 0 and float(shown) else shown


def one_in(p: float) -> str:
    """A chance as gardeners say it: 1 in 20."""
    if p >= 0.995:
        return "nearly always"
    if p > 0.3:
        return f"{100 * p:.0f} in 100"
    return (
        f"1 in {1 / p:.0f}" if p >= 0.0005 else f"1 in {float(f'{1 / p:.1g}'):,.0f}".replace(",", " ") if p else "never"
    )
