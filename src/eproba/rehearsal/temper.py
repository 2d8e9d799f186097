"""How a household is: how warm its brews stand, how careless it is; chance comes from the seed and the day alone."""

import random
from dataclasses import dataclass
from datetime import date
from typing import Literal, get_args

from eproba.core.brewing.recipe import Recipe

WarmthWord = Literal["cool", "mild", "warm"]
WARMTHS: tuple[WarmthWord, ...] = get_args(WarmthWord)
SHARE: dict[WarmthWord, float] = {"cool": 0.0, "mild": 0.5, "warm": 1.0}  # of the recipe's own range
AWAY_EVERY, AWAY_FOR = 120, 14  # days: the holiday of a careless household
ROOM = 20.0  # °C, where a recipe asks for none


@dataclass(frozen=True)
class Temper:
    """`warmth`: at which end of each recipe’s range brews stand; `careless`: how often something goes wrong, 0 to 1;
    `waters_every` so many days its extract goes into the watering can (0: brews go by their own days)."""

    seed: int = 1
    warmth: WarmthWord = "mild"
    careless: float = 0.0
    waters_every: int = 0

    def degrees(self, recipe: Recipe) -> float:
        """How warm a brew of a recipe stands, °C."""
        if recipe.temperature is None:
            return ROOM
        coolest, warmest = recipe.temperature
        return round(coolest + SHARE[self.warmth] * (warmest - coolest), 1)

    def slips(self, what: str, on: date, times: float = 1.0) -> bool:
        """Whether something goes wrong on a day."""
        return self.careless > 0 and self.chance(what, on) < times * self.careless

    def chance(self, what: str, on: date) -> float:
        return random.Random(f"{self.seed}:{what}:{on.isoformat()}").random()

    def is_away(self, day: int) -> bool:
        """Whether it is on holiday on a day of the rehearsal."""
        return self.careless > 0 and day % AWAY_EVERY >= AWAY_EVERY - AWAY_FOR
