"""The plain application log: what, how much, when, poured or skipped, note."""

from typing import Any

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.planning.trial import Pour, Trial
from eproba.exchange.readings_csv import parse_date
from eproba.store.pours import log_pour
from eproba.store.trials import declare_trial
from eproba.web.context import db, now, today, trial_or_404, who
from eproba.web.trials.views import trial_looks

pours = Blueprint("pours", __name__, template_folder="templates")


@pours.route("/trials/<int:trial_id>/pours/<int:day>", methods=["GET", "POST"])
def show(trial_id: int, day: int) -> ResponseReturnValue:
    """One day's applications, all treatments side by side."""
    trial = trial_or_404(trial_id)
    that_day = [pour for pour in trial.pours if pour.day == day]
    rows = [_row(trial, pour) for pour in that_day]
    problem = _problem(rows) if request.method == "POST" else ""
    if request.method == "POST" and not problem:
        declare_trial(db(), trial_id, now())
        for row in rows:
            done_on = parse_date(row["done_on"])
            log_pour(db(), trial_id, row["pour"].id, row["status"], done_on, row["amount"], row["note"], who())
        db().commit()
        flash(f"Applications of day {day} are on record.")
        return redirect(url_for("trials.show", trial_id=trial_id))
    page = render_template(
        "pours/pour.html", trial=trial, day=day, rows=rows, problem=problem, looks=trial_looks(trial)
    )
    return page, 400 if problem else 200


@pours.get("/trials/<int:trial_id>/pours")
def index(trial_id: int) -> ResponseReturnValue:
    trial = trial_or_404(trial_id)
    return render_template("pours/index.html", trial=trial, looks=trial_looks(trial))


def _row(trial: Trial, pour: Pour) -> dict[str, Any]:
    """What stands in the form: typed, else on record, else as planned."""
    treatment = trial.treatment(pour.letter)
    units = sum(unit.letter == pour.letter and unit.lost_on is None for unit in trial.units)
    planned = f"{treatment.amount:g} {treatment.amount_unit} each" if treatment.amount else ""
    standing = {
        "status": pour.status if pour.status != "due" else "poured",
        "amount": pour.amount or planned,
        "done_on": (pour.done_on or today()).isoformat(),
        "note": pour.note,
    }
    typed = {name: request.form.get(f"{name}-{pour.id}", standing[name]).strip()[:300] for name in standing}
    return {"pour": pour, "treatment": treatment, "units": units, "planned": planned, **typed}


def _problem(rows: list[dict[str, Any]]) -> str:
    for row in rows:
        if row["status"] not in ("poured", "skipped"):
            return "Say for each treatment whether it was poured or skipped."
        if row["status"] == "skipped" and not row["note"]:
            return f"Say in the note why {row['treatment'].name} was skipped."
        try:
            parse_date(row["done_on"])
        except ValueError as error:
            return str(error)
    return ""
