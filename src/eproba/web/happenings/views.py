"""What happened to units between rounds: seedlings up, thinned, replaced; the first flower. Put down on any day."""

from datetime import datetime, time

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.errors import EprobaError
from eproba.core.trial.happenings import (
    COUNTED,
    WHAT,
    HappeningError,
    happened_once,
    off_rule,
    once_measures,
    what_typed,
)
from eproba.core.trial.model import Trial, Unit
from eproba.core.words import parse_date
from eproba.store.commands.happenings import happened_on, put_down, take_back
from eproba.store.commands.readings import Sender
from eproba.store.happenings import events_of
from eproba.store.readings import all_readings
from eproba.web.ui.clock import now, today
from eproba.web.ui.fields import whole
from eproba.web.ui.session import db, sees_lots, trial_or_404, who
from eproba.web.ui.units import sentence
from eproba.web.verdict.keeping import commit

happenings = Blueprint("happenings", __name__, template_folder="templates")
LONGEST_NOTE = 200
NOON = time(12)


@happenings.route("/trials/<int:trial_id>/happened", methods=["GET", "POST"])
def index(trial_id: int) -> ResponseReturnValue:
    """What happened so far, and a form for more."""
    trial, problem = trial_or_404(trial_id), ""
    if request.method == "POST":
        try:
            _put_down(trial)
        except EprobaError as error:
            db().rollback()
            problem = sentence(error)
        else:
            commit()
            flash("Saved.")
            return redirect(url_for("happenings.index", trial_id=trial_id))
    unit, readings = {unit.id: unit for unit in trial.units}, all_readings(db(), trial_id)
    known = {asked.measure.key: asked.measure for asked in trial.asked}
    page = render_template(
        "happenings/index.html",
        trial=trial,
        what=WHAT,
        counted=COUNTED,
        once=once_measures(trial),
        events=[(event, unit[event.unit_id], off_rule(trial, event)) for event in events_of(db(), trial_id)],
        seen=[
            (unit[reading.unit_id], reading, known[reading.measure_key]) for reading in happened_once(trial, readings)
        ],
        units=_walked(trial),
        problem=problem,
        typed=request.form,
        ticked=request.form.getlist("units") or [request.args.get("unit", "")],
        day=request.form.get("on") or today().isoformat(),
    )
    return page, 400 if problem else 200


def _walked(trial: Trial) -> list[Unit]:
    return sorted(trial.units, key=lambda unit: unit.walk)


def _put_down(trial: Trial) -> None:
    """What the form says. Raises EprobaError."""
    units = [unit for unit in _walked(trial) if unit.code in set(request.form.getlist("units"))]
    on, what = parse_date(request.form.get("on", "")), request.form.get("what", "")
    asked = next((measure for measure in once_measures(trial) if measure.measure.key == what), None)
    if asked is not None:
        if on > today():
            raise HappeningError("That day is still to come: note it when it has happened.")
        at = min(datetime.combine(on, NOON).astimezone(), now().astimezone())
        happened_on(db(), trial, asked, units, at, Sender(who(), now(), "form", sees_lots()))
        return
    text = request.form.get("count", "").strip()
    count = whole(text)
    if text and count is None:
        raise HappeningError(f"“{text}” is no whole number: how many seeds or plants were it?")
    note = request.form.get("note", "").strip()[:LONGEST_NOTE]
    put_down(db(), trial, units, what_typed(what), on, count, note, who(), now())


@happenings.post("/trials/<int:trial_id>/happened/<int:event_id>/take-back")
def undo(trial_id: int, event_id: int) -> ResponseReturnValue:
    """It was a mistake."""
    counted = take_back(db(), trial_or_404(trial_id).id, event_id)
    commit()
    flash("Taken back." if counted else "It was taken back already.")
    return redirect(url_for("happenings.index", trial_id=trial_id))
