"""The measures: the catalogue's and one's own."""

import secrets

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm
from wtforms import RadioField, StringField
from wtforms.validators import InputRequired, Length

from eproba.core.catalogue import measures as catalogue
from eproba.core.measuring.measures import MeasureError, own_measure
from eproba.store.commands.measures import add_own_measure, drop_own_measure
from eproba.store.measures import all_measures
from eproba.web.ui.fields import NumberField, whole
from eproba.web.ui.session import db

measures = Blueprint("measures", __name__, template_folder="templates")


class OwnMeasureForm(FlaskForm):
    name = StringField("Name", [InputRequired("Name it, e.g. Flowers open."), Length(max=60)])
    unit = StringField("Unit", [InputRequired("Each number has a unit: cm, flowers, points."), Length(max=20)])
    low = NumberField("Smallest sensible value", default="0")
    high = NumberField("Largest sensible value", default="100")
    decimals = NumberField("Decimals", 0, 4, whole=True, default="0")
    better = RadioField("Better is", choices=[("higher", "more"), ("lower", "less")], default="higher")
    scale = RadioField(
        "Compared by", choices=[("difference", "differences"), ("ratio", "percent")], default="difference"
    )
    how = StringField("How it is done", [Length(max=300)])


@measures.route("/measures", methods=["GET", "POST"])
def index() -> ResponseReturnValue:
    form = OwnMeasureForm()
    if form.validate_on_submit() and _added(form):
        flash(f"“{form.name.data}” can now be measured.")
        draft = whole(request.args.get("draft", ""))
        back = url_for("measures.index") if draft is None else _plan(draft)
        return redirect(back)
    every = all_measures(db())
    page = render_template(
        "measures/index.html",
        form=form,
        catalogue=catalogue(),
        own=[m for k, m in every.items() if k not in catalogue()],
        back="" if (draft := whole(request.args.get("draft", ""))) is None else _plan(draft),
    )
    return page, 400 if form.errors else 200


def _plan(draft_id: int) -> str:
    """The step of the plan that one came from."""
    return url_for("new_trial.step", draft_id=draft_id, name="measure")


def _added(form: OwnMeasureForm) -> bool:
    taken = {measure.name.lower() for measure in all_measures(db()).values()}
    name = (form.name.data or "").strip()
    if name.lower() in taken:
        form.name.errors = [f"There is a measure named “{name}” already."]
        return False
    try:
        measure = own_measure(
            f"own_{secrets.token_hex(6)}",
            name,
            (form.unit.data or "").strip(),
            form.low.number or 0,
            form.high.number or 0,
            int(form.decimals.number or 0),
            form.better.data,
            form.scale.data,
            (form.how.data or "").strip(),
        )
    except MeasureError as error:
        form.high.errors = [str(error).partition(": ")[2]]
        return False
    add_own_measure(db(), measure)
    db().commit()
    return True


@measures.post("/measures/<key>/delete")
def drop(key: str) -> ResponseReturnValue:
    if drop_own_measure(db(), key):
        db().commit()
        flash("Measure deleted.")
    else:
        flash("A trial uses this measure; it stays.")
    return redirect(url_for("measures.index"))
