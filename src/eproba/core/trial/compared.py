"""What kinds of things are compared, and what follows from the kind: words, baseline, controls, what is asked first."""

from collections.abc import Mapping
from dataclasses import dataclass

from eproba.core.trial.model import Compared, Role

AGAINST: Mapping[Role, str] = {
    "water control": "plain water",
    "untreated": "untreated ground",
    "ingredient control": "the ingredient alone",
    "killed brew": "the same brew, boiled",
    "reference": "the known good thing",
    "test": "the other one",
}
CONTROL_NAMES: Mapping[Role, str] = {
    "water control": "Plain water",
    "untreated": "Untreated",
    "ingredient control": "Ingredient alone",
    "killed brew": "Brew, boiled",
    "reference": "Known good thing",
}
OWN_CONTROL_NAMES: Mapping[Compared, Mapping[Role, str]] = {
    "mulch": {"untreated": "Bare soil"},
    "media": {"reference": "The usual mix"},
    "way": {"reference": "The usual way", "untreated": "Nothing done"},
}
CONTROL_PHRASES: Mapping[str, str] = {  # how the usual names go into a sentence, where they don’t as they are
    **{name: AGAINST[role] for role, name in CONTROL_NAMES.items()},
    "Nothing done": "where nothing was done",
}
ALL_CONTROLS: tuple[Role, ...] = ("water control", "untreated", "ingredient control", "killed brew", "reference")


@dataclass(frozen=True)
class KindWords:
    """One kind of comparison.

    `noun`: how an application is spoken of, `done` and `undone` as its record says; `baseline`: whether the
    units can be read before it begins; `controls` that make sense, the fairest first; `recipes` of which kinds are
    offered; `first` the measures proposed first.
    """

    title: str
    hint: str
    noun: str
    done: str
    undone: str
    baseline: bool
    controls: tuple[Role, ...]
    recipes: tuple[str, ...]
    first: tuple[str, ...]


COMPARED: Mapping[Compared, KindWords] = {
    "drench": KindWords(
        "A drench or a spray", "Poured or sprayed again and again; mostly water, so water is the fair control.",
        "pour", "poured", "skipped", True, ALL_CONTROLS, ("drench",), (),
    ),
    "dry": KindWords(
        "Something dry, spread or dug in", "Compost, meal, sugar-woken compost: spread, worked in, watered alike.",
        "spread", "spread", "skipped", True,
        ("untreated", "water control", "reference", "ingredient control"), ("dry", "drench"), (),
    ),
    "mulch": KindWords(
        "A mulch", "Laid once on the ground; bare soil beside it gets the same watering.",
        "mulching", "laid", "left out", True, ("untreated", "reference"), ("dry",),
        ("moisture_meter",),
    ),
    "media": KindWords(
        "Growing media, bags or heaps",
        "Equal pots filled to equal height, sown alike; no plain water to compare with.",
        "filling", "filled", "left out", False, ("reference",), ("medium", "dry"), ("seeds_up", "plant_height"),
    ),
    "way": KindWords(
        "How it is done: watering, sowing, shade",
        "Ways of doing it; the usual way is what the others are measured against.",
        "turn", "done", "left out", False, ("reference", "untreated"), (), ("plant_height",),
    ),
}  # fmt: skip


def control_name(compared: Compared, role: Role) -> str:
    """What a control is usually called in a trial of this kind; empty for what is tested."""
    return OWN_CONTROL_NAMES.get(compared, {}).get(role, CONTROL_NAMES.get(role, ""))
