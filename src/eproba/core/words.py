"""Numbers, dates and words as people type them, and as they are shown."""

import math
import re
from collections.abc import Sequence
from datetime import date

from eproba.core.errors import EprobaError

_PLAIN = re.compile(r"[+\-−]?(\d+([.,]\d*)?|[.,]\d+)([eE][+\-]?\d+)?", re.ASCII)


class NumberError(EprobaError):
    """Text that is no number; the message says how to write one."""


class DateError(EprobaError):
    """Text that is no date; the message says how to write one."""


def parse_number(text: str) -> float:
    """Read a number with a decimal point or comma.

    Raises
    ------
    NumberError
        Text, several separators (1,234.5 may mean two things), or a number too large to hold.
    """
    cleaned = text.strip().replace("\u00a0", "").replace(" ", "")
    if not _PLAIN.fullmatch(cleaned):
        raise NumberError(f"“{text.strip()}” is not a number; write it like 12.5 or 12,5")
    number = float(cleaned.replace(",", ".").replace("−", "-"))
    if not math.isfinite(number):
        raise NumberError(f"“{text.strip()}” is too large")
    return number


def figure(number: float, decimals: int | None = None) -> str:
    """A number for reading: fixed decimals where the measure has them, else two significant figures or more."""
    if decimals is None:
        size = float(f"{number:.1e}".lstrip("-"))  # as it will be read: 9.99 is a 10, not a 10.0
        decimals = 0 if size >= 10 or size < 0.0005 else 1 if size >= 1 else 2 if size >= 0.1 else 3
    shown = f"{abs(number):.{decimals}f}"
    return f"−{shown}" if number < 0 and float(shown) else shown


def figure_or_whole(number: float) -> str:
    """A whole number as such, else with up to four figures."""
    whole = abs(number - round(number)) < 1e-9 or abs(number) >= 1000
    return f"{number:.0f}" if whole else f"{number:.4g}"


def exact(number: float) -> str:
    """A number with all its digits, for files and for fields that it is typed in again."""
    return f"{number:.15g}"


def one_in(p: float) -> str:
    """A chance as gardeners say it: 1 in 20."""
    if p >= 0.995:
        return "nearly always"
    if p > 0.3:
        return f"{100 * p:.0f} in 100"
    return (
        f"1 in {1 / p:.0f}" if p >= 0.0005 else f"1 in {float(f'{1 / p:.1g}'):,.0f}".replace(",", " ") if p else "never"
    )


_YEAR_FIRST = re.compile(r"(\d{4})[-/](\d{1,2})[-/](\d{1,2})(T[\d:.]+)?", re.ASCII)
_DOTTED = re.compile(r"(\d{1,2})\.(\d{1,2})\.(\d{4}|\d{2})", re.ASCII)
_SLASHED = re.compile(r"(\d{1,2})[/-](\d{1,2})[/-](\d{4})", re.ASCII)
_NAMED = re.compile(r"(\d{1,2}) ([A-Za-z]{3,9}) (\d{4})", re.ASCII)
_MONTHS = ("january", "february", "march", "april", "may", "june", "july", "august", "september", "october",
           "november", "december")  # fmt: skip


def parse_date(text: str) -> date:
    """A date as people write it: 2026-05-31, 31.5.2026, 31/5/2026, 31 May 2026.

    Raises
    ------
    DateError
        No date, or one that can be read two ways (03/04/2026).
    """
    cleaned = text.strip()
    try:
        year, month, day = _date_parts(cleaned)
        return date(year, month, day)
    except ValueError as error:
        if isinstance(error, DateError):
            raise
        raise DateError(f"“{cleaned[:40]}” is no date; write it as 2026-05-31") from error


def _date_parts(text: str) -> tuple[int, int, int]:
    if match := _YEAR_FIRST.fullmatch(text):
        return int(match[1]), int(match[2]), int(match[3])
    if match := _DOTTED.fullmatch(text):
        return int(match[3]) + (2000 if len(match[3]) == 2 else 0), int(match[2]), int(match[1])
    if match := _NAMED.fullmatch(text):
        months = [i for i, name in enumerate(_MONTHS, 1) if match[2].lower() in (name, name[:3])]
        return int(match[3]), (months or [0])[0], int(match[1])
    if match := _SLASHED.fullmatch(text):
        first, second = int(match[1]), int(match[2])
        if first <= 12 and second <= 12 and first != second:
            raise DateError(f"“{text}” can be read two ways; write it as year-month-day")
        return (int(match[3]), first, second) if second > 12 else (int(match[3]), second, first)
    raise DateError(f"“{text[:40]}” is no date; write it as 2026-05-31")


def day_words(on: date) -> str:
    """Wed 27 May."""
    return f"{on:%a} {on.day} {on:%b}"


def full_date(on: date) -> str:
    """24 Nov 2026"""
    return f"{on.day} {on:%b} {on.year}"


SOMEBODYS = re.compile(r"(?!(?:It|That|There|Here|What|Who|Let)\b)[^\W\d_]+['’]s\b")


def lower_first(text: str) -> str:
    """Text inside a sentence: its first letter small, unless it is all capitals (NPK) or somebody’s (Mum’s tea)."""
    return text[:1].lower() + text[1:] if text[1:2].islower() and not SOMEBODYS.match(text) else text


def listed(names: Sequence[str], word: str = "and") -> str:
    """a, b and c"""
    return ", ".join(names[:-1]) + (f" {word} " if len(names) > 1 else "") + names[-1]


def plural(count: int, one: str, many: str | None = None) -> str:
    """3 units"""
    return f"{count} {one if count == 1 else many or one + 's'}"


COUNTS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")


def count_words(count: int) -> str:
    """A small count as one says it: two; from eleven on in figures."""
    return COUNTS[count] if 0 <= count < len(COUNTS) else str(count)


def minutes_text(minutes: float) -> str:
    """Minutes as one says them; from an hour and a half on in hours."""
    return f"{figure(minutes)} min" if minutes < 90 else f"{minutes / 60:.1f} h"
