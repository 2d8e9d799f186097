"""The traps of the practice garden, and what one may say."""

from typing import Literal, get_args

Trap = Literal[
    "one bed each", "regression", "gradient", "peeking", "ten measures", "drop-outs", "colouring", "true gain",
    "nothing",
]  # fmt: skip
Says = Literal["works", "does nothing", "can’t tell"]
TRAPS: tuple[Trap, ...] = get_args(Trap)
SAYS: tuple[Says, ...] = get_args(Says)
FAIR: tuple[Trap, ...] = ("true gain", "nothing")
SURE = (50, 60, 70, 80, 90, 99)  # percent
CONTROL = "Plain water"
