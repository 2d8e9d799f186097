"""Samples for a laboratory: which units make one, its label, when it went, the number that came."""

from datetime import date

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.errors import EprobaError
from eproba.core.quantities import Amount, number_typed
from eproba.core.trial.blinding import hides_lots
from eproba.core.trial.model import Trial
from eproba.core.trial.samples import DEEPEST, HOW_MIXED, Sample, SampleError, for_laboratory
from eproba.core.words import parse_date
from eproba.store.commands.happenings import change_sample, result_came, take_sample
from eproba.store.commands.readings import Sender
from eproba.store.happenings import samples_of
from eproba.web.ui.clock import now, today
from eproba.web.ui.session import db, sees_lots, trial_or_404, typed_system, who
from eproba.web.ui.units import sentence
from eproba.web.verdict.keeping import commit

samples = Blueprint("samples", __name__, template_folder="templates")
LONGEST = 80


@samples.route("/trials/<int:trial_id>/samples", methods=["GET", "POST"])
def index(trial_id: int) -> ResponseReturnValue:
    """The samples of a trial, and a form for a new one."""
    trial, problem = trial_or_404(trial_id), ""
    if request.method == "POST":
        try:
            code = _taken(trial)
        except EprobaError as error:
            db().rollback()
            problem = sentence(error)
        else:
            commit()
            flash(f"Sample {code}. Print its label, or write {code} on the bag.")
            return redirect(url_for("samples.index", trial_id=trial_id))
    page = render_template(
        "samples/index.html",
        trial=trial,
        asked=for_laboratory(trial),
        samples=samples_of(db(), trial_id),
        mixed=HOW_MIXED,
        units=sorted(trial.units, key=lambda unit: unit.walk),
        problem=problem,
        typed=request.form,
        ticked=request.form.getlist("units"),
        day=request.form.get("taken_on") or today().isoformat(),
        name={asked.measure.key: asked.measure for asked in trial.asked},
        round_day={round_.id: round_.day for round_ in trial.rounds},
    )
    return page, 400 if problem else 200


def _taken(trial: Trial) -> str:
    asked = next((asked for asked in for_laboratory(trial) if asked.measure.key == request.form.get("measure")), None)
    round_ = next((r for r in trial.rounds if str(r.id) == request.form.get("round")), None)
    if asked is None or round_ is None:
        raise SampleError("Say what the laboratory reads, and for which round.")
    chosen = set(request.form.getlist("units"))
    units = [unit for unit in sorted(trial.units, key=lambda unit: unit.walk) if unit.code in chosen]
    mixed = request.form.get("mixed", "")
    return take_sample(
        db(), trial, round_, asked, units, hides_lots(trial, today(), sees_lots()),
        mixed=mixed if mixed in HOW_MIXED else HOW_MIXED[0], depth_cm=_depth(request.form.get("depth", "")),
        taken_on=_not_ahead(request.form.get("taken_on", "")), by=who(),
    )  # fmt: skip


def _depth(text: str) -> float | None:
    if not text.strip():
        return None
    depth = number_typed(text, "cm", typed_system())
    if not 0 <= depth <= DEEPEST:
        raise SampleError("{} deep doesn’t fit: give {}.", Amount(depth, "cm"), Amount(0, "cm", high=DEEPEST))
    return depth


def _not_ahead(text: str) -> date:
    on = parse_date(text)
    if on > today():
        raise SampleError("That day is still to come.")
    return on


def _sample_or_404(trial: Trial, sample_id: int) -> Sample:
    sample_ = next((sample for sample in samples_of(db(), trial.id) if sample.id == sample_id), None)
    return sample_ or abort(404, "This trial has no such sample.")


@samples.post("/trials/<int:trial_id>/samples/<int:sample_id>/sent")
def sent(trial_id: int, sample_id: int) -> ResponseReturnValue:
    """It went to a laboratory."""
    sample = _sample_or_404(trial_or_404(trial_id), sample_id)
    laboratory = request.form.get("laboratory", "").strip()[:LONGEST]
    change_sample(db(), trial_id, sample.id, sent_on=today(), laboratory=laboratory)
    commit()
    flash(f"Sample {sample.code} went today.")
    return redirect(url_for("samples.index", trial_id=trial_id))


@samples.post("/trials/<int:trial_id>/samples/<int:sample_id>/result")
def result(trial_id: int, sample_id: int) -> ResponseReturnValue:
    """The laboratory's number, as typed."""
    trial = trial_or_404(trial_id)
    sample = _sample_or_404(trial, sample_id)
    typed = request.form.get("result", "").strip()[:LONGEST]
    try:
        result_came(db(), trial, sample, typed, Sender(who(), now(), "form", sees_lots()))
    except EprobaError as error:
        db().rollback()
        flash(f"Sample {sample.code}, “{typed}”: {error}")
        return redirect(url_for("samples.index", trial_id=trial_id))
    commit()
    flash(f"Sample {sample.code}: {typed} is on record.")
    return redirect(url_for("samples.index", trial_id=trial_id))


@samples.get("/trials/<int:trial_id>/samples/<int:sample_id>/sample-label")
def label(trial_id: int, sample_id: int) -> ResponseReturnValue:
    """A label for the bag: code, day, depth, what is to be read; no treatment."""
    trial = trial_or_404(trial_id)
    sample = _sample_or_404(trial, sample_id)
    measure = next(asked.measure for asked in trial.asked if asked.measure.key == sample.measure_key)
    return render_template("samples/label.html", trial=trial, sample=sample, measure=measure)
