"""The table of how honest the judging is, from the page that the benchmark writes."""

from functools import lru_cache
from pathlib import Path

PAGE = Path(__file__).parents[4] / "docs" / "honesty.md"


@lru_cache(maxsize=1)
def honesty_table() -> tuple[tuple[str, ...], ...]:
    """The rows of the table, its heads first; empty where the page was left behind."""
    if not PAGE.exists():
        return ()
    lines = (line for line in PAGE.read_text("utf-8").splitlines() if line.startswith("| "))
    return tuple(tuple(cell.strip() for cell in line.strip("|").split("|")) for line in lines)
