"""Sheets of an OpenDocument workbook (.ods), cell by cell, and no further than limits allow.

Read here and not by a package: those for Python load a whole sheet before it can be counted, and one cell may say that
it stands there a million times.

References
----------
OASIS (2021). Open Document Format for Office Applications (OpenDocument) Version 1.3, part 3: table:table-cell.
"""

import io
import zipfile
import zlib
from collections.abc import Iterator
from datetime import datetime
from typing import IO
from xml.etree.ElementTree import Element, ParseError, iterparse

from eproba.core.words import exact
from eproba.exchange.limits import MOST_BYTES, MOST_CELLS, MOST_UNPACKED, megabytes
from eproba.exchange.readings_csv import NO_VALUE
from eproba.exchange.table import TableError

MIME = b"application/vnd.oasis.opendocument.spreadsheet"
CONTENT = "content.xml"
TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
TEXT = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"
TOO_MANY = f"the workbook is too large: up to {MOST_CELLS // 1000} 000 cells are read; split it, or save it as CSV"
BROKEN = (
    zipfile.BadZipFile, zlib.error, KeyError, ParseError, RuntimeError, NotImplementedError,
    OSError, EOFError,
)  # fmt: skip
CELLS = (f"{TABLE}table-cell", f"{TABLE}covered-table-cell")


def is_ods(raw: bytes) -> bool:
    """Whether these bytes are such a workbook: its kind stands unpacked at its beginning."""
    return MIME in raw[:200]


def sheets_of_ods(raw: bytes) -> dict[str, list[list[str]]]:
    """The sheets by their names, each cell as it would be typed.

    Raises
    ------
    TableError
        Too large, cut short, or no such workbook.
    """
    if len(raw) > MOST_BYTES:
        raise TableError(f"the workbook is too large: {megabytes(MOST_BYTES)} are taken; split it")
    try:
        with zipfile.ZipFile(io.BytesIO(raw)) as packed:
            if packed.getinfo(CONTENT).file_size > MOST_UNPACKED:
                raise TableError(f"the workbook is too large: {megabytes(MOST_BYTES)} are taken; split it")
            with packed.open(CONTENT) as content:
                return _Sheets().read(content)
    except BROKEN as error:
        raise TableError("this workbook can’t be opened: save it as .ods once more, or as CSV") from error


class _Sheets:
    """What was read so far, and how many cells that is."""

    def __init__(self) -> None:
        self.sheets: dict[str, list[list[str]]] = {}
        self.cells = 0

    def read(self, content: IO[bytes]) -> dict[str, list[list[str]]]:
        rows: list[list[str]] = []
        # Expat loads no outside entity, and ends one that grows out of itself.
        for event, element in iterparse(content, ("start", "end")):  # noqa: S314
            if event == "start" and element.tag == f"{TABLE}table":
                rows = self.sheets.setdefault(element.get(f"{TABLE}name", ""), [])
            elif event == "end" and element.tag == f"{TABLE}table-row":
                rows += self._row(element)
                element.clear()
        for rows in self.sheets.values():
            while rows and not any(rows[-1]):
                rows.pop()
        return self.sheets

    def _row(self, element: Element) -> Iterator[list[str]]:
        """A row as often as it stands there; an empty one that is repeated to the end of the sheet is nothing."""
        row: list[str] = []
        for cell in element:
            if cell.tag in CELLS:
                text, times = _typed(cell), _repeated(cell, "columns")
                self._count(times if text or times < 1000 else 0)
                row += [text] * (times if text or times < 1000 else 1)
        while row and not row[-1]:
            row.pop()
        times = _repeated(element, "rows")
        if not row:
            times = min(times, 1000)
        self._count(times * max(1, len(row)))
        for _ in range(times):
            yield list(row)

    def _count(self, cells: int) -> None:
        self.cells += cells
        if self.cells > MOST_CELLS:
            raise TableError(TOO_MANY)


def _repeated(element: Element, what: str) -> int:
    text = element.get(f"{TABLE}number-{what}-repeated", "1")
    return max(1, int(text)) if text.isascii() and text.isdigit() and len(text) < 10 else 1


def _typed(cell: Element) -> str:
    """A cell as it would be typed: its stored value, else its text."""
    value = cell.get(f"{OFFICE}value")
    if value is not None:
        try:
            return exact(float(value))
        except (ValueError, OverflowError):
            return value
    if (day := cell.get(f"{OFFICE}date-value")) is not None:
        return _day(day)
    if (truth := cell.get(f"{OFFICE}boolean-value")) is not None:
        return "yes" if truth == "true" else "no"
    text = "\n".join("".join(line.itertext()) for line in cell if line.tag == f"{TEXT}p").strip()
    if not text and cell.get(f"{TABLE}formula"):
        return NO_VALUE
    return text


def _day(text: str) -> str:
    try:
        at = datetime.fromisoformat(text)
    except ValueError:
        return text
    return at.date().isoformat() if (at.hour, at.minute) == (0, 0) else at.isoformat(timespec="minutes")
