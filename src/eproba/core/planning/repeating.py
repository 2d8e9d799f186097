"""What a finished trial teaches the next one of its question: its own ledger, turned into changes of the plan."""

import math
from dataclasses import dataclass

import numpy as np

from eproba.core.judging.judgement import Judgement
from eproba.core.trial.ground import Gradient
from eproba.core.trial.model import Trial

STEP = 45.0  # degrees, as the ground is drawn


@dataclass(frozen=True)
class Learned:
    """What is to be done otherwise, and each change in a sentence; `gradient`: what ran across the ground, so that
    blocks lie across it; `even`: plain water makes up differences."""

    gradient: Gradient | None = None
    even: bool = False
    words: tuple[str, ...] = ()


def learned(trial: Trial, judgement: Judgement) -> Learned:
    """What the ledger of a trial blames that a plan can mend: a gradient that was left, unequal water, late lots."""
    said = {line.says for line in judgement.trust}
    gradient = _gradient(trial, judgement) if said & {"neighbours alike", "gradient across"} else None
    even = "unequal water" in said
    words = []
    if gradient is not None:
        words.append("Something ran across the ground last time: the units lie in blocks across it now.")
    if even:
        words.append("The treatments got unequal water last time: plain water makes up for it now.")
    if "dealt after the start" in said:
        words.append("The lots fell after day 0 last time: deal them before it now.")
    return Learned(gradient, even, tuple(words))


def _gradient(trial: Trial, judgement: Judgement) -> Gradient:
    """The gradient as it was drawn, else the way in which what the model left grows."""
    if trial.site.gradient is not None:
        return trial.site.gradient
    cuts = {unit.code: unit.cut for unit in trial.units}
    left = [(*cuts[code].middle, residual) for code, residual in judgement.residuals if code in cuts]
    table = np.array(left)
    x, y = ((table[:, axis] - table[:, axis].mean()) for axis in (0, 1))
    slopes, *_ = np.linalg.lstsq(np.column_stack([x, y]), table[:, 2], rcond=None)
    towards = math.degrees(math.atan2(slopes[0], -slopes[1]))
    return Gradient("other", STEP * round(towards / STEP) % 360)
