"""Pictures of the help page: each word of a verdict as an interval on a small ruler; a garden with luck alone."""

from collections.abc import Mapping
from dataclasses import dataclass

from eproba.core.judging.verdicts import Verdict
from eproba.core.practice.luck import LuckyGarden
from eproba.core.wording.sentences import HEADLINES

WORTH = 15.0  # percent: the band of all these rulers
MIDDLE, PER_PERCENT = 130.0, 2.6
LEAST, SPAN = 8.0, 24.0  # cm along the picture of a garden
LEFT, RIGHT = 14.0, 506.0
# What an interval says, in percent: where it lies, and the sentence; None: nothing can be shown.
WORDS: Mapping[Verdict, tuple[tuple[float, float] | None, str]] = {
    "better_matters": ((18, 34), "Even the low end of what is likely is more than you wanted."),
    "better": ((6, 28), "It did better. The gain may be more than you wanted, or less."),
    "better_trivial": ((3, 12), "It did better, but even the high end is less than you wanted."),
    "no_worse": ((-11, 7), "You asked whether it is as good. Any loss is within the margin that you allowed."),
    "same": ((-7, 8), "Whatever difference there is, it is too small to matter. That is an answer too."),
    "cannot_tell": ((-12, 26), "It may have helped, harmed or done nothing. It takes more units to tell."),
    "seen_not_shown": (None, "A difference was seen, but something keeps it from being shown, such as a single unit."),
    "worse_trivial": ((-12, -3), "It did worse, but by less than would matter."),
    "worse": ((-28, -6), "It did worse. The loss may matter, or not."),
    "worse_matters": ((-34, -18), "Even the mild end of what is likely is a loss that matters."),
}


@dataclass(frozen=True)
class WordPicture:
    """One word of a verdict: what it means, and its interval in drawing units (None: there is none)."""

    headline: str
    text: str
    bar: tuple[float, float] | None


def word_pictures() -> list[WordPicture]:
    """All words of a verdict, from the best to the worst."""
    return [
        WordPicture(HEADLINES[verdict], text, None if ends is None else (_along(ends[0]), _along(ends[1])))
        for verdict, (ends, text) in WORDS.items()
    ]


def band() -> tuple[float, float, float]:
    """From where to where a difference is too small to matter, and nothing, in drawing units."""
    return _along(-WORTH), _along(WORTH), _along(0)


def _along(percent: float) -> float:
    return round(MIDDLE + PER_PERCENT * percent, 1)


@dataclass(frozen=True)
class GroupPicture:
    """One group of pots: each as a dot along its width, and their mean, in drawing units."""

    dots: tuple[float, ...]
    mean: float


def luck_picture(garden: LuckyGarden) -> list[GroupPicture]:
    """Both groups on one scale."""
    return [
        GroupPicture(tuple(map(_at, widths)), _at(sum(widths) / len(widths)))
        for widths in (garden.first, garden.second)
    ]


def _at(width: float) -> float:
    return round(min(RIGHT, max(LEFT, LEFT + (RIGHT - LEFT) * (width - LEAST) / SPAN)), 1)
