"""What next after a verdict: each treatment's choices with their reasons, scaling up, and the plan that settles it."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

from flask import Blueprint, abort, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.applying.desk import recipe_for, strength_of
from eproba.core.applying.scaling_up import LADDER, WayOut, ways
from eproba.core.applying.spent import reading_minutes
from eproba.core.catalogue import equipment
from eproba.core.errors import EprobaError
from eproba.core.quantities import Amount, number_typed
from eproba.core.stats.series import CannotJudge
from eproba.core.trial.carrying import usual_looks
from eproba.core.trial.doses import dose_of, litres_a_m2
from eproba.core.trial.model import Reading, Trial
from eproba.core.words import minutes_text
from eproba.store.beside import beside_of
from eproba.store.carried import carried_on, earlier
from eproba.store.commands.drafts import new_draft
from eproba.store.findings import own_noise
from eproba.store.kit import household_kit
from eproba.store.readings import all_readings
from eproba.store.recipes import all_recipes
from eproba.store.together import questions_asked
from eproba.web.next_step.label import promises_told
from eproba.web.ui.clock import now, today
from eproba.web.ui.looks import trial_looks
from eproba.web.ui.session import db, seen_trial_or_404, system, trial_or_404
from eproba.web.ui.units import sentence, units
from eproba.web.verdict.keeping import commit

if TYPE_CHECKING:
    from eproba.core.judging.judgement import Judgement

next_step = Blueprint("next_step", __name__, template_folder="templates")
MOST_AREA = 100_000.0
MOST_BOXES = 40  # fillings that are ticked on a sheet


@dataclass(frozen=True)
class Scaled:
    """A treatment over more ground: the ways to bring it out, or why there are none."""

    letter: str
    area: str
    ways: list[WayOut]
    problem: str = ""

    @property
    def cautions(self) -> dict[str, list[str]]:
        """Every caution once, with the names of the ways that it is for."""
        by_text: dict[str, list[str]] = {}
        for way in self.ways:
            for key in way.cautions:
                by_text.setdefault(key, []).append(way.equipment.name)
        return by_text


@next_step.get("/trials/<int:trial_id>/next")
def show(trial_id: int) -> ResponseReturnValue:
    trial = seen_trial_or_404(trial_id)
    if trial.sealed(today()):
        abort(404, "What next follows the verdict: the envelope is still shut.")
    from eproba.core.applying.spent import SEASON_WEEKS
    from eproba.core.judging.answers import questions_of
    from eproba.core.judging.crossed import by_effects
    from eproba.core.judging.next_step import next_steps
    from eproba.core.planning.settling import settling_of, settling_words
    from eproba.core.wording.crossed import effect_sentence
    from eproba.core.wording.next_step import ORDER, reasons
    from eproba.core.wording.sentences import Wording, headline
    from eproba.web.next_step.paying import paying, taken
    from eproba.web.next_step.settled import drawn_plan, settling_answers
    from eproba.web.verdict.findings import answered

    readings = all_readings(db(), trial_id)
    try:
        judgement = answered(db(), trial, readings, beside_of(db(), trial))
    except CannotJudge as error:
        return render_template("next_step/unjudged.html", trial=trial, problem=sentence(error))
    if trial.rules.carried == "lasted":
        return _lasted(trial, judgement)
    wording, took = Wording.of(trial, trial.asked[0]), taken(trial)
    judgement = by_effects(judgement)
    currency = household_kit(db()).currency
    minutes = {name: spending.minutes for name, spending in took.items()}
    costs = {name: spending.money_a_m2 for name, spending in took.items() if spending.money_a_m2 is not None}
    steps = next_steps(judgement, minutes, costs)
    plan = settling_of(trial, own_noise(db(), trial.asked[0].measure, trial.scale))
    letters = {treatment.name: treatment.letter for treatment in trial.treatments}
    comparisons = {comparison.treatment: comparison for comparison in judgement.comparisons}
    words = settling_words(plan, trial.kind) if plan else ""
    choices = [
        (letters[s.treatment], s, headline(comparisons[s.treatment], judgement, wording.noun),
         reasons(s, comparisons[s.treatment], judgement, wording, took, words, units(), currency))
        for s in sorted(steps, key=lambda step: ORDER.index(step.advised))
    ]  # fmt: skip
    beyond = {
        effect.name: effect_sentence(effect, judgement, wording) for effect in judgement.effects if effect.of == "12"
    }
    unsettled = next((letter for letter, s, *_ in choices if s.unsettled), None)
    drawn = drawn_plan(settling_answers(trial, unsettled, plan, today())) if plan and unsettled else None
    return render_template(
        "next_step/next.html",
        trial=trial,
        usual_area=_usual_area(),
        looks=trial_looks(trial),
        told=choices,
        beyond=beyond,
        spent=took.values(),
        paying=paying(trial, judgement, readings, took),
        minutes=minutes_text,
        weeks=SEASON_WEEKS,
        read=reading_minutes(trial, readings),
        plan=plan,
        going_on=carried_on(db(), trial.key),
        promised=promises_told(trial),
        look_days=[str(day) for day in usual_looks(trial)],
        settling=words,
        drawn=None if isinstance(drawn, str) else drawn,
        no_room=drawn if isinstance(drawn, str) else "",
        scaled=_scaled(trial),
        asked=questions_asked(db(), tuple(questions_of(trial).values())),
    )


def _lasted(trial: Trial, judgement: "Judgement") -> str:
    """What a look again says; what to do follows from the trial before it."""
    from eproba.core.wording.next_step import lasted_text
    from eproba.core.wording.sentences import Wording, headline

    wording = Wording.of(trial, trial.asked[0])
    letters = {treatment.name: treatment.letter for treatment in trial.treatments}
    looks_said = [
        (letters[c.treatment], c.treatment, headline(c, judgement, wording.noun), lasted_text(c, judgement, wording))
        for c in judgement.comparisons
    ]
    came_from, looks = earlier(db(), trial.rules.after), trial_looks(trial)
    return render_template("next_step/lasted.html", trial=trial, told=looks_said, looks=looks, came_from=came_from)


def _usual_area() -> str:
    return "10" if system() == "metric" else "100"


def _scaled(trial: Trial) -> Scaled | None:
    """The treatment and the ground that were asked for, by each way."""
    letter, area = request.args.get("scale", ""), request.args.get("area", "").strip()
    treatment = next((treatment for treatment in trial.treatments if treatment.letter == letter), None)
    if treatment is None:
        return None
    recipe, dose = recipe_for(treatment, trial, all_recipes(db())), dose_of(treatment)
    rate = None if dose is None else litres_a_m2(dose, trial, letter)
    if recipe is None or rate is None:
        return Scaled(letter, area, [], "It is not poured: spread it by the square metre, as in the trial.")
    try:
        square = number_typed(area or _usual_area(), "m²", system())
        if not 0 < square <= MOST_AREA:
            raise EprobaError(
                "{} doesn’t fit: give more than 0, up to {}.", Amount(square, "m²"), Amount(MOST_AREA, "m²")
            )
        tools = [equipment(system())[key] for key in LADDER]
        way = ways(recipe, square, rate, strength_of(treatment, trial), tools)
    except EprobaError as error:
        return Scaled(letter, area, [], sentence(error))
    return Scaled(letter, area or _usual_area(), way)


@next_step.get("/trials/<int:trial_id>/next/sheet")
def scale_sheet(trial_id: int) -> ResponseReturnValue:
    """What a treatment takes over more ground, on paper, with a box for each filling."""
    trial = seen_trial_or_404(trial_id)
    if trial.sealed(today()):
        abort(404, "What next follows the verdict: the envelope is still shut.")
    scaled = _scaled(trial)
    if scaled is None or not scaled.ways:
        abort(404, scaled.problem if scaled and scaled.problem else "Say which treatment, and over how much ground.")
    treatment = trial.treatment(scaled.letter)
    recipe = recipe_for(treatment, trial, all_recipes(db()))
    size = request.args.get("paper", "a4")
    return render_template(
        "next_step/scale_sheet.html",
        trial=trial,
        paper=size if size in ("a4", "letter") else "a4",
        treatment=treatment,
        recipe=recipe,
        scaled=scaled,
        boxes=MOST_BOXES,
        looks=trial_looks(trial),
    )


@next_step.post("/trials/<int:trial_id>/next/settle")
def settle(trial_id: int) -> ResponseReturnValue:
    """The plan that would settle it, as a draft."""
    from eproba.core.planning.settling import settling_of
    from eproba.web.next_step.settled import settling_answers
    from eproba.web.verdict.findings import judged

    trial = trial_or_404(trial_id)
    letter = request.form.get("letter", "")
    if (
        trial.sealed(today())
        or letter == trial.control
        or letter not in {treatment.letter for treatment in trial.treatments}
    ):
        abort(400, "Choose a treatment of a trial whose envelope is open.")
    readings: tuple[Reading, ...] = all_readings(db(), trial_id)
    try:
        judged(trial, trial.asked[0], readings, beside_of(db(), trial))
    except CannotJudge as error:
        abort(400, sentence(error))
    plan = settling_of(trial, own_noise(db(), trial.asked[0].measure, trial.scale))
    if plan is None:
        abort(400, "No plan of a sensible size settles it: take a larger worth, or a quieter measure.")
    draft_id = new_draft(db(), settling_answers(trial, letter, plan, today()), now())
    commit()
    return redirect(url_for("new_trial.sheet", draft_id=draft_id))
