"""Each unit's course over the days, from its readings."""

from collections import defaultdict
from collections.abc import Iterable

from eproba.core.measuring.measures import unit_value
from eproba.core.stats.summaries import Points
from eproba.core.trial.model import Asked, Reading, Trial


def courses(trial: Trial, asked: Asked, readings: Iterable[Reading]) -> dict[int, Points]:
    """Each unit's course by unit id: (day, unit value) for every round with a reading."""
    day = {each.id: each.day for each in trial.rounds}
    raw: dict[tuple[int, int], list[float]] = defaultdict(list)
    for reading in readings:
        if reading.measure_key == asked.measure.key and reading.value is not None:
            raw[reading.unit_id, day[reading.round_id]].append(reading.value)
    points: dict[int, list[tuple[int, float]]] = {unit.id: [] for unit in trial.units}
    for (unit_id, on), values in sorted(raw.items()):
        points[unit_id].append((on, unit_value(asked.measure, values, asked.sown)))
    return {unit_id: tuple(each) for unit_id, each in points.items()}


def last_round_day(trial: Trial, by_unit: dict[int, Points]) -> int | None:
    """The last day on which the measure was read, after day 0 and up to the decision day."""
    days = [day for points in by_unit.values() for day, _ in points if 0 < day <= trial.decision_day]
    return max(days, default=None)
