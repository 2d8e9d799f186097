"""The mixing desk: by hand, or for a trial's treatments side by side."""

from dataclasses import replace
from typing import Any

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.applying.comparing import added, carbon_warnings, warnings
from eproba.core.applying.desk import KILLED, all_added, at_the_desk, unlike
from eproba.core.brewing.kitchen import as_measured, cans, fillings, measured, too_weak_for
from eproba.core.brewing.mixing import ingredient_alone, mix, parts_as_written
from eproba.core.brewing.recipe import Ground
from eproba.core.brewing.water import on_water
from eproba.core.catalogue import equipment
from eproba.core.errors import EprobaError
from eproba.core.planning.advice import Advice
from eproba.core.planning.rates import on_recipes
from eproba.core.trial.model import Trial
from eproba.exchange.mix_out import steps_of
from eproba.store.commands.kit import keep_kit
from eproba.store.kit import household_kit
from eproba.store.recipes import all_recipes, offered_recipes
from eproba.web.mixing.forms import KitForm, MixForm, household_made, kit_filled, want_of
from eproba.web.pictures.added import added_rulers
from eproba.web.ui.clock import today
from eproba.web.ui.looks import trial_looks
from eproba.web.ui.session import db, system, trial_or_404
from eproba.web.ui.units import sentence, units
from eproba.web.verdict.keeping import commit

mixing = Blueprint("mixing", __name__, template_folder="templates")


def _form(typed: Any) -> MixForm:
    """The desk's questions, checked apart from a token: the desk changes nothing."""
    form = MixForm(formdata=typed or None, meta={"csrf": False})
    form.recipe.choices = [(key, recipe.title) for key, recipe in offered_recipes(db()).items()]
    form.equipment.choices = [(key, tool.name) for key, tool in equipment(system()).items()]
    if not typed:
        form.recipe.data, form.area.data, form.units.data, form.each.data = "yeast-starter", *_usual()
    elif not form.by.data:
        form.by.data, form.means.data, form.area.data = "area", "plus", form.area.data or _usual()[0]
        form.equipment.data = "can"
    return form


@mixing.get("/mix")
def by_hand() -> ResponseReturnValue:
    form = _form(request.args)
    kit_form = KitForm(data=kit_filled(household_kit(db())))
    return render_template("mixing/desk.html", form=form, kit_form=kit_form, **_mixed(form))


@mixing.post("/mix/again")
def again() -> ResponseReturnValue:
    """The answer alone, while the questions are being typed."""
    return render_template("mixing/answer.html", **_mixed(_form(request.form)))


def _usual() -> tuple[str, str, str]:
    """What the desk begins with: an area, units, and so much for each."""
    return ("10", "6", "0.25") if system() == "metric" else ("100", "6", "1 cup")


def _mixed(form: MixForm) -> dict[str, Any]:
    known, household = all_recipes(db()), household_kit(db())
    recipe = known.get(form.recipe.data or "", known["yeast-starter"])
    form.rate.kept_unit = recipe.rate_unit
    if not form.validate():
        problem = next(sentence(error) for errors in form.errors.values() for error in errors)
        return {"mixed": None, "problem": problem, "household": household, "recipe": recipe}
    tool = equipment(system()).get(form.equipment.data or "", equipment(system())["can"])
    if tool.key == "can":
        tool = replace(tool, litres=household.kit.can_l)
    try:
        want = want_of(form)
        if want.area_m2 is not None and want.rate is None and recipe.liquid:
            want = replace(want, rate=tool.rate)
        mixed = mix(recipe, want)
        really = as_measured(mixed, household.kit)
    except EprobaError as error:
        return {"mixed": None, "problem": sentence(error), "household": household, "recipe": recipe}
    return {
        "mixed": mixed,
        "really": really,
        "warnings": carbon_warnings(added("", recipe.title, really, 1, {}, 0.0), units()) if really.loads else [],
        "too_weak": too_weak_for(tool, mixed.parts) if recipe.liquid else "",
        "problem": "",
        "recipe": recipe,
        "household": household,
        "can": cans(mixed, household.kit),
        "kitchen": [(amount, measured(amount, household.kit)) for amount in mixed.amounts],
        "written": parts_as_written(mixed.parts) if recipe.liquid else [],
        "steps": steps_of(mixed, units()),
        "alone": ingredient_alone(mixed),
        "tool": tool,
        "fillings": fillings(mixed.application_litres, tool) if mixed.application_litres else None,
        "water": on_water(household.water, mixed.application_litres, units()) if mixed.application_litres else None,
    }


@mixing.post("/mix/kit")
def keep() -> ResponseReturnValue:
    """Keep what the household measures with."""
    household, form = household_kit(db()), KitForm()
    if not form.validate_on_submit():
        flash(next(iter(form.errors.values()))[0])
        return redirect(url_for("mixing.by_hand"))
    keep_kit(db(), household_made(form, household))
    commit()
    flash("Saved. Amounts are rounded to what you can measure.")
    return redirect(url_for("mixing.by_hand", recipe=request.form.get("recipe") or None))


@mixing.get("/trials/<int:trial_id>/mix")
def for_trial(trial_id: int) -> ResponseReturnValue:
    """All treatments of a trial mixed for one application, and what each really adds."""
    trial, household = trial_or_404(trial_id), household_kit(db())
    desk = at_the_desk(trial, all_recipes(db()), household.kit)
    loads, look = all_added(trial, desk, household.prices), trial_looks(trial)
    return render_template(
        "mixing/trial.html",
        trial=trial,
        desk=desk,
        looks=look,
        kit=household.kit,
        measured=measured,
        killed=KILLED,
        loads=loads,
        warnings=[
            *warnings([load for load in loads if load.water_l > 0 or load.easy_carbon_g > 0], units()),
            *unlike(trial),
        ],
        advice=_on_recipes(trial),
        concentrated=any(place.mixed and place.mixed.water_litres for place in desk),
        once=added_rulers(loads, look, total=False, units=units()),
        total=added_rulers(loads, look, total=True, units=units()),
        is_open=not trial.sealed(today()),
    )


def _on_recipes(trial: Trial) -> list[Advice]:
    """Each dose and its days against its recipe, as the planner tells it."""
    household = household_kit(db())
    days = [
        sorted({pour.day for pour in trial.pours if pour.letter == treatment.letter and pour.what == "dose"})
        for treatment in trial.treatments
    ]
    cuts = [unit.cut for unit in trial.laid_out]

    def ground_on(day: int) -> Ground:
        return household.ground_on(trial.date_of(day))

    return on_recipes(trial.treatments, days, cuts, all_recipes(db()), ground_on, units())
