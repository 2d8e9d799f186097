"""What the craft knows, as data: TOML files, against the dataclasses that they become; faults name file and key.

Their values are checked once, by a test (that unwraps what loads them), not at each start.

Amounts in the texts stand in braces (“{15 to 20 °C}”); they are told in the units of the household that asks.
"""

import functools
import tomllib
from collections.abc import Callable, Iterable, Mapping
from importlib import resources
from typing import Any, Protocol, TypeVar

from eproba.core.brewing.ingredients import Ingredient, RecipeError, ingredient_from
from eproba.core.brewing.kitchen import Equipment
from eproba.core.brewing.recipe import Recipe, recipe_from, ways_of
from eproba.core.errors import EprobaError
from eproba.core.keys import as_shipped, check_keys, check_values
from eproba.core.measuring.calculators import Calculator, calculator_from
from eproba.core.measuring.measures import Measure, measure_from
from eproba.core.planning.claims import Promise, promise_from
from eproba.core.planning.crops import CropKind, crop_kind_from
from eproba.core.planning.hearsay import Names, names_from
from eproba.core.planning.hopes import Hope, hope_from
from eproba.core.practice.lessons import Lesson, LessonError
from eproba.core.quantities import System, Units, filled

Made = TypeVar("Made")
Made_co = TypeVar("Made_co", covariant=True)


class ForHousehold(Protocol[Made_co]):
    """What a household finds in the catalogue, its texts in its units."""

    def __call__(self, system: System = "metric") -> Made_co: ...


def _once_a_system(load: Callable[[System], Made]) -> ForHousehold[Made]:
    """Loaded once for each system of units."""
    loaded = functools.cache(as_shipped()(load))

    def of_household(system: System = "metric") -> Made:
        return loaded(system)

    return functools.update_wrapper(of_household, load)


RECIPE_FILES = ("sugar", "rice", "compost", "steeps", "kitchen", "others")


class CatalogueError(EprobaError):
    """A file of the catalogue that can’t be; the message names file and key."""


def _file(name: str, system: System = "metric") -> dict[str, Any]:
    file = tomllib.loads(resources.files(__name__).joinpath(name).read_text(encoding="utf-8"))
    return {key: _told(entry, Units(system)) for key, entry in file.items()}


def _told(entry: Any, units: Units) -> Any:
    """An entry with the amounts in its texts as a household has them."""
    if isinstance(entry, str):
        return filled(entry, units)
    if isinstance(entry, dict):
        return {key: _told(value, units) for key, value in entry.items()}
    return [_told(value, units) for value in entry] if isinstance(entry, list) else entry


def made(name: str, entries: Mapping[str, Any], make: Callable[[str, Any], Made]) -> dict[str, Made]:
    """Every entry of a file by key.

    Raises
    ------
    CatalogueError
        The first entry that can't be, with the file, its key and what would fit.
    """
    parts = {}
    for key, entry in entries.items():
        try:
            parts[key] = make(key, entry)
        except EprobaError as error:
            trouble = str(error).removeprefix(f"{key}: ")
            raise CatalogueError(f"{name}: {key}: {trouble}") from error
    return parts


def text_from(key: str, entry: Any) -> str:
    """A caution: its one text. Raises CatalogueError."""
    kinds = ({"text", "hazard"}, {"text", "quiet"})
    if not isinstance(entry, Mapping) or set(entry) not in kinds or not all(map(str.strip, map(str, entry.values()))):
        raise CatalogueError(f"{key}: a caution has text, and either names its hazard or is quiet")
    return str(entry["text"])


def school_from(key: str, entry: Any) -> dict[str, Any]:
    """Where growers disagree. Raises CatalogueError."""
    words = isinstance(entry, Mapping) and set(entry) - {"try"} == {"about", "sides", "here"}
    sides = entry["sides"] if words else ()
    if (
        not words
        or len(sides) < 2
        or not all(isinstance(text, str) for text in (entry["about"], entry["here"], *sides))
    ):
        raise CatalogueError(f"{key}: a school has about, here, and two sides or more, all of them texts")
    known = {*recipes(), *(way for recipe in recipes().values() for way in ways_of(recipe))}
    pair = entry.get("try", [])
    if pair and (len(pair) != 2 or not all(len(tried) == 2 and tried[0] in known for tried in pair)):
        raise CatalogueError(f"{key}: try names two recipes that are known, each with how it is used")
    return dict(entry)


def equipment_from(key: str, entry: Any) -> Equipment:
    """A way to bring a brew out. Raises RecipeError."""
    check_keys(key, entry, Equipment, RecipeError, ["key"])
    values: dict[str, Any] = {name: tuple(v) if isinstance(v, list) else v for name, v in entry.items()}
    check_values(key, values, Equipment, RecipeError, strict=True)
    if unknown := [value for value in values["cautions"] if value not in cautions()]:
        raise RecipeError(f"{key}: unknown caution {', '.join(unknown)}")
    return Equipment(key, **values)


def lesson_from(key: str, entry: Any) -> Lesson:
    """A scene's words. Raises LessonError."""
    check_keys(key, entry, Lesson, LessonError, ["key"])
    check_values(key, entry, Lesson, LessonError, strict=True)
    return Lesson(key, **entry)


@_once_a_system
def measures(system: System = "metric") -> dict[str, Measure]:
    """All measures of the catalogue by key, in the order of the file. Raises CatalogueError."""
    known = calculators(system)
    return made("measures.toml", _file("measures.toml", system), lambda key, entry: measure_from(key, entry, known))


@_once_a_system
def calculators(system: System = "metric") -> dict[str, Calculator]:
    """All calculators by key. Raises CatalogueError."""
    return made("calculators.toml", _file("calculators.toml", system), calculator_from)


@functools.cache
@as_shipped()
def promises() -> dict[str, Promise]:
    """The bank of vague promises by key, each with its measurable claims. Raises CatalogueError."""
    known = measures()
    return made("promises.toml", _file("promises.toml"), lambda key, entry: promise_from(key, entry, known))


@functools.cache
@as_shipped()
def crops() -> dict[str, CropKind]:
    """Kinds of crops by key, each with the measures it is usually looked at by. Raises CatalogueError."""
    known = measures()
    return made("crops.toml", _file("crops.toml"), lambda key, entry: crop_kind_from(key, entry, known))


@functools.cache
@as_shipped()
def hopes() -> dict[str, Hope]:
    """What gardeners hope to see, by the measure that tells it. Raises CatalogueError."""
    known = measures()
    return made("hopes.toml", _file("hopes.toml"), lambda key, entry: hope_from(key, entry, known))


@functools.cache
@as_shipped()
def names_said() -> Names:
    """What people call recipes and measures when they tell of them. Raises HearsayError."""
    return names_from(_file("hearsay.toml"), recipes(), measures())


@functools.cache
@as_shipped()
def lessons() -> dict[str, Lesson]:
    """The scenes of the practice garden by their trap, with their words. Raises CatalogueError."""
    return made("lessons.toml", _file("lessons.toml"), lesson_from)


@functools.cache
@as_shipped()
def schools() -> list[dict[str, Any]]:
    """Where growers disagree about brews at large: what about, the sides, what is done here. Raises CatalogueError."""
    rows = {str(number): row for number, row in enumerate(_file("schools.toml")["schools"], 1)}
    return list(made("schools.toml", rows, school_from).values())


@_once_a_system
def cautions(system: System = "metric") -> dict[str, str]:
    """Cautions by the hazard that they stand beside. Raises CatalogueError."""
    return made("cautions.toml", _file("cautions.toml", system), text_from)


@functools.cache
def good_practice() -> frozenset[str]:
    """The cautions that tell how it is done well, where nothing hurts."""
    return frozenset(key for key, entry in _file("cautions.toml", "metric").items() if entry.get("quiet"))


def hazards(keys: Iterable[str]) -> list[str]:
    """What hurts, in a word or a few, by the keys of cautions; those of good practice name none."""
    entries = _file("cautions.toml", "metric")
    return [str(entries[key]["hazard"]) for key in keys if key not in good_practice()]


@_once_a_system
def ingredients(system: System = "metric") -> dict[str, Ingredient]:
    """Ingredients of brews and amendments by key. Raises CatalogueError."""
    return made("ingredients.toml", _file("ingredients.toml", system), ingredient_from)


@_once_a_system
def equipment(system: System = "metric") -> dict[str, Equipment]:
    """Ways to bring a brew out, the smallest first. Raises CatalogueError."""
    return made("equipment.toml", _file("equipment.toml", system), equipment_from)


@_once_a_system
def recipes(system: System = "metric") -> dict[str, Recipe]:
    """The recipes of the catalogue by key, family by family. Raises CatalogueError."""
    by_key: dict[str, Recipe] = {}
    for name in RECIPE_FILES:
        file = f"recipes/{name}.toml"
        entries = _file(file, system)
        by_key |= made(file, entries, lambda key, entry: recipe_from(key, entry, ingredients(system), cautions(system)))
    return by_key
