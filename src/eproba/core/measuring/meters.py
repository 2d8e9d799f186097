"""Meters behind one interface, real or simulated: what one gives, read now or as a run of values with their times."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Protocol

from eproba.core.errors import EprobaError
from eproba.core.measuring.calculators import ECO2
from eproba.core.measuring.measures import Measure
from eproba.core.quantities import Conversion

FRESH = timedelta(minutes=10)  # a value that is older says nothing about now
AHEAD = timedelta(minutes=10)  # a meter's clock that runs ahead by more gives values from the future
STEADY = 3  # so many values in a row that agree
QUICK = timedelta(minutes=1)  # a meter that gives fewer values in it has averaged by itself


class MeterError(EprobaError):
    """A meter or a value of one that can't be; the message says what to do."""


@dataclass(frozen=True)
class MeterValue:
    """What a meter said, and when."""

    at: datetime
    value: float


@dataclass(frozen=True)
class MeterDoubt:
    """What a meter is off by, by its leaflet: so much in its unit, and a share of what it says."""

    own: float
    share: float = 0.0

    def at(self, value: float) -> float:
        return self.own + self.share * abs(value)


class Meter(Protocol):
    """A meter: its name, the `measure` it gives (empty: whatever is asked in its unit), its unit, its doubt."""

    @property
    def name(self) -> str: ...
    @property
    def measure(self) -> str: ...
    @property
    def unit(self) -> str: ...
    @property
    def doubt(self) -> MeterDoubt: ...
    @property
    def simulated(self) -> bool: ...

    def now(self, at: datetime) -> MeterValue | None:
        """The value at a moment; None where it says nothing."""

    def run(self, since: datetime, until: datetime) -> Sequence[MeterValue]:
        """Its values from `since` to `until`, in order."""


@dataclass(frozen=True)
class RecordedMeter:
    """A meter whose values came in by themselves or in a log: `values` in order of time."""

    name: str
    measure: str
    unit: str
    doubt: MeterDoubt
    values: Sequence[MeterValue]
    simulated: bool = False

    def now(self, at: datetime) -> MeterValue | None:
        """The last value, where it is no older than ten minutes."""
        fresh = self.run(at - FRESH, at)
        return fresh[-1] if fresh else None

    def run(self, since: datetime, until: datetime) -> Sequence[MeterValue]:
        return [value for value in self.values if since <= value.at <= until]


@dataclass(frozen=True)
class ShownMeter:
    """A meter as a household with other units sees it."""

    meter: Meter
    how: Conversion

    @property
    def name(self) -> str:
        return self.meter.name

    @property
    def measure(self) -> str:
        return self.meter.measure

    @property
    def unit(self) -> str:
        return self.how.unit

    @property
    def doubt(self) -> MeterDoubt:
        return MeterDoubt(self.how.apart_shown(self.meter.doubt.own), self.meter.doubt.share)

    @property
    def simulated(self) -> bool:
        return self.meter.simulated

    def now(self, at: datetime) -> MeterValue | None:
        value = self.meter.now(at)
        return None if value is None else MeterValue(value.at, self.how.shown(value.value))

    def run(self, since: datetime, until: datetime) -> Sequence[MeterValue]:
        return [MeterValue(sample.at, self.how.shown(sample.value)) for sample in self.meter.run(since, until)]


def steady(meter: Meter, at: datetime) -> float | None:
    """The mean of a quick meter's last three values, where they lie within its own doubt, or the last value of a slow
    one; None: wait, or it says nothing."""
    last = [sample.value for sample in meter.run(at - QUICK, at)[-STEADY:]]
    if len(last) < STEADY:
        latest = meter.now(at)
        return None if latest is None else latest.value
    mean = math.fsum(last) / STEADY
    return mean if max(last) - min(last) <= 2 * meter.doubt.at(mean) else None


def fits(meter: Meter, measure: str, unit: str) -> bool:
    """Whether a meter can fill a field that asks a measure (or an input of its calculator) in a unit."""
    return unit != "" and meter.unit == unit and meter.measure in ("", measure)


@dataclass(frozen=True)
class Filling:
    """What a meter can fill of a measure: `fields`, single inputs of its calculator (“”: the value itself), and `run`,
    the inputs that take the minutes and the values of a run."""

    fields: tuple[str, ...] = ()
    run: tuple[str, str] | None = None


def filling(meter: Meter, measure: Measure) -> Filling | None:
    """What a meter can fill of a measure; None: nothing."""
    worked = measure.calculator
    if worked is None:
        return Filling(("",)) if fits(meter, measure.key, measure.unit) else None
    inputs = [input_ for input_ in worked.inputs if fits(meter, measure.key, input_.unit)]
    single = tuple(input_.name for input_ in inputs if not input_.many)
    values = [input_.name for input_ in inputs if input_.many]
    minutes = [input_.name for input_ in worked.inputs if input_.many and input_.unit == "min"]
    run = (minutes[0], values[0]) if minutes and values else None
    return Filling(single, run) if single or run else None


def in_unit(meter: Meter, measure: Measure) -> Meter:
    """A meter as it is read for a measure that the household sees in another unit than its record's."""
    return ShownMeter(meter, measure.conversion) if measure.kept_in == meter.unit != "" else meter


def as_run(values: Sequence[MeterValue]) -> tuple[str, str]:
    """A run as two inputs of a calculator: the minutes since its first value, and the values.

    Raises
    ------
    MeterError
        Fewer than three values: no line can be laid through them.
    """
    if len(values) < STEADY:
        raise MeterError(f"The meter gave {len(values)} values in that time; {STEADY} are the fewest. Wait, then take.")
    first = values[0].at
    minutes = [f"{(value.at - first).total_seconds() / 60:.4g}" for value in values]
    return ";".join(minutes), ";".join(f"{value.value:.6g}" for value in values)


def check_name(name: str) -> None:
    """Refuse by name what reckons a CO₂ from alcohol in the air. Raises MeterError."""
    if any(word in name.lower() for word in ECO2):
        raise MeterError(f"“{name}” smells alcohol, not CO₂: it can’t measure breathing. Take an infrared meter.")


def checked(value: float, at: datetime, now: datetime) -> MeterValue:
    """A value that a meter sent. Raises MeterError where it is no number or lies in the future."""
    if not math.isfinite(value):
        raise MeterError("The value is no number.")
    if at > now + AHEAD:
        raise MeterError(f"{at.isoformat(timespec='seconds')} is still to come: set the meter’s clock right.")
    return MeterValue(at, value)
