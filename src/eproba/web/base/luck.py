"""How much luck does alone, to play with."""

from collections.abc import Mapping
from dataclasses import dataclass

from eproba.core.practice.luck import MOST_DRAWS, POTS, LuckyGarden, fooled, lucky_garden
from eproba.core.words import plural
from eproba.web.pictures.help import WORTH, GroupPicture, luck_picture
from eproba.web.ui.fields import whole

USUAL_POTS = 4


@dataclass(frozen=True)
class LuckPage:
    """One garden of luck, and what luck did in all that were grown so far."""

    pots: int
    draws: int
    groups: list[GroupPicture]
    words: str
    tally: str
    choices: tuple[int, ...] = POTS


def luck_page(asked: Mapping[str, str]) -> LuckPage:
    """The garden that is asked for; what can’t be read is as usual."""
    pots = whole(asked.get("pots", ""))
    pots = pots if pots in POTS else USUAL_POTS
    draws = min(MOST_DRAWS, whole(asked.get("draws", "")) or 1)
    garden = lucky_garden(draws, pots)
    return LuckPage(pots, draws, luck_picture(garden), _gap_words(garden), _tally(draws, pots))


def _gap_words(garden: LuckyGarden) -> str:
    ahead = "first" if sum(garden.first) > sum(garden.second) else "second"
    return f"The {ahead} group is {100 * garden.gap:.0f} % ahead, by luck alone."


def _tally(draws: int, pots: int) -> str:
    if draws == 1:
        return f"Grow them again, and count how often luck makes a difference of {WORTH:g} % or more."
    count = fooled(draws, pots, WORTH / 100)
    return f"In {count} of {plural(draws, 'garden')} so far, luck alone made a difference of {WORTH:g} % or more."
