"""What readings of the same thing differ by in a trial, from second readers and from units asked again."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from eproba.core.stats.reader_noise import ReaderNoise, noise_between, reader_noise, readings_for, share_of_reading
from eproba.core.trial.model import Asked, Reading, Trial

ENOUGH = 0.2  # the readings' own share of the variance below which nobody need care


@dataclass(frozen=True)
class Readers:
    """Of one measure: pairs of readings, their noise (`in_percent`: on the log scale), how much of what units differ by
    is the readings' own (None: not enough units to tell), and how many readings of each unit would settle it.

    `first` and `second`: who read; the same name where one reader was asked again.
    """

    asked: Asked
    first: str
    second: str
    pairs: int
    noise: ReaderNoise
    in_percent: bool
    share: float | None
    readings: int | None

    @property
    def one_reader(self) -> bool:
        return self.first == self.second

    @property
    def leans(self) -> bool:
        """Whether one of two reads higher than the other by more than twice what chance would give."""
        return not self.one_reader and self.noise.lean_se is not None and abs(self.noise.lean) > 2 * self.noise.lean_se


def readers(trial: Trial, readings: Iterable[Reading], repeats: Iterable[Reading]) -> list[Readers]:
    """For each measure and each two who read the same (or one who read it twice), two pairs or more."""
    place = {_place(reading): reading for reading in readings if reading.value is not None}
    groups: dict[tuple[str, str, str], list[tuple[Reading, Reading]]] = {}
    for second in repeats:
        first = place.get(_place(second))
        if first is not None and second.value is not None:
            groups.setdefault((second.measure_key, first.by, second.by), []).append((first, second))
    asked = {asked.measure.key: asked for asked in trial.asked}
    return [
        _told(trial, asked[key], pairs, list(place.values()))
        for (key, _, _), pairs in sorted(groups.items())
        if len(pairs) > 1 and key in asked
    ]


def _place(reading: Reading) -> tuple[int, int, str, int]:
    return reading.round_id, reading.unit_id, reading.measure_key, reading.replicate


def _told(trial: Trial, asked: Asked, pairs: Sequence[tuple[Reading, Reading]], readings: Sequence[Reading]) -> Readers:
    values = [reading.value or 0.0 for reading in readings if reading.measure_key == asked.measure.key]
    logs = asked.measure.scale == "ratio" and all(value > 0 for value in values)
    logs = logs and all((second.value or 0.0) > 0 for _, second in pairs)
    differences = [_on(second.value, logs) - _on(first.value, logs) for first, second in pairs]
    first, second = pairs[0][0].by, pairs[0][1].by
    noise = reader_noise(differences, first == second)
    between = _between(trial, asked, {pair[0].round_id for pair in pairs}, readings, logs)
    if between is None:
        return Readers(asked, first, second, len(pairs), noise, logs, None, None)
    share = share_of_reading(noise.sd, between, asked.per_unit)
    wanted = readings_for(noise.sd, between, asked.per_unit, ENOUGH)
    return Readers(asked, first, second, len(pairs), noise, logs, share, wanted)


def _on(value: float | None, logs: bool) -> float:
    return math.log(value or 1.0) if logs else value or 0.0


def _between(trial: Trial, asked: Asked, rounds: set[int], readings: Sequence[Reading], logs: bool) -> float | None:
    """What units alike in treatment and block differ by, in the last of these rounds."""
    last = max((round_ for round_ in trial.rounds if round_.id in rounds), key=lambda reading: reading.day)
    by_unit: dict[int, list[float]] = {}
    for reading in readings:
        if reading.round_id == last.id and reading.measure_key == asked.measure.key:
            by_unit.setdefault(reading.unit_id, []).append(_on(reading.value, logs))
    units = [unit for unit in trial.units if unit.id in by_unit]
    means = [math.fsum(by_unit[unit.id]) / len(by_unit[unit.id]) for unit in units]
    blocks = [unit.block if trial.in_blocks else None for unit in units]
    return noise_between(means, [unit.letter for unit in units], blocks) if units else None
