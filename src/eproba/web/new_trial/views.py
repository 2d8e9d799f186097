"""Planning a trial: claim, measure, treatments, units, lots; back and forth without losing anything."""

import secrets
from typing import Any

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.planning.advice import Advice, on_days, on_treatments, on_units
from eproba.core.planning.lots import LotsError
from eproba.core.planning.plan import LETTERS, dealt_units
from eproba.core.planning.trial import ROLES
from eproba.store.drafts import draft_answers, drop_draft, keep_answers, new_draft
from eproba.store.measures import all_measures
from eproba.store.trials import create_trial
from eproba.web.context import db, now, today
from eproba.web.new_trial.answers import first_answers, plan_from, typed_into
from eproba.web.new_trial.forms import STEPS, TITLES, MeasureForm, TreatmentsForm, UnitsForm
from eproba.web.pictures.ground_plan import ground_plan
from eproba.web.pictures.looks import looks

new_trial = Blueprint("new_trial", __name__, template_folder="templates")


@new_trial.post("/trials/new")
def begin() -> ResponseReturnValue:
    draft_id = new_draft(db(), first_answers(today()), now())
    db().commit()
    return redirect(url_for("new_trial.step", draft_id=draft_id, name="claim"))


def _answers(draft_id: int) -> dict[str, Any]:
    answers = draft_answers(db(), draft_id)
    if answers is None:
        abort(404, "This draft is gone: it was thrown away, or its lots have been dealt.")
    return answers


def _forms(answers: dict[str, Any]) -> dict[str, Any]:
    measures = all_measures(db())
    return {name: typed_into(form, answers[name], measures) for name, form in STEPS.items()}


@new_trial.get("/trials/new/<int:draft_id>/<any(claim, measure, treatments, units):name>")
def step(draft_id: int, name: str) -> ResponseReturnValue:
    answers = _answers(draft_id)
    form = _forms(answers)[name]
    if request.args.get("check"):
        form.validate()
    return _page(draft_id, name, form, answers)


@new_trial.post("/trials/new/<int:draft_id>/<any(claim, measure, treatments, units):name>")
def keep(draft_id: int, name: str) -> ResponseReturnValue:
    """Keep what was typed, then go where asked; on to the next step only when this one is right."""
    answers = _answers(draft_id)
    typed = {key: request.form.getlist(key) for key in request.form if key not in ("csrf_token", "go")}
    go = request.form.get("go", "next")
    answers[name] = _rows_changed(typed, go) if name == "treatments" else typed
    keep_answers(db(), draft_id, name, answers[name], now())
    db().commit()
    form = _forms(answers)[name]
    if go == "next" and not form.validate():
        return _page(draft_id, name, form, answers), 400
    return redirect(_address(draft_id, _target(name, go)))


def _target(name: str, go: str) -> str:
    names = list(TITLES)
    if go in names:
        return go
    move = {"next": 1, "back": -1}.get(go, 0)
    return names[max(0, names.index(name) + move)]


def _address(draft_id: int, name: str) -> str:
    if name == "deal":
        return url_for("new_trial.overview", draft_id=draft_id)
    return url_for("new_trial.step", draft_id=draft_id, name=name)


def _rows_changed(typed: dict[str, list[str]], go: str) -> dict[str, list[str]]:
    """Add or take away a row of treatments, the others moving up."""
    rows = sorted({int(key.split("-")[1]) for key in typed if key.startswith("treatments-")})
    kept = [row for row in rows if go != f"remove-{row}"]
    changed = {key: value for key, value in typed.items() if not key.startswith("treatments-")}
    for new, old in enumerate(kept):
        changed |= {f"treatments-{new}-{f}": typed.get(f"treatments-{old}-{f}", [""]) for f in ("name", "role", "how")}
    if go == "add" and len(kept) < len(LETTERS):
        changed |= {f"treatments-{len(kept)}-{f}": [v] for f, v in (("name", ""), ("role", "test"), ("how", ""))}
    return changed


def _page(draft_id: int, name: str, form: Any, answers: dict[str, Any]) -> str:
    return render_template(
        f"new_trial/{name}.html",
        draft_id=draft_id,
        name=name,
        titles=TITLES,
        form=form,
        measures=all_measures(db()),
        roles=ROLES,
        letters=LETTERS,
        advice=_advice(name, answers),
    )


def _advice(name: str, answers: dict[str, Any]) -> list[Advice]:
    """Advice on one step, as far as what was typed can be read."""
    forms = _forms(answers)
    treatments: TreatmentsForm = forms["treatments"]
    units: UnitsForm = forms["units"]
    measure: MeasureForm = forms["measure"]
    if name == "treatments":
        poured = treatments.amount_unit.data in ("mL", "L")
        return on_treatments([entry.form.role.data for entry in treatments.treatments], poured)
    if name == "units" and units.validate():
        return on_units(units.dealing.data, int(units.units_each.number or 1), len(treatments.treatments))
    if name == "measure" and measure.validate():
        return on_days(all_measures(db())[measure.measure.data], int(measure.decision_day.number or 1))
    return []


@new_trial.route("/trials/new/<int:draft_id>/deal", methods=["GET", "POST"])
def overview(draft_id: int) -> ResponseReturnValue:
    answers = _answers(draft_id)
    if request.form.get("go") in STEPS:
        return redirect(_address(draft_id, request.form["go"]))
    forms = _forms(answers)
    for name, form in forms.items():
        if not form.validate():
            flash("Something is still open in this step.")
            return redirect(url_for("new_trial.step", draft_id=draft_id, name=name, check=1))
    measures = all_measures(db())
    plan = plan_from(**forms, measures=measures)
    try:
        preview = dealt_units(plan, "only a preview")
    except LotsError as error:
        flash(str(error))
        return redirect(url_for("new_trial.step", draft_id=draft_id, name="units"))
    if request.method == "POST":
        trial_id = create_trial(db(), plan, secrets.token_hex(8), now())
        drop_draft(db(), draft_id)
        db().commit()
        return redirect(url_for("trials.show", trial_id=trial_id, dealt=1))
    blank = [("?", "to be dealt", "water control")]
    hidden = {letter: looks(blank)["?"] for letter in plan.letters}  # type: ignore[arg-type]
    return render_template(
        "new_trial/deal.html",
        draft_id=draft_id,
        name="deal",
        titles=TITLES,
        plan=plan,
        measures=measures,
        looks=looks([(letter, t.name, t.role) for letter, t in zip(plan.letters, plan.treatments, strict=True)]),
        ground=ground_plan(plan.ground, preview, hidden),
        advice=[a for name in ("measure", "treatments", "units") for a in _advice(name, answers)],
    )


@new_trial.post("/trials/new/<int:draft_id>/throw-away")
def throw_away(draft_id: int) -> ResponseReturnValue:
    drop_draft(db(), draft_id)
    db().commit()
    return redirect(url_for("trials.index"))
