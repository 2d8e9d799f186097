"""What each scene tells before and after: its story, what fooled the eye, what stands against it."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from eproba.core.errors import EprobaError
from eproba.core.practice.traps import TRAPS


class LessonError(EprobaError):
    """A lesson in the catalogue that can't be; the message says where."""


@dataclass(frozen=True)
class Lesson:
    """One scene's words. `story` as a gardener tells it, with places for its numbers; `fooled`: what fooled the eye;
    `against`: what stands against it in the bench; `verdict`: what judging says, where it is no interval."""

    key: str
    title: str
    story: str
    fooled: str
    against: str
    verdict: str = ""

    def __post_init__(self) -> None:
        if self.key not in TRAPS:
            raise LessonError(f"{self.key}: there is no such scene; there are {', '.join(TRAPS)}")

    def told(self, facts: Mapping[str, Any]) -> str:
        """The story with a scene's own numbers."""
        return self.story.format_map(facts)

    def revealed(self, facts: Mapping[str, Any]) -> str:
        """What fooled the eye, with a scene's own numbers."""
        return self.fooled.format_map(facts)
