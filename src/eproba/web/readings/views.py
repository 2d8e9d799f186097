"""Readings as tables, their corrections, CSV out and in."""

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm
from wtforms import HiddenField, StringField
from wtforms.validators import InputRequired, Length

from eproba.core.trial.model import Reading, Trial
from eproba.exchange.readings_csv import Preview, preview, write_readings
from eproba.exchange.table import TableError, decode
from eproba.store.readings import add_many, correct, corrections_of, readings_of
from eproba.store.trials import declare_trial
from eproba.web.context import db, now, today, trial_or_404, who
from eproba.web.numbers import NumberField
from eproba.web.readings.importing import import_rows
from eproba.web.trials.views import download, file_name

readings = Blueprint("readings", __name__, template_folder="templates")


class CorrectionForm(FlaskForm):
    value = NumberField("Right value (empty: no reading)", optional=True)
    reason = StringField("Why?", [InputRequired("Say why: the old value is kept beside it."), Length(max=300)])
    version = HiddenField()


@readings.get("/trials/<int:trial_id>/readings")
def index(trial_id: int) -> ResponseReturnValue:
    trial = trial_or_404(trial_id)
    asked_for = request.args.get("round", type=int)
    done = [each for each in trial.rounds if each.done]
    chosen = next((r for r in trial.rounds if r.id == asked_for), done[-1] if done else trial.rounds[0])
    found = readings_of(db(), trial_id, chosen.id)
    table: dict[tuple[int, str], list[Reading]] = {}
    for reading in found:
        table.setdefault((reading.unit_id, reading.measure_key), []).append(reading)
    return render_template(
        "readings/index.html",
        trial=trial,
        chosen=chosen,
        table=table,
        sealed=trial.sealed(today()),
        corrections=corrections_of(db(), trial_id)[:50],
    )


@readings.route("/trials/<int:trial_id>/readings/<int:reading_id>", methods=["GET", "POST"])
def edit(trial_id: int, reading_id: int) -> ResponseReturnValue:
    trial = trial_or_404(trial_id)
    reading = _reading_or_404(trial, reading_id)
    asked = next(a for a in trial.asked if a.measure.key == reading.measure_key)
    form = CorrectionForm(value="" if reading.value is None else f"{reading.value:g}", version=str(reading.version))
    other: Reading | None = None
    if form.validate_on_submit():
        seen = int(form.version.data) if (form.version.data or "").isdigit() else 0
        reason = (form.reason.data or "").strip()
        other = correct(db(), trial_id, reading_id, seen, form.value.number, reason, who(), now())
        if other is None:
            db().commit()
            flash("Corrected. The old value is kept.")
            return redirect(url_for("readings.index", trial_id=trial_id, round=reading.round_id))
        form.version.data = str(other.version)
    page = render_template(
        "readings/edit.html", trial=trial, reading=reading, measure=asked.measure, form=form, other=other
    )
    return page, 409 if other else 400 if form.errors else 200


def _reading_or_404(trial: Trial, reading_id: int) -> Reading:
    found = next((r for r in readings_of(db(), trial.id) if r.id == reading_id), None)
    return found or abort(404, "This trial has no such reading.")


@readings.get("/trials/<int:trial_id>/readings.csv")
def csv_out(trial_id: int) -> ResponseReturnValue:
    trial = trial_or_404(trial_id)
    text = write_readings(trial, readings_of(db(), trial_id))
    return download("\ufeff" + text, "text/csv", f"{file_name(trial)}.csv")


@readings.route("/trials/<int:trial_id>/readings/import", methods=["GET", "POST"])
def csv_in(trial_id: int) -> ResponseReturnValue:
    """First a preview that names each bad row; then, all or nothing, the taking."""
    trial = trial_or_404(trial_id)
    text, problem, seen = "", "", None
    if request.method == "POST":
        file = request.files.get("file")
        text = decode(file.read()) if file and file.filename else request.form.get("text", "")
        seen, problem = _previewed(trial, text)
        if seen and not seen.bad and request.form.get("go") == "take":
            declare_trial(db(), trial_id, now())
            add_many(db(), trial_id, import_rows(seen, who(), now()))
            db().commit()
            flash(f"{len(seen.wanted)} readings taken.")
            return redirect(url_for("readings.index", trial_id=trial_id))
    page = render_template("readings/import.html", trial=trial, text=text, problem=problem, preview=seen)
    return page, 400 if problem or (seen and seen.bad) else 200


def _previewed(trial: Trial, text: str) -> tuple[Preview | None, str]:
    try:
        return preview(text.encode(), trial, readings_of(db(), trial.id)), ""
    except TableError as error:
        return None, str(error)
