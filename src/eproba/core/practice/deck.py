"""Which scene comes next: every kind within twelve rounds, and in each deck as many that work as that do nothing."""

import random
from collections.abc import Sequence
from dataclasses import dataclass

from eproba.core.practice.learning import Said, standing
from eproba.core.practice.traps import TRAPS, Trap

EITHER: tuple[Trap, ...] = ("one bed each", "gradient")  # where nobody can tell, whatever is true
FIRST = 12  # rounds in which every kind comes


@dataclass(frozen=True)
class Card:
    """One round to come: its kind, and whether what is tried truly works."""

    trap: Trap
    works: bool


GAIN = Card("true gain", True)


def next_card(history: Sequence[Said], by: str) -> Card:
    """What comes after these rounds; `by` shuffles, so that two people meet other gardens."""
    number, over = 0, 0
    while over + len(cards := deck(by, number, history[:over])) <= len(history):
        number, over = number + 1, over + len(cards)
    return cards[len(history) - over]


def deck(by: str, number: int, before: Sequence[Said]) -> list[Card]:
    """One deck: each kind, those that still catch first, with true gains between them until half of all work."""
    chance = random.Random(f"{by}:{number}")
    true = chance.choice((EITHER, EITHER[:1], EITHER[1:]))
    others = [Card(trap, trap in true) for trap in TRAPS if trap != GAIN.trap]
    chance.shuffle(others)
    others.sort(key=lambda card: standing(before, card.trap) != "catches")
    gains = len(others) - 2 * len(true)
    between = set(chance.sample(range(1, len(others)), FIRST - len(others)))
    cards = [card for place, other in enumerate(others) for card in ([GAIN, other] if place in between else [other])]
    return [*cards, *[GAIN] * (gains - len(between))]
