"""What can be measured: unit, range, direction, scale, how it is done, how noisy it usually is."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Literal, get_args

from eproba.core.errors import EprobaError
from eproba.core.keys import check_keys, check_values
from eproba.core.measuring.calculators import Calculator, reckon
from eproba.core.quantities import Conversion, System, conversion, is_convertible, number_typed
from eproba.core.stats.series import Scale
from eproba.core.words import NumberError, lower_first, parse_number

MOST_SECONDS, MOST_DECIMALS = 100_000, 6
AWAY_HOURS = 48  # a drench smells and darkens by itself for so long
Kind = Literal["quantity", "count", "proportion", "score", "class", "yes or no", "day", "worked out", "photo"]
Group = Literal["growth", "soil by hand", "soil measured", "worms", "laboratory", "your own"]
When = Literal["every round", "first and last", "last", "after a pour", "until it happens", "away from pours"]
Better = Literal["higher", "lower"]
GROUPS: Mapping[Group, str] = {
    "growth": "Growth", "soil by hand": "Soil, to look at and touch", "soil measured": "Soil, measured",
    "worms": "Worms", "laboratory": "From a laboratory", "your own": "Your own",
}  # fmt: skip
WHEN: Mapping[When, str] = {
    "every round": "in every round", "first and last": "in the first round and the last", "last": "in the last round",
    "after a pour": "at its hours after a pour", "until it happens": "in every round until it happens",
    "away from pours": f"in rounds that lie {AWAY_HOURS} hours or more after a pour",
}  # fmt: skip
BY_STEPS: tuple[Kind, ...] = ("score", "class")
CATALOGUE_DF = 8.0  # how much the usual noise is trusted, in degrees of freedom: Eproba’s own cautious guess
READING_SHARE = 0.3  # of the variance of one reading is the reader’s, where the measure does not say: a guess
OWN_NOISE: Mapping[Kind, float] = {"score": 0.7, "class": 0.7, "yes or no": 0.5, "day": 2.0}  # guesses
YES_NO = {"yes": 1.0, "no": 0.0, "y": 1.0, "n": 0.0, "not yet": 0.0}
BY_TAP: tuple[Kind, ...] = ("yes or no", "day")
RhythmKind = Literal["soil life", "soil structure", "growth"]


class MeasureError(EprobaError):
    """A measure that contradicts itself; the message says where."""


@dataclass(frozen=True)
class Measure:
    """One measure.

    `low` and `high` are the sensible range of what is typed (seedlings for a proportion), `least` and `most` the
    possible one where its kind does not settle it; `noise_cv` or `noise_sd` the usual spread from unit to unit,
    `reading_cv` or `reading_sd` that from reading to reading of one unit, `seconds` the time for one unit,
    `more`/`less` the words of its sentence, `levels` the described steps of a score from 0 on, or the names of a kit's
    classes in order. `rhythm` says how soon it answers, `guard_cm` how far a drench or what it draws reaches. A place
    can answer where most baselines lie from `answers_from` to `answers_to`; `silent` says why it can't elsewhere.

    `when` it is asked (`hours` after a pour); `calculator` works it out from what is asked instead; `target`: the band
    in which it is well; `beside`: measures that must stand beside it; `cautions`: what is dangerous about it;
    `parts`: the classes that a count is made of; `at`: its hour (“dusk”); `expected`: the day on which something
    usually happens; `adds_up`: its rounds are added; `judged`:
    whether it is ever more than something beside the verdict; `misled_by`: “mark: why”, what marks of a recipe act on
    the reading itself. `kept_in`: the unit of the record, where the household
    has another (see `as_shown`).
    """

    key: str
    name: str
    group: Group
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
    reading_cv: float | None = None
    reading_sd: float | None = None
    tells: str = ""
    kit: str = ""
    when: When = "every round"
    hours: tuple[int, ...] = ()
    calculator: Calculator | None = None
    target: tuple[float, float] | None = None
    beside: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()
    adds_up: bool = False
    judged: bool = True
    at: str = ""
    parts: tuple[str, ...] = ()
    expected: float | None = None
    misled_by: tuple[str, ...] = ()
    kept_in: str = ""

    def __post_init__(self) -> None:
        allowed = {
            "kind": Kind, "better": Better, "scale": Scale, "rhythm": RhythmKind, "group": Group, "when": When,
        }  # fmt: skip
        for field, words in allowed.items():
            if getattr(self, field) not in get_args(words):
                raise MeasureError(f"{self.key}: {field} must be one of {', '.join(get_args(words))}")
        for fits, must in (*self._fields_fit, *self._numbers_fit):
            if not fits:
                raise MeasureError(f"{self.key}: {must}")

    @property
    def _numbers_fit(self) -> tuple[tuple[bool, str], ...]:
        """What its numbers must be, and whether they are."""
        within = self.possible[0] <= self.low < self.high <= self.possible[1]
        noises = [noise for noise in (self.noise_cv, self.noise_sd) if noise is not None]
        return (
            (within, "the range must go from a lower to a higher number, inside what is possible"),
            (
                self.scale != "ratio" or (self.kind in ("quantity", "worked out") and self.low >= 0),
                "percent need a quantity that can't be negative",
            ),
            (len(noises) == 1, "give its usual noise either as noise_cv or as noise_sd"),
            (all(math.isfinite(noise) and noise > 0 for noise in noises), "the usual noise is above 0"),
            (
                1 <= self.seconds <= MOST_SECONDS and 0 <= self.decimals <= MOST_DECIMALS and self.guard_cm >= 0,
                f"seconds from 1 to {MOST_SECONDS}, decimals from 0 to {MOST_DECIMALS}, guard_cm from 0 on",
            ),
        )

    @property
    def _fields_fit(self) -> tuple[tuple[bool, str], ...]:
        """Which of its fields go together, and whether they do."""
        limits = self.answers_from is not None or self.answers_to is not None
        return (
            (
                self.kind not in BY_STEPS or len(self.levels) >= 2,
                f"a {self.kind} needs its levels, two or more, in words",
            ),
            (not self.parts or self.kind == "count", "only a count has parts"),
            (
                (self.kind == "worked out") == (self.calculator is not None),
                "what is worked out names its calculator, and nothing else does",
            ),
            ((self.when == "after a pour") == bool(self.hours), "hours go with what is asked after a pour"),
            ("{gap}" in self.more and "{gap}" in self.less, "more and less must hold the word {gap}"),
            (limits == bool(self.silent), "answers_from or answers_to go with silent, which says why"),
            (all(": " in mark for mark in self.misled_by), "misled_by is “mark: why”"),
            (
                not self.levels or self.low + len(self.levels) - 1 == self.high,
                f"one description for each step from {self.low:g} to {self.high:g}",
            ),
        )

    @property
    def possible(self) -> tuple[float, float]:
        """What can be at all: steps have their ends, a count is 0 or more, and so is what is never negative."""
        if self.kind in BY_STEPS:
            return self.low, self.high
        least = (0.0 if self.low >= 0 else -math.inf) if self.least is None else self.least
        return least, math.inf if self.most is None else self.most

    @property
    def noise(self) -> float:
        """The usual noise from unit to unit: a CV on the ratio scale, else an SD of the judged number."""
        spread = self.noise_cv if self.noise_cv is not None else self.noise_sd or 0.0
        return 100 * spread if self.in_percent_points else spread

    def noise_on(self, scale: Scale, sown: int | None = None) -> float:
        """The usual noise on the scale asked: a CV becomes an SD at a quarter of the measure's range.

        Of `sown` seeds luck alone lets some come and others not: √(p(1 − p)/n) at p = ½ is added to what differs from
        unit to unit.
        """
        if self.kind == "proportion" and sown:
            return 100 * math.hypot(self.noise_sd or 0.0, 0.5 / math.sqrt(sown))
        if scale == "difference" and self.noise_cv is not None:
            return self.noise_cv * (self.low + (self.high - self.low) / 4)
        return self.noise

    @property
    def misled(self) -> dict[str, str]:
        """Why a treatment with a mark (“dark”, “sugar” …) acts on the reading itself."""
        return dict(entry.split(": ", 1) for entry in self.misled_by)

    @property
    def reading_share(self) -> float | None:
        """How much of the variance between units read once is the reading's own; None where nobody knows."""
        unit = self.noise_cv if self.noise_cv is not None else self.noise_sd
        reading = self.reading_cv if self.noise_cv is not None else self.reading_sd
        return None if unit is None or reading is None else reading**2 / (unit**2 + reading**2)

    @property
    def has_start(self) -> bool:
        """Whether it can be read of a unit on day 0, so that its end can be compared with its own beginning."""
        return not (self.kind == "day" or self.adds_up or self.destructive)

    def usual_sd(self, scale: Scale, readings: int = 1, sown: int | None = None) -> float | None:
        """The usual noise as an SD on the scale of the estimates, of so many readings of a unit; None where it is known
        in percent, and asked for in the unit."""
        if scale == "ratio":
            return self.averaged(readings) * math.sqrt(math.log1p(self.noise_on(scale) ** 2))
        return None if self.noise_cv is not None else self.averaged(readings) * self.noise_on(scale, sown)

    def averaged(self, readings: int) -> float:
        """What is left of the noise (as a factor) when so many readings of a unit are averaged: they take the reader's
        share down, never the units' own."""
        share = READING_SHARE if self.reading_share is None else self.reading_share
        return math.sqrt(1 - share + share / readings)

    @property
    def by_order(self) -> bool:
        """Only the order of its values means anything: no mean, no percent."""
        return self.kind == "class"

    @property
    def can_be_first(self) -> bool:
        """Whether it can carry a verdict."""
        return self.judged

    @property
    def in_percent_points(self) -> bool:
        return self.kind in ("proportion", "yes or no")

    def can_answer(self, baseline: float) -> bool:
        """Whether a unit that begins so can show a difference at all."""
        low = -math.inf if self.answers_from is None else self.answers_from
        high = math.inf if self.answers_to is None else self.answers_to
        return low <= baseline <= high

    @property
    def lower_is_better(self) -> bool:
        return self.better == "lower"

    @property
    def conversion(self) -> Conversion:
        """From the record to what the household sees."""
        return conversion(self.kept_in, "US") if self.kept_in else Conversion(self.unit)

    @property
    def judged_unit(self) -> str:
        """The unit of the judged number: proportions are judged as percentage points."""
        return "percentage points" if self.in_percent_points else self.unit


@dataclass(frozen=True)
class OwnNoise:
    """What the gardener's own finished trials say: the pooled SD on the scale of the estimates, its df, how many."""

    sd: float
    df: int
    trials: int


def measure_from(key: str, entry: Mapping[str, Any], calculators: Mapping[str, Calculator] | None = None) -> Measure:
    """Build a measure from a TOML table, refusing unknown and missing keys by name; it names its calculator by key."""
    check_keys(key, entry, Measure, MeasureError, ["key"])
    values: dict[str, Any] = {name: tuple(value) if isinstance(value, list) else value for name, value in entry.items()}
    worked = values.pop("calculator", None)
    known = calculators or {}
    if worked is not None and worked not in known:
        raise MeasureError(f"{key}: there is no calculator {worked}")
    check_values(key, values, Measure, MeasureError, strict=True)
    return Measure(key=key, calculator=None if worked is None else known[worked], **values)


def as_shown(measure: Measure, system: System) -> Measure:
    """A measure in the household's units: what is typed, its range, noise and decimals; the same one where its unit
    stays. What is worked out keeps its unit."""
    how = conversion(measure.unit, system)
    if measure.kind != "quantity" or how.unit == measure.unit:
        return measure

    def at(value: float | None) -> float | None:
        return None if value is None else float(f"{how.shown(value):.4g}")

    def apart(value: float | None) -> float | None:
        return None if value is None else value * how.factor

    least, _ = measure.possible
    target = measure.target and (how.shown(measure.target[0]), how.shown(measure.target[1]))
    return replace(
        measure, unit=how.unit, kept_in=measure.unit, target=target, low=at(measure.low) or 0.0,
        high=at(measure.high) or 0.0, least=at(least) if math.isfinite(least) else least, most=at(measure.most),
        answers_from=at(measure.answers_from), answers_to=at(measure.answers_to), noise_sd=apart(measure.noise_sd),
        reading_sd=apart(measure.reading_sd),
        decimals=min(MOST_DECIMALS, measure.decimals + max(0, math.ceil(-math.log10(how.factor)))),
    )  # fmt: skip


def value_typed(measure: Measure, typed: str, unit: str = "") -> float:
    """What was typed for a measure as its number: a level or class by its words, yes and no, inputs of a calculator;
    a bare number in the `unit` that stood beside it, else in the measure's.

    Raises
    ------
    NumberError, QuantityError, CalculatorError
        Text that is none of it.
    """
    text = typed.strip()
    if measure.calculator is not None and "=" in text:
        result = reckon(measure.calculator, inputs_typed(text)).results[measure.calculator.main]
        if result is None:
            raise NumberError("these inputs give no number: skip the unit, and say why")
        return measure.conversion.shown(result) if measure.kept_in else result
    if measure.parts and "=" in text:
        return _counted(measure, inputs_typed(text))
    if measure.kind in BY_TAP and text.lower() in YES_NO:
        return YES_NO[text.lower()]
    if measure.levels:
        names = [level.lower() for level in measure.levels]
        matching = [n for n, name in enumerate(names) if text.lower() in (name, name.split()[0])]
        if len(matching) == 1:
            return measure.low + matching[0]
    return _number_in(measure, text, unit)


def part_name(part: str) -> str:
    """A class of a count as an input is named: “deep dwellers” is deep_dwellers."""
    return part.lower().replace(" ", "_")


def _counted(measure: Measure, given: Mapping[str, str]) -> float:
    """A count from those of its classes, each a whole number; what is not named is 0."""
    known = [part_name(part) for part in measure.parts]
    if strange := [name for name in given if name not in known]:
        raise NumberError(f"“{strange[0]}” is no class of {lower_first(measure.name)}: they are {', '.join(known)}")
    counts = [parse_number(text) for text in given.values()]
    if wrong := [count for count in counts if count < 0 or count != int(count)]:
        raise NumberError(f"{wrong[0]:g} doesn’t fit: each class is a whole number, 0 or more")
    return math.fsum(counts)


def _number_in(measure: Measure, text: str, unit: str) -> float:
    """“4,5 cm” as its number, and “2 in” where cm are asked. Raises NumberError, QuantityError."""
    own = measure.unit.lower()
    if own and text.lower().endswith(own):
        return parse_number(text[: -len(own)])
    if not is_convertible(measure.unit):
        return parse_number(text)
    bare = unit not in ("", measure.unit) and text[-1:].isdigit()
    return number_typed(f"{text} {unit}" if bare else text, measure.unit)


def inputs_typed(text: str) -> dict[str, str]:
    """“wet_g=182.4 dry_g=151.9” as inputs by name. Raises NumberError."""
    parts = text.split()
    if any("=" not in part for part in parts):
        raise NumberError(f"“{text}” is no list of inputs; write them like name=value name=value")
    return dict(part.split("=", 1) for part in parts)


@dataclass(frozen=True)
class Own:
    """What else a gardener may settle of an own measure: its kind, the words of its levels, seconds for one unit, when
    it is asked, whether it ends the plant, its noise (None: a guess until a trial has shown it)."""

    kind: Kind = "quantity"
    levels: tuple[str, ...] = ()
    seconds: int = 20
    when: When = "every round"
    destructive: bool = False
    noise: float | None = None


def own_measure(
    key: str, name: str, unit: str, low: float, high: float, decimals: int, better: Better, scale: Scale, how: str,
    own: Own | None = None,
) -> Measure:  # fmt: skip
    """A gardener's own measure. Raises MeasureError."""
    noun, own = lower_first(name), own or Own()
    if own.kind in BY_STEPS:
        low, high, decimals, unit = 0, max(1, len(own.levels) - 1), 0, unit or "levels"
    if own.kind in (*BY_STEPS, *BY_TAP, "count"):
        scale, decimals = "difference", 0
    said_already = scale == "difference" and noun.lower() == unit.strip().lower()  # not “3 slugs more slugs”
    of_it = "" if said_already else f" {noun}"
    guess = 0.25 if scale == "ratio" else OWN_NOISE.get(own.kind, (high - low) / 10)
    noise = guess if own.noise is None else own.noise
    return Measure(
        key=key,
        name=name,
        group="your own",
        kind=own.kind,
        unit=unit,
        low=low,
        high=high,
        decimals=decimals,
        better=better,
        scale=scale,
        seconds=own.seconds,
        more=f"came {{gap}} later with {noun}" if own.kind == "day" else f"gave {{gap}} more{of_it}",
        less=f"came {{gap}} sooner with {noun}" if own.kind == "day" else f"gave {{gap}} less{of_it}",
        how=(how,) if how else (),
        cannot_tell="Only you know what it can't tell: write it into the trial's note.",
        noise_cv=noise if scale == "ratio" else None,
        noise_sd=noise if scale == "difference" else None,
        levels=own.levels,
        when=own.when,
        destructive=own.destructive,
    )


def by_group(known: Mapping[str, Measure]) -> dict[Group, list[Measure]]:
    """Measures by what one looks at, in the order of the groups; empty groups are left out."""
    grouped = {group: [measure for measure in known.values() if measure.group == group] for group in GROUPS}
    return {group: measures for group, measures in grouped.items() if measures}


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
    if measure.kind == "yes or no":
        return 100 * mean
    if measure.kind != "proportion":
        return mean
    if not sown:
        raise MeasureError(f"{measure.name}: say how many seeds were sown in each unit")
    return 100 * mean / sown
