"""Simulated meters: seeded and plausible, with the faults of real ones, behind the interface of `core` `Meter`."""

import math
import random
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from eproba.core.measuring.meters import Meter, MeterDoubt, MeterValue
from eproba.standins.weather import SimulatedStation

OUTSIDE_PPM, MOST_PPM = 420.0, 5000.0
WARM_UP = timedelta(minutes=3)  # a CO₂ meter reads low until its lamp is warm
LOW_WHEN_COLD = 150.0  # ppm
EVERY = timedelta(seconds=20)
SCALE_DRIFT = 0.05  # g an hour


@dataclass(frozen=True)
class SimulatedMeter:
    """One meter held to one spot, whose truth comes from the seed; `says` turns truth and moment into a value."""

    name: str
    unit: str
    doubt: MeterDoubt
    says: Callable[[datetime, datetime], float]
    measure: str = ""
    simulated: bool = True

    def now(self, at: datetime) -> MeterValue | None:
        return MeterValue(at, self.says(at, at))

    def run(self, since: datetime, until: datetime) -> Sequence[MeterValue]:
        """A value every 20 seconds; a chamber closes at `since`."""
        count = max(0, math.floor((until - since) / EVERY)) + 1
        moments = [since + n * EVERY for n in range(count)]
        return [MeterValue(at, self.says(since, at)) for at in moments]


def meters_at(spot: str, switched_on: datetime | None = None) -> tuple[Meter, ...]:
    """All simulated meters, held to a spot (a unit's code, say, which seeds its truth).

    `switched_on`: the CO₂ meter reads low for three minutes after it; None: it has been warm for long.
    """
    truth = random.Random(f"{spot}:truth")
    wet, warm, mass = truth.uniform(3.0, 9.0), truth.uniform(11.0, 19.0), truth.uniform(40.0, 120.0)
    rise = truth.uniform(6.0, 20.0)

    def noise(what: str, at: datetime, sd: float) -> float:
        return random.Random(f"{spot}:{what}:{at.isoformat()}").gauss(0.0, sd)

    def carbon_dioxide(closed: datetime, at: datetime) -> float:
        ppm = OUTSIDE_PPM + rise * (at - closed).total_seconds() / 60
        cold = 0.0
        if switched_on is not None and at - switched_on < WARM_UP:
            cold = LOW_WHEN_COLD * (1 - (at - switched_on) / WARM_UP)
        doubt = CO2_DOUBT.at(ppm)
        return round(min(MOST_PPM, max(0.0, ppm - cold + noise("co2", at, doubt / 3))), 0)

    def moisture(_since: datetime, at: datetime) -> float:
        return round(min(10.0, max(0.0, wet + noise("moisture", at, 0.1))), 1)

    def soil(_since: datetime, at: datetime) -> float:
        return round(warm + noise("soil", at, 0.05), 1)

    def weight(_since: datetime, at: datetime) -> float:
        drift = SCALE_DRIFT * (at.hour + at.minute / 60)
        return round(mass + drift + noise("scale", at, 0.03), 1)

    def rain(_since: datetime, at: datetime) -> float:
        hours = SimulatedStation().hours(at - timedelta(hours=24), at)
        return round(math.fsum(hour.rain_mm for hour in hours), 1)

    return (
        SimulatedMeter("CO₂ meter", "ppm", CO2_DOUBT, carbon_dioxide),
        SimulatedMeter("moisture probe", "points", MeterDoubt(0.3), moisture, "moisture_meter"),
        SimulatedMeter("soil thermometer", "°C", MeterDoubt(0.2), soil, "soil_temperature"),
        SimulatedMeter("scale", "g", MeterDoubt(0.1), weight),
        SimulatedMeter("rain gauge, last 24 hours", "mm", MeterDoubt(0.2), rain, "rain"),
    )


CO2_DOUBT = MeterDoubt(30.0, 0.03)
