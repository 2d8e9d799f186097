"""What a plan proposes by the words for what is tried and for what it is tried on."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from eproba.core.brewing.recipe import Recipe
from eproba.core.errors import EprobaError
from eproba.core.keys import check_keys, check_values
from eproba.core.measuring.measures import Measure
from eproba.core.trial.model import Compared

# The first that is found in the words decides: a mulch of compost is a mulch, a steep of pellets a drench.
KIND_WORDS: tuple[tuple[Compared, str], ...] = (
    ("mulch", r"mulch|straw|wood ?chips|cardboard|fleece"),
    ("drench", r"steep|tea|whey|water|drench|spray|ferment|extract|juice|liquid|diluted|milk|beer|brew"),
    ("media", r"potting|growing media|soil mix|bagged|coir|peat|seed mix"),
    ("dry", r"compost|meal|pellets?|manure|ash|lime|charcoal|biochar|castings|rock dust|powder|grounds"),
    ("way", r"watering|shading|shade|pruning|sowing|spacing|hoeing|digging"),
)
RECIPE_KINDS: Mapping[str, Compared] = {"drench": "drench", "dry": "dry", "medium": "media"}
MULCHES = "mulches"  # the family of recipes that lie on the ground


class CropError(EprobaError):
    """A kind of crop in the catalogue that contradicts itself; the message says where."""


@dataclass(frozen=True)
class CropKind:
    """Crops that are looked at alike, by their names in the singular, and by which measures, the usual first one
    first."""

    key: str
    names: tuple[str, ...]
    measures: tuple[str, ...]


def crop_kind_from(key: str, entry: Mapping[str, Any], measures: Mapping[str, Measure]) -> CropKind:
    """Build a kind of crop from a TOML table. Raises CropError."""
    check_keys(key, entry, CropKind, CropError, ["key"])
    values = {name: tuple(listed) for name, listed in entry.items()}
    check_values(key, values, CropKind, CropError, strict=True)
    for measure in values["measures"]:
        if measure not in measures or not measures[measure].can_be_first:
            raise CropError(f"{key}: {measure} is no measure that can be the first")
    return CropKind(key, **values)


def usual_measures(crop: str, kinds: Mapping[str, CropKind]) -> tuple[str, ...]:
    """By which measures a crop is usually looked at, the first one first; empty where nobody knows it."""
    words = set(_singular(crop.casefold()))
    for kind in kinds.values():
        if any(set(name.split()) <= words for name in kind.names):
            return kind.measures
    return ()


def _singular(crop: str) -> list[str]:
    """Its words, each as it stands and without the ending of many."""
    words = re.findall(r"[^\W\d_]+(?:’s)?", crop)
    return [form for word in words for form in (word, word.removesuffix("s"), word.removesuffix("es"), _berry(word))]


def _berry(word: str) -> str:
    return word.removesuffix("ies") + "y" if word.endswith("ies") else word


def kind_tried(thing: str, recipe: Recipe | None) -> Compared:
    """What kind of comparison a thing asks for: by its recipe, else by its words; a drench where nothing tells."""
    if recipe is not None and recipe.family == MULCHES:
        return "mulch"
    if recipe is not None and recipe.kind in RECIPE_KINDS:
        return RECIPE_KINDS[recipe.kind]
    said = thing.casefold()
    return next((kind for kind, words in KIND_WORDS if re.search(rf"\b(?:{words})", said)), "drench")
