"""What can be measured: unit, range, direction, scale, how it is done, how noisy it usually is."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal, get_args

from eproba.core.errors import EprobaError
from eproba.core.keys import check_keys, check_values
from eproba.core.stats.series import Scale
from eproba.core.words import lower_first

MOST_SECONDS, MOST_DECIMALS = 100_000, 6
Kind = Literal["quantity", "count", "proportion", "score"]
Better = Literal["higher", "lower"]
RhythmKind = Literal["soil life", "soil structure", "growth"]


class MeasureError(EprobaError):
    """A measure that contradicts itself; the message says where."""


@dataclass(frozen=True)
class Measure:
    """One measure.

    `low` and `high` are the sensible range of what is typed (seedlings for a proportion), `least` and `most` the
    possible one where its kind does not settle it; `noise_cv` or `noise_sd` the usual spread from unit to unit,
    `seconds` the time for one unit, `more`/`less` the words of its sentence, `levels` the described steps of a score
    from 0 on. `rhythm` says how soon it answers, `guard_cm` how far a drench or what it draws reaches. A place can
    answer where most baselines lie from `answers_from` to `answers_to`; `silent` says why it can't elsewhere.
    """

    key: str
    name: str
    kind: Kind
    unit: str
    low: float
    high: float
    decimals: int
    better: Better
    scale: Scale
    seconds: int
    more: str
    less: str
    how: tuple[str, ...]
    cannot_tell: str
    noise_cv: float | None = None
    noise_sd: float | None = None
    destructive: bool = False
    levels: tuple[str, ...] = ()
    rhythm: RhythmKind = "growth"
    guard_cm: float = 10.0
    answers_from: float | None = None
    answers_to: float | None = None
    silent: str = ""
    least: float | None = None
    most: float | None = None

    def __post_init__(self) -> None:
        allowed = {"kind": Kind, "better": Better, "scale": Scale, "rhythm": RhythmKind}
        for field, words in allowed.items():
            if getattr(self, field) not in get_args(words):
                raise MeasureError(f"{self.key}: {field} must be one of {', '.join(get_args(words))}")
        if not (self.possible[0] <= self.low < self.high <= self.possible[1]):
            raise MeasureError(
                f"{self.key}: the range must go from a lower to a higher number, inside what is possible"
            )
        if self.scale == "ratio" and (self.kind != "quantity" or self.low < 0):
            raise MeasureError(f"{self.key}: percent need a quantity that can't be negative")
        if (self.noise_cv is None) == (self.noise_sd is None):
            raise MeasureError(f"{self.key}: give its usual noise either as noise_cv or as noise_sd")
        if not all(math.isfinite(noise) and noise > 0 for noise in (self.noise_cv, self.noise_sd) if noise is not None):
            raise MeasureError(f"{self.key}: the usual noise is above 0")
        if not (1 <= self.seconds <= MOST_SECONDS and 0 <= self.decimals <= MOST_DECIMALS and self.guard_cm >= 0):
            raise MeasureError(
                f"{self.key}: seconds from 1 to {MOST_SECONDS}, decimals from 0 to {MOST_DECIMALS}, guard_cm from 0 on"
            )
        if "{gap}" not in self.more or "{gap}" not in self.less:
            raise MeasureError(f"{self.key}: more and less must hold the word {{gap}}")
        if (self.answers_from is not None or self.answers_to is not None) != bool(self.silent):
            raise MeasureError(f"{self.key}: answers_from or answers_to go with silent, which says why")
        if self.levels and self.low + len(self.levels) - 1 != self.high:
            raise MeasureError(f"{self.key}: one description for each step from {self.low:g} to {self.high:g}")

    @property
    def possible(self) -> tuple[float, float]:
        """What can be at all: a score has its steps, a count is 0 or more, and so is what is never negative."""
        if self.kind == "score":
            return self.low, self.high
        least = (0.0 if self.low >= 0 else -math.inf) if self.least is None else self.least
        return least, math.inf if self.most is None else self.most

    @property
    def noise(self) -> float:
        """The usual noise from unit to unit: a CV on the ratio scale, else an SD of the judged number."""
        spread = self.noise_cv if self.noise_cv is not None else self.noise_sd or 0.0
        return 100 * spread if self.kind == "proportion" else spread

    def noise_on(self, scale: Scale) -> float:
        """The usual noise on the scale asked: a CV becomes an SD at a quarter of the measure's range."""
        if scale == "difference" and self.noise_cv is not None:
            return self.noise_cv * (self.low + (self.high - self.low) / 4)
        return self.noise

    def can_answer(self, baseline: float) -> bool:
        """Whether a unit that begins so can show a difference at all."""
        low = -math.inf if self.answers_from is None else self.answers_from
        high = math.inf if self.answers_to is None else self.answers_to
        return low <= baseline <= high

    @property
    def lower_is_better(self) -> bool:
        return self.better == "lower"

    @property
    def judged_unit(self) -> str:
        """The unit of the judged number: proportions are judged as percentage points."""
        return "percentage points" if self.kind == "proportion" else self.unit


@dataclass(frozen=True)
class OwnNoise:
    """What the gardener's own finished trials say: the pooled SD on the scale of the estimates, its df, how many."""

    sd: float
    df: int
    trials: int


def measure_from(key: str, entry: Mapping[str, Any]) -> Measure:
    """Build a measure from a TOML table or a form, refusing unknown and missing keys by name."""
    check_keys(key, entry, Measure, MeasureError, ["key"])
    values: dict[str, Any] = {name: tuple(value) if isinstance(value, list) else value for name, value in entry.items()}
    check_values(key, values, Measure, MeasureError, strict=True)
    return Measure(key=key, **values)


def own_measure(
    key: str, name: str, unit: str, low: float, high: float, decimals: int, better: Better, scale: Scale, how: str
) -> Measure:
    """A gardener's own measure; its noise is a guess until a trial has shown it."""
    noun = lower_first(name)
    return Measure(
        key=key,
        name=name,
        kind="quantity",
        unit=unit,
        low=low,
        high=high,
        decimals=decimals,
        better=better,
        scale=scale,
        seconds=20,
        more=f"gave {{gap}} more {noun}",
        less=f"gave {{gap}} less {noun}",
        how=(how,) if how else (),
        cannot_tell="Only you know what it can't tell: write it into the trial's note.",
        noise_cv=0.25 if scale == "ratio" else None,
        noise_sd=(high - low) / 10 if scale == "difference" else None,
    )


def unit_value(measure: Measure, readings: list[float], sown: float | None) -> float:
    """Several readings of a unit in a round → one value: the mean; for a proportion percent up of those sown.

    Raises
    ------
    MeasureError
        No reading, or a proportion without the number sown.
    """
    if not readings:
        raise MeasureError(f"{measure.name}: no reading")
    mean = math.fsum(readings) / len(readings)
    if measure.kind != "proportion":
        return mean
    if not sown:
        raise MeasureError(f"{measure.name}: say how many seeds were sown in each unit")
    return 100 * mean / sown
