"""What a garden knows by now: all that was found, by what was tried."""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import date

from eproba.core.words import lower_first
from eproba.store.glances import Glance


@dataclass(frozen=True)
class GardenAnswer:
    """One answer: of which trial, on which crops, decided when, and what was found of the treatment."""

    trial_id: int
    trial: str
    treatment: str
    crops: tuple[str, ...]
    on: date
    verdict: str
    headline: str
    sentence: str


Groups = list[tuple[str, list[GardenAnswer]]]
NO_CROP = "No crop was named"


def by_what_was_tried(over: Iterable[Glance]) -> Groups:
    """Answers by the name of what was tried; the latest first."""
    return _grouped((line.get("treatment") or glance.name, glance, line) for glance, line in _lines(over))


def by_crop(over: Iterable[Glance]) -> Groups:
    """Answers by the crop that they are of; one of several crops stands under each."""
    return _grouped((crop, glance, line) for glance, line in _lines(over) for crop in glance.crops or (NO_CROP,))


def _lines(over: Iterable[Glance]) -> Iterator[tuple[Glance, Mapping[str, str]]]:
    return ((glance, line) for glance in over for line in glance.finding or ())


def _grouped(lines: Iterable[tuple[str, Glance, Mapping[str, str]]]) -> Groups:
    """By name, small or large letters alike."""
    names: dict[str, str] = {}
    answers: dict[str, list[GardenAnswer]] = {}
    for name, glance, line in lines:
        key = lower_first(name)
        names.setdefault(key, name)
        answers.setdefault(key, []).append(_answer(glance, line))
    return [(names[key], sorted(answers[key], key=lambda answer: answer.on, reverse=True)) for key in sorted(answers)]


def _answer(glance: Glance, line: Mapping[str, str]) -> GardenAnswer:
    words = (line["verdict"], line["headline"], line["sentence"])
    return GardenAnswer(
        glance.id, glance.name, line.get("treatment") or glance.name, glance.crops, glance.decision_on, *words
    )
