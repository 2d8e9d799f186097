"""What the treatments of a trial cost and whether they pay, as *What next* and the report tell it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial

from eproba.core.applying.prices import harvest_worth, money, prices_on
from eproba.core.applying.spent import Spent, spent
from eproba.core.judging.from_trial import unit_values
from eproba.core.judging.judgement import Judgement
from eproba.core.judging.paying import gain_of, is_weighed, pays
from eproba.core.trial.model import Reading, Trial
from eproba.core.wording.money import carried_line, money_lines
from eproba.store.batches import batches
from eproba.store.kit import household_kit
from eproba.store.recipes import all_recipes
from eproba.web.ui.session import db
from eproba.web.ui.units import units


@dataclass(frozen=True)
class Paying:
    """One treatment: what it cost and whether it pays, in sentences; what was carried."""

    letter: str
    name: str
    lines: Sequence[str]
    carried: str


def taken(trial: Trial) -> dict[str, Spent]:
    """What each treatment took, by name, at the prices of the trial's days."""
    household = household_kit(db())
    numbers = {n for pour in trial.pours for n in (pour.batch, pour.other_batch) if n is not None}
    brews = {batch.id: batch for batch in batches(db(), sorted(numbers))} if numbers else {}
    prices = prices_on(household.priced, trial.ended_on or trial.decision_on)
    return {took.name: took for took in spent(trial, all_recipes(db()), household.kit, prices, brews)}


def paying(trial: Trial, judgement: Judgement, readings: Sequence[Reading], took: Mapping[str, Spent]) -> list[Paying]:
    """What each treatment cost beside the control; empty where no price is known, or nothing is given any more."""
    household, weighed = household_kit(db()), is_weighed(trial)
    others = [spending for name, spending in took.items() if name != judgement.question.control]
    if trial.rules.carried == "lasted" or all(spending.cost is None for spending in others):
        return []
    worth = harvest_worth(prices_on(household.priced, trial.ended_on or trial.decision_on), trial.rules.crops)
    control = took[judgement.question.control]
    mean = _control_mean(trial, judgement, readings) if weighed and trial.summary == "last" else None
    said = partial(money, currency=household.currency)
    treatments = []
    for comparison in judgement.comparisons:
        mine, beyond = took[comparison.treatment], None
        if mine.money_a_unit is not None and control.money_a_unit is not None:
            gain = gain_of(comparison, trial.scale, mean, trial.lower_is_better) if weighed else None
            beyond = pays(mine.money_a_unit - control.money_a_unit, gain, worth, mean)
        lines = money_lines(mine, control, comparison, beyond, said, trial.noun, units())
        treatments.append(Paying(mine.letter, mine.name, lines, carried_line(mine, units())))
    return treatments


def _control_mean(trial: Trial, judgement: Judgement, readings: Sequence[Reading]) -> float | None:
    """What the control's units brought in the mean, in the unit of the measure."""
    values = [
        unit.value
        for unit in unit_values(trial, trial.asked[0], readings)
        if unit.treatment == judgement.question.control and unit.value is not None
    ]
    return sum(values) / len(values) if values else None
