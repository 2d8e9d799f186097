"""A value on the scale of its gaps."""

import math

from eproba.core.stats.series import CannotJudge, Question


def on_scale(number: float | None, question: Question) -> float:
    """A value as the gaps are taken of it: its log on the ratio scale. Raises CannotJudge for a lost unit."""
    if number is None:
        raise CannotJudge("a lost unit has no value")
    return math.log(number) if question.scale == "ratio" else number


def off_scale(number: float, question: Question) -> float:
    """The way back from `on_scale`."""
    return math.exp(number) if question.scale == "ratio" else number
