"""How honest the judging is, from the page that the benchmark writes: its table, and a dot for each of its lines."""

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from eproba.web.pictures.honesty_dots import DotShown, HonestyDots, honesty_dots

PAGE = Path(__file__).parents[4] / "docs" / "honesty.md"
WHAT: dict[str, str] = {
    "scatter": "However units scatter",
    "numbers": "Uneven numbers of units",
    "noise": "One arm calmer or wilder",
    "shapes": "Lopsided arms",
    "losses": "Units lost",
    "readings": "Rounded readings",
    "ground": "Ground with neighbours alike",
    "order": "By order alone",
    "questions": "Several questions at once",
    "looks": "Early looks",
    "gardens": "Gardens put together",
}


@dataclass(frozen=True)
class HonestyPage:
    """The table with its heads first, and its picture; empty and None where the page was left behind."""

    rows: tuple[tuple[str, ...], ...] = ()
    picture: HonestyDots | None = None


@lru_cache(maxsize=1)
def honesty_page() -> HonestyPage:
    """The page as the benchmark left it."""
    if not PAGE.exists():
        return HonestyPage()
    written = (line for line in PAGE.read_text("utf-8").splitlines() if line.startswith("| "))
    rows = tuple(tuple(cell.strip() for cell in line.strip("|").split("|")) for line in written)
    if len(rows) < 2:
        return HonestyPage()
    heads, lines = rows[0], [dict(zip(rows[0], row, strict=False)) for row in rows[1:]]
    groups = dict.fromkeys(line["what"] for line in lines)
    dots = {WHAT.get(group, group): tuple(_dot(line) for line in lines if line["what"] == group) for group in groups}
    return HonestyPage((heads[1:], *(row[1:] for row in rows[1:])), honesty_dots(dots))


def _dot(line: dict[str, str]) -> DotShown:
    beyond = "(!)" in "".join(line.values())
    title = f"{line['trials']}, {line['arms']}: {line['after the ledger']}"
    return DotShown(float(line["after the ledger"].split()[0]), beyond, title)
