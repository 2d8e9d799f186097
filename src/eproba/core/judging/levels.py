"""Bags, batches and crops as levels of the blocks: does it hold for every one of them, or for one."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from scipy import special

from eproba.core.judging.scale import on_scale
from eproba.core.stats.series import Question, UnitValue
from eproba.core.trial.model import Trial


@dataclass(frozen=True)
class Level:
    """The gap within the blocks of one crop or batch, and how many blocks there are."""

    name: str
    gap: float
    blocks: int


@dataclass(frozen=True)
class Levels:
    """One treatment over the levels of a kind (“crop”, “batch”).

    `p`: the F test of the block gaps between the levels; None where each level has one block alone.
    """

    treatment: str
    kind: str
    levels: tuple[Level, ...]
    p: float | None


def levels_of(trial: Trial, values: Sequence[UnitValue], question: Question) -> tuple[Levels, ...]:
    """Each treatment over the crops and over the batches of a trial in blocks; nothing where there is one of each."""
    if not trial.in_blocks or question.kind == "class":
        return ()
    crops = {unit.code: trial.crop_of(unit) for unit in trial.units}
    batches = {unit.code: str(trial.batch_of(unit)) for unit in trial.units}
    every_kind = []
    for kind, level in (("crop", crops), ("batch", batches)):
        if len(set(level.values())) > 1:
            others = dict.fromkeys(value.treatment for value in values if value.treatment != question.control)
            every_kind += [
                levels for name in others if (levels := _of(name, kind, level, values, question)) is not None
            ]
    return tuple(every_kind)


def _of(
    treatment: str, kind: str, level: Mapping[str, str], values: Sequence[UnitValue], question: Question
) -> Levels | None:
    gaps: dict[str, list[float]] = {}
    for block in dict.fromkeys(value.block for value in values):
        of_block = [
            value for value in values if value.block == block and value.value is not None and np.isfinite(value.value)
        ]
        treated, control = (
            [on_scale(value.value, question) for value in of_block if value.treatment == name]
            for name in (treatment, question.control)
        )
        if treated and control:
            gap = sum(treated) / len(treated) - sum(control) / len(control)
            gaps.setdefault(level[of_block[0].unit], []).append(gap)
    if len(gaps) < 2:
        return None
    levels_seen = tuple(Level(name, sum(gap) / len(gap), len(gap)) for name, gap in gaps.items())
    return Levels(treatment, kind, levels_seen, _between(list(gaps.values())))


def _between(groups: Sequence[Sequence[float]]) -> float | None:
    """p of the one-way F test; None where nothing is left over within the groups."""
    count, df = sum(map(len, groups)), len(groups) - 1
    means = [sum(group) / len(group) for group in groups]
    overall = sum(map(sum, groups)) / count
    within = sum((gap - mean) ** 2 for value, mean in zip(groups, means, strict=True) for gap in value)
    between = sum(len(group) * (mean - overall) ** 2 for group, mean in zip(groups, means, strict=True))
    if count - df - 1 < 1 or within <= 0:
        return None
    return float(special.fdtrc(df, count - df - 1, between / df / (within / (count - df - 1))))
