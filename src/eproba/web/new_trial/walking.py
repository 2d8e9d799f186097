"""The walk of one draft: its steps in order, what the household knows, what was typed."""

from dataclasses import dataclass, replace
from datetime import date
from typing import TYPE_CHECKING, Any, get_args

from eproba.core.measuring.measures import Measure, OwnNoise
from eproba.core.planning.crops import kind_tried
from eproba.core.planning.draft import Known, StepName
from eproba.core.stats.series import Scale
from eproba.core.trial.model import Trial
from eproba.core.words import lower_first
from eproba.store.findings import own_noise
from eproba.store.kit import household_kit
from eproba.store.measures import all_measures
from eproba.store.recipes import all_recipes
from eproba.store.tables import DraftRow
from eproba.web.new_trial.following import follow
from eproba.web.new_trial.steps.chance import ChanceStep
from eproba.web.new_trial.steps.claim import ClaimStep
from eproba.web.new_trial.steps.days import DaysStep
from eproba.web.new_trial.steps.ground import GroundStep, drawn
from eproba.web.new_trial.steps.measure import MeasureStep
from eproba.web.new_trial.steps.rules import RulesStep
from eproba.web.new_trial.steps.step import Answers, Bench, OwnNoiseOf, PlannerStep, Typed, Walk
from eproba.web.new_trial.steps.treatments import TreatmentsStep
from eproba.web.new_trial.usual import dose_for, row_of
from eproba.web.ui.clock import today
from eproba.web.ui.session import db, system
from eproba.web.ui.units import units

if TYPE_CHECKING:  # the statistics are heavy: fetched only where they are needed
    from eproba.core.planning.repeating import Learned

NAMES: tuple[StepName, ...] = get_args(StepName)
DEAL = "deal"


class _OfThisHousehold(OwnNoiseOf):
    def __call__(self, measure: Measure, scale: Scale) -> OwnNoise | None:
        return own_noise(db(), measure, scale)


def steps() -> dict[StepName, PlannerStep[Any, Any]]:
    """All steps in their order."""
    every: tuple[PlannerStep[Any, Any], ...] = (
        ClaimStep(), MeasureStep(), TreatmentsStep(), GroundStep(), ChanceStep(), DaysStep(), RulesStep(),
    )  # fmt: skip
    return {step.name: step for step in every}


def bench() -> Bench:
    household = household_kit(db())
    known = Known(all_measures(db()), all_recipes(db()), household.ground_on, units())
    return Bench(known, household.kit, _OfThisHousehold(), today())


def first_answers(on: date) -> Answers:
    """What a new trial starts with: a common, fair plan."""
    return {name: step.first(on) | {"shown_in": [system()]} for name, step in steps().items()}


def answers_from(trial: Trial, on: date) -> Answers:
    """The answers that would plan a trial again, from tomorrow on."""
    return {name: step.first(on) | {"shown_in": [system()]} | step.again(trial, on) for name, step in steps().items()}


def answers_learned(trial: Trial, on: date, lesson: "Learned") -> Answers:
    """The answers that would plan a trial again, with what its ledger blamed done otherwise."""
    answers = answers_from(trial, on)
    if lesson.gradient is not None:
        site = replace(trial.site, gradient=lesson.gradient)
        answers["ground"] |= {"places": [drawn(site)], "dealing": ["blocks"], "proposal": [""], "cuts": [""]}
    if lesson.even:
        answers["treatments"] |= {"even": ["y"]}
    return answers


def answers_taken_back(trial: Trial, on: date) -> Answers:
    """The answers that this very trial was planned by: its own name, note and first day."""
    answers = answers_from(trial, on)
    answers["claim"] |= {"name": [trial.name], "note": [trial.note]}
    answers["measure"] |= {"start_on": [trial.start_on.isoformat()]}
    return answers


def answers_on_own_ground(trial: Trial, on: date, units_each: int) -> Answers:
    """The answers that would plan a trial again, but for its ground: that is yet to be drawn."""
    answers = first_answers(on)
    for name, step in steps().items():
        answers[name] |= {"units_each": [str(units_each)]} if name == "ground" else step.again(trial, on)
    return answers


@dataclass(frozen=True)
class Tried:
    """One of two that are tried against each other: a recipe, or a school of one, and in words how it is used."""

    recipe: str
    how: str = ""


def answers_against(pair: tuple[Tried, Tried], on: date) -> Answers:
    """The answers that would plan a trial of two recipes, or of two schools of one, against each other."""
    known, answers, before = bench().known, first_answers(on), first_answers(on)
    recipes = [known.recipes[tried.recipe] for tried in pair]
    kinds = [kind_tried(recipe.title, recipe) for recipe in recipes]
    kind = kinds[0] if len(set(kinds)) == 1 else "dry"
    names = [", ".join(filter(None, (recipe.title, tried.how))) for recipe, tried in zip(recipes, pair, strict=True)]
    rows: Typed = {}
    for place, (name, recipe, tried) in enumerate(zip(names, recipes, pair, strict=True)):
        dose = {field: texts[0] for field, texts in dose_for(kind, "test", known.units, recipe).items()}
        rows |= row_of(place, name=name[:60], role="test", recipe=recipe.key, how=tried.how, **dose)
    kept = {key: texts for key, texts in answers["treatments"].items() if not key.startswith("treatments-")}
    answers["treatments"] = kept | rows
    answers["claim"] |= {
        "compared": [kind],
        "against": ["test"],
        "name": [f"{names[0]} or {lower_first(names[1])}"[:80]],
    }
    follow(before, answers, known)
    return answers


def answers_of(draft: DraftRow) -> Answers:
    """What was typed; steps that an older plan did not have begin with the usual, fields that it lacks are empty."""
    usual = first_answers(today())
    return {name: draft.answers.get(name, typed) for name, typed in usual.items()}


def walk_of(answers: Answers) -> Walk:
    return Walk(steps(), answers, bench())
