"""The cheapest plan that would settle a can't-tell: the same design again, in as few minutes as it takes."""

from dataclasses import dataclass, replace

from eproba.core.judging.judgement import Judgement, Needed
from eproba.core.measuring.measures import Measure, OwnNoise
from eproba.core.planning.chance import own_power
from eproba.core.planning.cutter import noise_without_blocks
from eproba.core.planning.outlook import (
    ENOUGH,
    PERIODS,
    Noise,
    NoiseUnknown,
    as_noise,
    as_sd,
    fewest,
    noise_of,
    step_of,
)
from eproba.core.planning.prospect import ChanceError, Prospect
from eproba.core.trial.days import POUR_SECONDS
from eproba.core.trial.ground import SEVERAL, UnitKind
from eproba.core.trial.lots import Dealing
from eproba.core.trial.model import Trial
from eproba.core.words import minutes_text

MOST_READINGS = 5


@dataclass(frozen=True)
class Settling:
    """Units of each, how they are dealt, readings of each unit; its chance at a true worth, the minutes of one round
    with its application. On and off: `units` periods, and the minutes of all their rounds. `low` and `high`: the units
    that it takes where units differ by as little or as much as they may (`high` None: beyond all reason).
    `poured`: whether anything is given beside the reading."""

    units: int
    dealing: Dealing
    per_unit: int
    chance: float
    minutes: float
    low: int = 0
    high: int | None = None
    poured: bool = True


def settling_of(trial: Trial, own: OwnNoise | None) -> Settling | None:
    """What would settle a trial's question; None where nothing does, or nothing is said to be worth having.

    Its noise is the planner's: the `own` trials, this one among them, drawn to the catalogue.
    """
    first, scale = trial.asked[0], trial.scale
    if trial.worth is None or not first.measure.can_be_first:
        return None
    treatments, units = 4 if trial.crossed else 2, PERIODS[0] if trial.turns else 2
    try:
        days = trial.decision_day
        noise = noise_of(first.measure, scale, None, own, trial.summary, days, sown=first.sown)
        like = Prospect(
            treatments, units, False, scale, noise.value, trial.worth,
            no_worse=trial.no_worse, crossed=trial.crossed, turns=trial.turns,
            step=step_of(first.measure, trial.summary),
        )  # fmt: skip
    except (ChanceError, NoiseUnknown):  # so noisy that nothing can be planned on it, or nobody knows how noisy
        return None
    graded = noise_without_blocks(trial.site)
    plan = cheapest(like, first.measure, graded=graded)
    if plan is not None and not trial.pours:
        plan = replace(plan, poured=False, minutes=plan.minutes - treatments * plan.units * POUR_SECONDS / 60)
    return plan and _with_range(plan, like, first.measure, noise, graded)


def _with_range(plan: Settling, like: Prospect, measure: Measure, noise: Noise, graded: float) -> Settling:
    """The plan with the units that it takes where units differ by as little, and by as much, as they may."""
    like = replace(like, blocks=plan.dealing in ("pairs", "blocks"))
    low, high = (
        _plan(like, measure, as_sd(end, like.scale) * measure.averaged(plan.per_unit), plan.per_unit, graded)
        for end in (noise.low, noise.high)
    )
    return replace(plan, low=low.units if low else plan.units, high=high.units if high else None)


def with_needed(judgement: Judgement, plan: Settling | None) -> Judgement:
    """The judgement that says of each can't-tell what this plan takes: verdict and What next name one number. What is
    judged by order keeps its own."""
    needed = None
    if plan is not None:
        parts = "periods" if plan.dealing == "on and off" else "units"
        needed = Needed(plan.low, plan.units, plan.high, plan.per_unit, parts)
    comparisons = [
        replace(c, needed=needed if c.verdict == "cannot_tell" else None) if not c.by_order else c
        for c in judgement.comparisons
    ]
    return replace(judgement, comparisons=tuple(comparisons))


def settling_words(plan: Settling, kind: UnitKind) -> str:
    """The plan in a sentence."""
    read = "" if plan.per_unit == 1 else f", each read {plan.per_unit} times"
    took = minutes_text(plan.minutes)
    if plan.dealing == "on and off":
        how, cost = f"{plan.units} periods, on and off", f"All rounds and pours take {took}"
    else:
        dealt = {"pairs": "in pairs", "blocks": "in blocks"}.get(plan.dealing, "anywhere")
        how, cost = f"{plan.units} {SEVERAL[kind]} per treatment, dealt {dealt}", f"A round and a pour take {took}"
        cost = cost if plan.poured else f"A round takes {took}"
    text = f"The cheapest plan that would settle it: {how}{read}. {cost}."
    return f"{text} If it truly works that well, this plan shows it {100 * plan.chance:.0f} times in 100."


def cheapest(like: Prospect, measure: Measure, per_unit: int = 1, graded: float = 1.0) -> Settling | None:
    """The plan with the fewest minutes that finds a true worth in 8 of 10; None: there is none.

    Parameters
    ----------
    like : a plan of the same design, with its worth and its noise from unit to unit at `per_unit` readings of each;
        its units and blocks count for nothing.
    graded : how much more units differ on this ground where no blocks take its gradient out.
    """
    plans = []
    for readings in range(1, 2 if measure.kind == "day" else MOST_READINGS + 1):
        sd = like.sd * measure.averaged(readings) / measure.averaged(per_unit)
        for blocks in (False,) if like.turns else (False, True):
            plan = _plan(replace(like, blocks=blocks), measure, sd, readings, graded)
            plans += [] if plan is None else [plan]
    return min(plans, key=lambda plan: (plan.minutes, plan.units, plan.dealing == "completely random"), default=None)


def _plan(like: Prospect, measure: Measure, sd: float, readings: int, graded: float) -> Settling | None:
    try:
        restless = 1.0 if like.blocks or like.turns else graded
        like = replace(like, noise=as_noise(sd, like.scale) * restless, step=like.step / readings)
        plan = replace(like, units=fewest(like) or 0)
    except ChanceError:  # noisier, or larger, than a garden can be
        return None
    minutes = plan.treatments * plan.units * (readings * measure.seconds + POUR_SECONDS) / 60
    return Settling(plan.units, _dealing(plan), readings, own_power(plan) or ENOUGH, minutes)


def _dealing(like: Prospect) -> Dealing:
    if like.turns:
        return "on and off"
    if not like.blocks:
        return "completely random"
    return "pairs" if like.treatments == 2 else "blocks"
