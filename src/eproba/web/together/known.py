"""What a garden knows by now: all that was found, by what was tried."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date

from eproba.core.words import lower_first
from eproba.store.glances import Glance


@dataclass(frozen=True)
class GardenAnswer:
    """One answer: of which trial, on which crops, decided when, and what was found of the treatment."""

    trial_id: int
    trial: str
    crops: tuple[str, ...]
    on: date
    verdict: str
    headline: str
    sentence: str


def by_what_was_tried(over: Iterable[Glance]) -> list[tuple[str, list[GardenAnswer]]]:
    """Answers by the name of what was tried, small or large letters alike; the latest first."""
    names: dict[str, str] = {}
    answers: dict[str, list[GardenAnswer]] = {}
    for glance in over:
        for line in glance.finding or ():
            name = line.get("treatment") or glance.name
            key = lower_first(name)
            names.setdefault(key, name)
            answers.setdefault(key, []).append(_answer(glance, line))
    return [(names[key], sorted(answers[key], key=lambda answer: answer.on, reverse=True)) for key in sorted(answers)]


def _answer(glance: Glance, line: Mapping[str, str]) -> GardenAnswer:
    words = (line["verdict"], line["headline"], line["sentence"])
    return GardenAnswer(glance.id, glance.name, glance.crops, glance.decision_on, *words)
