"""The envelope: what a look before the decision day costs.

References
----------
O'Brien, P. C. & Fleming, T. R. (1979). A multiple testing procedure for clinical trials. Biometrics 35.
Lan, K. K. G. & DeMets, D. L. (1983). Discrete sequential boundaries for clinical trials. Biometrika 70: the spending
function, by time passed.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from scipy import special

from eproba.core.judging.contrasts import asked_at_once
from eproba.core.stats.sample_size import own_noise_df
from eproba.core.stats.sidak import shared_bound
from eproba.core.trial.model import Trial

ALL = 0.05  # the risk of a false alarm that a trial has to spend


def spent(share: float) -> float:
    """What may be spent of the 5 % once a share of the planned time has passed, 0 to 1."""
    if share <= 0:
        return 0.0
    return ALL if share >= 1 else float(2 * special.ndtr(special.ndtri(ALL / 2) / math.sqrt(share)))


@dataclass(frozen=True)
class Price:
    """What a look on a day costs: how many standard errors a gap must be now, how many on the decision day after it,
    and how many it would be there without any early look; None where the plan can't be judged at all."""

    day: int
    of: int
    now: float | None
    later: float | None
    unlooked: float | None


def price_of(trial: Trial, day: int) -> Price:
    """The price of a look on a day of a trial, with those already taken."""
    groups, looks = len(trial.treatments), [look.day for look in trial.looks]
    df = own_noise_df(groups, len(trial.units) // groups, trial.in_blocks, 0)
    at_once = asked_at_once(groups - 1, ladder=trial.laddered, crossed=trial.crossed)

    def errors(confidence: float) -> float | None:
        return float(shared_bound(df, at_once, confidence)) if df >= 1 else None

    end = trial.decision_day
    return Price(
        day=day,
        of=end,
        now=errors(confidence_at(day, end, looks)),
        later=errors(confidence_at(end, end, [*looks, day])),
        unlooked=errors(1 - ALL),
    )


def confidence_at(day: int, decision_day: int, looks: Sequence[int]) -> float:
    """The confidence of a look's interval, given the days of earlier looks.

    Notes
    -----
    Increments of the spending function, added up (Bonferroni), since the summary at each look is another question: the
    look pays what has come free since the last one. A second look at a day that is paid for costs nothing more.
    """
    paid = sorted({min(look, decision_day) for look in looks if look < day})
    before = spent(paid[-1] / decision_day) if paid else 0.0
    return 1 - (spent(day / decision_day) - before)
