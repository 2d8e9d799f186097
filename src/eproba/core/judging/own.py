"""Each treatment against the control on the noise of its own: what a treatment scatters widens no other's interval."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from eproba.core.judging.judge import covariate_of, on_scale
from eproba.core.stats.many_to_one import adjusted_p, critical_value
from eproba.core.stats.own_noise import own_correlation, own_gaps
from eproba.core.stats.series import Question, UnitValue


@dataclass(frozen=True)
class OwnFigures:
    """The gap's error on its own noise, its degrees of freedom, and its intervals, alone and among all."""

    se: float
    df: float
    p: float
    low: float
    high: float
    p_adjusted: float
    low_adjusted: float
    high_adjusted: float


def own_figures(units: Sequence[UnitValue], question: Question) -> Mapping[str, OwnFigures]:
    """By treatment; those are left out that have no noise of their own (one unit, or all its units alike).

    Parameters
    ----------
    units : as `judge` takes them, checked.
    question : control, scale, confidence.

    Notes
    -----
    HC2 errors and Satterthwaite's df, see `stats.own_noise`; simultaneous by the multivariate t with the correlations
    of the HC2 covariance and each comparison's own df (Hasler & Hothorn 2008).
    """
    living = [unit for unit in units if unit.value is not None]
    values = np.array([on_scale(unit.value, question) for unit in living])
    size = float(np.abs(values).max(initial=0.0)) or 1.0  # squares of the largest numbers overflow
    values = values / size
    baseline, _ = covariate_of(living, question)
    counted = {name: sum(unit.treatment == name for unit in living) for name in {unit.treatment for unit in living}}
    others = dict.fromkeys(unit.treatment for unit in living if unit.treatment != question.control)
    pairs = [(name, question.control) for name in others if min(counted[name], counted.get(question.control, 0)) >= 2]
    told = [(pair, gap) for pair, gap in zip(pairs, own_gaps(living, values, baseline, pairs), strict=True) if gap]
    if not told:
        return {}
    together = own_correlation(living, values, baseline, [pair for pair, _ in told])
    alone = np.eye(1)
    found = {}
    for (name, _), gap in told:
        t = gap.estimate / gap.se
        plain = gap.se * critical_value(alone, gap.df, question.confidence)
        wide = gap.se * critical_value(together, gap.df, question.confidence)
        low, high, far_low, far_high = (size * (gap.estimate + by) for by in (-plain, plain, -wide, wide))
        figures = OwnFigures(
            size * gap.se, gap.df, adjusted_p(t, alone, gap.df), low, high, adjusted_p(t, together, gap.df), far_low,
            far_high,
        )  # fmt: skip
        if all(math.isfinite(each) for each in vars(figures).values()):
            found[name] = figures
    return found
