"""What luck does alone: two groups of pots that get the same, grown anew with each draw."""

import random
from dataclasses import dataclass

CV = 0.15  # as leaf widths differ from pot to pot
USUAL = 20.0  # cm
POTS = (2, 4, 6, 12, 24)  # of each group
MOST_DRAWS = 100


@dataclass(frozen=True)
class LuckyGarden:
    """Leaf widths in cm of two groups that nobody treated differently."""

    first: tuple[float, ...]
    second: tuple[float, ...]

    @property
    def gap(self) -> float:
        """How far the larger mean stands above the other, as a share."""
        small, large = sorted((sum(self.first), sum(self.second)))
        return large / small - 1


def lucky_garden(draw: int, pots: int) -> LuckyGarden:
    """The garden of one draw; the same draw grows the same again."""
    chance = random.Random(f"luck {draw} {pots}")
    widths = [round(max(0.1, chance.gauss(USUAL, CV * USUAL)), 1) for _ in range(2 * pots)]
    return LuckyGarden(tuple(widths[:pots]), tuple(widths[pots:]))


def fooled(draws: int, pots: int, worth: float) -> int:
    """In how many of the first draws luck alone made a gap of the worth or more (both as shares)."""
    return sum(lucky_garden(draw, pots).gap >= worth for draw in range(1, draws + 1))
