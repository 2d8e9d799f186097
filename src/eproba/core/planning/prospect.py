"""A plan as far as its chances go: treatments, units, noise, worth, and what its units are."""

import math
from dataclasses import dataclass
from typing import Literal

from eproba.core.errors import EprobaError
from eproba.core.judging.contrasts import asked_at_once
from eproba.core.stats.periods import FEWEST, MOST, permitted
from eproba.core.stats.sample_size import noise_df
from eproba.core.stats.series import Kind, Scale, UnitValue, band_of
from eproba.core.words import plural

Truth = Literal["nothing", "worth", "twice_worth"]
TIMES: dict[Truth, int] = {"nothing": 0, "worth": 1, "twice_worth": 2}
MOST_CV, LEAST_CV = 1.5, 1e-6
MOST_TREATMENTS, MOST_UNITS = 12, 200


class ChanceError(EprobaError):
    """A plan whose chance can't be told; the message says what would fit instead."""


@dataclass(frozen=True)
class Prospect:
    """A plan as far as its chances go: `treatments` with the control, `units` of each, noise and worth.

    `noise` is a CV (0.2 for 20 %) on the ratio scale, else an SD in the measure's unit: unit to unit, after blocks.
    `worth` is a fraction on the ratio scale, else in the unit. `square`: a Latin square (units = treatments).
    `no_worse`: the question is whether it is worse by more than `worth`. `crossed`: two things at once, each alone,
    both, neither; the chances are those of one of the two, over with and without the other. `turns`: two places take
    turns, `units` is the number of periods. `laddered`: the treatments are rungs of one strength, so that their trend
    is asked too. `kind` as in `Question`: classes go by their order alone. `step`: readings are rounded to it (0: not
    at all); in percent that needs `level`, what one unit usually gives.
    """

    treatments: int
    units: int
    blocks: bool
    scale: Scale
    noise: float
    worth: float
    square: bool = False
    no_worse: bool = False
    crossed: bool = False
    turns: bool = False
    laddered: bool = False
    kind: Kind = "quantity"
    step: float = 0.0
    level: float | None = None

    def __post_init__(self) -> None:
        if not 2 <= self.treatments <= MOST_TREATMENTS:
            few = plural(self.treatments, "treatment")
            raise ChanceError(f"{few} can’t be compared: give 2 to {MOST_TREATMENTS}, the control counted.")
        if not 1 <= self.units <= MOST_UNITS:
            raise ChanceError(f"{self.units} units of each don’t fit: give 1 to {MOST_UNITS}.")
        if not (math.isfinite(self.worth) and self.worth > 0):
            raise ChanceError(
                "A worth of 0 or less can't be shown: give the smallest gap that would change what you do."
            )
        if not (math.isfinite(self.noise) and self.noise > 0):
            raise ChanceError("The noise must be above 0: no two units are ever quite alike.")
        if self.scale == "ratio" and self.noise < LEAST_CV:
            text = f"A CV of {100 * self.noise:g} % is less than any garden's"
            raise ChanceError(f"{text}: {100 * LEAST_CV:g} % is the least that can be used.")
        if self.scale == "ratio" and self.noise > MOST_CV:
            text = f"A CV of {100 * self.noise:g} % means that the measure hardly tells the units' sizes"
            raise ChanceError(
                f"{text}: up to {100 * MOST_CV:g} % fits. Average more readings, or take another measure."
            )
        if self.turns and (self.treatments != 2 or self.units % 2 or not FEWEST <= self.units <= MOST):
            raise ChanceError(
                f"On and off takes two treatments, and an even number of periods from {FEWEST} to {MOST}."
            )
        if self.crossed and (self.treatments != 4 or self.square):
            raise ChanceError("Two things at once are four treatments: each alone, both, neither; not in a square.")
        if self.kind in ("class", "day", "score") and self.scale == "ratio":
            raise ChanceError(f"A {self.kind} has no percent: give the worth as a plain number.")
        if self.kind == "class" and (self.no_worse or self.crossed or self.turns or self.square):
            raise ChanceError("Classes are judged by their order, one treatment against the control: plan it so.")
        if not (math.isfinite(self.step) and self.step >= 0):
            raise ChanceError("What readings are rounded to is 0 or more.")
        if self.square and self.units != self.treatments:
            text = (
                f"A Latin square of {self.treatments} treatments has {self.treatments} units of each, not {self.units}"
            )
            raise ChanceError(f"{text}: take {self.treatments} × {self.treatments}, or blocks.")

    @property
    def by_order(self) -> bool:
        """Whether the verdict goes by order alone."""
        return self.kind == "class"

    @property
    def rounded(self) -> bool:
        """Whether rounding counts, so far as it is known."""
        return self.step > 0 and (self.scale == "difference" or self.level is not None)

    @property
    def sd(self) -> float:
        """Noise SD on the scale of the estimates: a CV enters the log scale as √ln(1 + CV²)."""
        return math.sqrt(math.log1p(self.noise**2)) if self.scale == "ratio" else self.noise

    @property
    def read_sd(self) -> float:
        """The same as readings show it: rounding adds a twelfth of its step's square (Sheppard)."""
        step = 0.0 if not self.rounded else self.step / (self.level or 1.0) if self.scale == "ratio" else self.step
        return math.hypot(self.sd, step / math.sqrt(12))

    @property
    def gap(self) -> float:
        """The worth on the scale of the estimates."""
        return band_of(self.worth, self.scale)

    @property
    def at_once(self) -> int:
        """How many gaps share the 5 %."""
        return asked_at_once(self.treatments - 1, self.laddered, self.crossed)

    @property
    def df(self) -> int:
        """Degrees of freedom of the pooled noise."""
        if self.square:
            return (self.treatments - 1) * (self.treatments - 2)
        if self.turns:
            return self.units - 2
        return noise_df(self.treatments, self.units, self.blocks)


def names_of(prospect: Prospect) -> list[str]:
    """A name for each treatment, the control first."""
    return [f"treatment {i}" for i in range(prospect.treatments)]


def units_of(prospect: Prospect) -> list[UnitValue]:
    """The units of the plan with their treatments and places, without values."""
    names, k = names_of(prospect), prospect.treatments
    if prospect.turns:
        schedule = permitted(prospect.units)[len(permitted(prospect.units)) // 3]
        return [
            UnitValue(f"{period}-{place}", names[on == (place == 0)], 0.0, row=str(period), column=str(place))
            for period, on in enumerate(schedule)
            for place in (0, 1)
        ]
    if prospect.square:
        return [
            UnitValue(f"{r}-{c}", names[(r + c) % k], 0.0, row=str(r), column=str(c))
            for r in range(k)
            for c in range(k)
        ]
    return [
        UnitValue(f"{name} {i}", name, 0.0, str(i) if prospect.blocks else None)
        for i in range(prospect.units)
        for name in names
    ]
