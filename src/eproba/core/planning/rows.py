"""Treatments as rows of typed fields, before anybody knows whether they are right: a ladder of one, two crossed."""

from collections.abc import Mapping, Sequence

from eproba.core.brewing.recipe import Recipe
from eproba.core.errors import EprobaError
from eproba.core.planning.ladder import ladder
from eproba.core.planning.plan import LETTERS
from eproba.core.quantities import METRIC, Units
from eproba.core.words import lower_first

Row = dict[str, list[str]]
LOWEST = ("water control", "untreated")  # what stands on a ladder's ground


class RowsError(EprobaError):
    """Rows that can't be turned into what was asked; the message says what to type first."""

    step = "treatments"


def text_of(row: Mapping[str, Sequence[str]], field: str) -> str:
    """What stands in a field of a row."""
    return (row.get(field) or [""])[0].strip()


def laddered(
    rows: Sequence[Row], by: str, numbers: Sequence[float], recipes: Mapping[str, Recipe], units: Units = METRIC
) -> list[Row]:
    """The first tested treatment as rungs, the control as the lowest of them. Raises LadderError."""
    first = next((row for row in rows if text_of(row, "role") == "test"), rows[0])
    others = [row for row in rows if row is not first]
    texts = {name: text_of(first, name) for name in first}
    recipe, room = recipes.get(text_of(first, "recipe")), len(LETTERS) - len(others)
    rungs = [
        first | {name: [value] for name, value in rung.items()}
        for rung in ladder(texts, by, numbers, recipe, room, units)
    ]
    on_a_ladder = any(text_of(row, "rung") for row in others)
    lowest = next((row for row in others if text_of(row, "role") in LOWEST and not on_a_ladder), None)
    return [*rungs, *(row | {"rung": ["0"]} if row is lowest else row for row in others)]


def crossed(rows: Sequence[Row], both: Row, control: Row) -> list[Row]:
    """Two things at once: each alone, both, and a control; both get the doses of the other two. `both` and `control`:
    how such rows begin.

    Raises
    ------
    RowsError
        Fewer than two things are named.
    """
    tested = [row for row in rows if text_of(row, "role") == "test" and text_of(row, "things") != "12"][:2]
    names = [text_of(row, "name") for row in tested]
    if len(names) < 2 or not all(names):
        raise RowsError("Name the two things first: a treatment each, in the role “Test”.")
    control = next((row for row in rows if text_of(row, "role") != "test"), control)
    named = both | {"name": [f"{names[0]} and {lower_first(names[1])}"]}
    together = (*tested, named, control)
    return [row | {"things": [things]} for row, things in zip(together, ("1", "2", "12", ""), strict=True)]
