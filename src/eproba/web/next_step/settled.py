"""The plan that would settle a can't-tell, as the answers of a new draft, and drawn."""

from dataclasses import replace
from datetime import date

from eproba.core.errors import EprobaError
from eproba.core.judging.judgement import Judgement
from eproba.core.planning.draft import chosen, site_of
from eproba.core.planning.outlook import as_sd, noise_of
from eproba.core.planning.settling import Settling, cheapest
from eproba.core.trial.model import Trial
from eproba.core.wording.next_step import minutes_text
from eproba.core.words import plural
from eproba.store.findings import own_noise
from eproba.web.new_trial.steps.step import Answers
from eproba.web.new_trial.walking import answers_from, first_answers, walk_of
from eproba.web.pictures.ground_plan import GroundPlan, ground_plan
from eproba.web.ui.session import db


def settling_plan(trial: Trial, judgement: Judgement) -> Settling | None:
    """The cheapest plan that would settle one treatment against the control; None where there is none to be told."""
    if trial.worth is None or not trial.asked[0].measure.can_be_first:
        return None
    first = trial.asked[0]
    sd = judgement.noise_sd or _usual_noise(trial)
    return cheapest(first.measure, trial.scale, trial.worth, sd, first.per_unit, trial.no_worse)


def _usual_noise(trial: Trial) -> float:
    """What units differ by, where this trial could not tell it (one unit of each, say): by the catalogue and the
    gardener's other trials, on the scale of the estimates."""
    measure = trial.asked[0].measure
    noise = noise_of(measure, trial.scale, None, own_noise(db(), measure.key, trial.scale))
    return as_sd(noise.value, trial.scale)


def settling_words(plan: Settling | None, trial: Trial) -> str:
    """The plan in a sentence."""
    if plan is None:
        return ""
    how = "in pairs" if plan.pairs else "anywhere"
    read = "" if plan.per_unit == 1 else f", each read {plan.per_unit} times"
    units = f"{plan.units} {plural(plan.units, trial.kind, 'patches' if trial.kind == 'patch' else None).split()[1]}"
    cost = f"a round and an application take {minutes_text(plan.minutes)}"
    text = f"The cheapest plan that would settle it: {units} of each {how}{read}; {cost}"
    return f"{text}, and it finds what you want in {100 * plan.chance:.0f} of 100, if that is the truth."


def settling_answers(trial: Trial, letter: str, plan: Settling, on: date) -> Answers:
    """The same question of this treatment alone, with as many units as settle it."""
    # Of two things at once none is alone: all four are asked again, each of as many units.
    two = {each.letter for each in trial.treatments} if trial.crossed else {letter, trial.control}
    dealing = "completely random" if not plan.pairs else "blocks" if trial.crossed else "pairs"
    alone = replace(
        trial,
        treatments=tuple(replace(each, rung=None) for each in trial.treatments if each.letter in two),
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
        "dealing": [dealing],
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
        return str(error)
    return ground_plan(site_of(walk.draft, ground), [(cut, None) for cut in taken.cuts], {})
