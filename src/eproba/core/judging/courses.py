"""Each unit's course over the days, from its readings."""

from collections import defaultdict
from collections.abc import Iterable, Mapping
from itertools import accumulate
from statistics import fmean

from eproba.core.measuring.measures import unit_value
from eproba.core.stats.summaries import Point, Points
from eproba.core.trial.model import Asked, Reading, Trial


def courses(trial: Trial, asked: Asked, readings: Iterable[Reading]) -> dict[int, Points]:
    """Each unit's course by unit id: a point for every round with a reading, at the day on which it was truly read."""
    planned = {round_.id: round_.day for round_ in trial.rounds}
    raw: dict[tuple[int, int], list[Reading]] = defaultdict(list)
    for reading in readings:
        if reading.measure_key == asked.measure.key and reading.value is not None:
            raw[reading.unit_id, planned[reading.round_id]].append(reading)
    points: dict[int, list[Point]] = {unit.id: [] for unit in trial.units}
    for (unit_id, day), cell_readings in sorted(raw.items()):
        values = [reading.value for reading in cell_readings if reading.value is not None]
        point = Point(day, true_day(trial, cell_readings[-1], day), unit_value(asked.measure, values, asked.sown))
        points[unit_id].append(point)
    if asked.measure.adds_up:
        return {unit_id: _added(point) for unit_id, point in points.items()}
    return {unit_id: tuple(point) for unit_id, point in points.items()}


def mean_courses(trial: Trial, by_unit: Mapping[int, Points]) -> dict[str, list[tuple[int, float]]]:
    """By letter, the mean of a treatment’s units in each round: its planned day, and the mean of those read in it."""
    values: dict[str, dict[int, list[float]]] = {treatment.letter: {} for treatment in trial.treatments}
    for unit in trial.units:
        for point in by_unit[unit.id]:
            values[unit.letter].setdefault(point.planned, []).append(point.value)
    return {letter: [(day, fmean(read)) for day, read in sorted(of_day.items())] for letter, of_day in values.items()}


def in_round(trial: Trial, by_unit: Mapping[int, Points], day: int) -> dict[str, float]:
    """What each unit read in the round of a planned day, by its code."""
    return {unit.code: point.value for unit in trial.units for point in by_unit[unit.id] if point.planned == day}


def _added(points: list[Point]) -> Points:
    """What came in up to each round, together."""
    return tuple(
        Point(p.planned, p.day, total) for p, total in zip(points, accumulate(p.value for p in points), strict=True)
    )


def true_day(trial: Trial, reading: Reading, planned: int) -> int:
    """The trial's day on which a reading was read; the planned one where that is not known."""
    return planned if reading.read_at is None else trial.day_of(reading.read_at.date())


def last_round_day(trial: Trial, by_unit: dict[int, Points], at: int | None = None) -> int | None:
    """The planned day of the last round in which the measure was read, after day 0 and up to the decision day (or
    `at`, before it)."""
    end = trial.decision_day if at is None else min(at, trial.decision_day)
    days = [point.planned for points in by_unit.values() for point in points if 0 < point.planned <= end]
    return max(days, default=None)
