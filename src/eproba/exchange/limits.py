"""How much of a file is read: each number once, for the code, the pages and what is said."""

MEGABYTE = 1_000_000
MOST_BYTES = 20 * MEGABYTE  # of a file of readings, weather, a log or a plan, of a picture; of the tables of a package
MOST_PACKAGE_BYTES = 500 * MEGABYTE  # of a package with its pictures, packed and unpacked
MOST_FILES = 20_000  # of a package
MOST_CELLS = 100_000  # of a workbook; as CSV there may be many more
MOST_UNPACKED = 40 * MEGABYTE  # of a workbook
MOST_TEXTS = 10 * MEGABYTE  # of the texts that a workbook's cells share: they are read before any cell
MOST_CELLS_OF_PACKAGE = 2_000_000  # of all its tables
MOST_PIXELS = 50_000_000  # of a JPEG, which can be read halved
MOST_PIXELS_UNPACKED = 25_000_000  # of other pictures, and of what stands in memory


def megabytes(number: int) -> str:
    """A limit in words: “20 MB”."""
    return f"{number // MEGABYTE} MB"
