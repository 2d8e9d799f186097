"""The plan that would settle a can't-tell, as the answers of a new draft, and drawn."""

from dataclasses import replace
from datetime import date

from eproba.core.errors import EprobaError
from eproba.core.planning.draft import chosen, site_of
from eproba.core.planning.settling import Settling
from eproba.core.trial.model import Trial
from eproba.web.new_trial.steps.step import Answers
from eproba.web.new_trial.walking import answers_from, first_answers, walk_of
from eproba.web.pictures.ground_plan import GroundPlan, ground_plan
from eproba.web.ui.units import sentence, units


def settling_answers(trial: Trial, letter: str, plan: Settling, on: date) -> Answers:
    """The same question of this treatment alone, with as many units as settle it."""
    # Of two things at once none is alone: all four are asked again, each of as many units.
    two = {treatment.letter for treatment in trial.treatments} if trial.crossed else {letter, trial.control}
    alone = replace(
        trial,
        treatments=tuple(replace(treatment, rung=None) for treatment in trial.treatments if treatment.letter in two),
        units=tuple(unit for unit in trial.units if unit.letter in two),
        pours=tuple(pour for pour in trial.pours if pour.letter in two),
        ranked=False,
        batches=1,
    )
    answers = answers_from(alone, on)
    ground = answers["ground"]
    if trial.kind == "pot":
        ground = first_answers(on)["ground"]
    answers["ground"] = ground | {
        "units_each": [str(plan.units)],
        "dealing": [plan.dealing],
        "proposal": [""],
        "cuts": [""],
        "sizes": [""],
    }
    answers["measure"] = answers["measure"] | {"per_unit": [str(plan.per_unit)]}
    return answers


def drawn_plan(answers: Answers) -> GroundPlan | str:
    """How the planner cuts the ground for it, or why it does not fit there."""
    walk = walk_of(answers)
    ground = walk.draft.ground
    if ground is None:
        return "Its ground is to be drawn in the plan."
    try:
        taken = chosen(walk.draft, ground, walk.known)
    except EprobaError as error:
        return sentence(error)
    if taken.units_each < ground.units_each:
        return f"It holds {taken.units_each} of each, and the plan needs {ground.units_each}: draw more ground in it."
    return ground_plan(site_of(walk.draft, ground), [(cut, None) for cut in taken.cuts], {}, household=units())
