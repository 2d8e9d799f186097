"""What a label promised, asked one by one once the envelope is open."""

from typing import get_args

from flask import Blueprint, abort, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.errors import EprobaError
from eproba.core.trial.label import LabelPromise, Said, label_promises
from eproba.core.trial.model import Trial
from eproba.store.commands.labels import answer_label
from eproba.store.labels import label_answers
from eproba.web.ui.clock import now, today
from eproba.web.ui.looks import trial_looks
from eproba.web.ui.session import db, trial_or_404, who
from eproba.web.ui.units import sentence
from eproba.web.verdict.keeping import commit

label = Blueprint("label", __name__, template_folder="templates")


def promises_told(trial: Trial) -> list[LabelPromise]:
    """Every promise of the trial's labels, with what was said of it."""
    return label_promises(trial, label_answers(db(), trial.id))


@label.get("/trials/<int:trial_id>/label")
def show(trial_id: int) -> ResponseReturnValue:
    trial = trial_or_404(trial_id)
    if trial.sealed(today()):
        abort(404, "The label is asked once the envelope is open.")
    return _page(trial)


def _page(trial: Trial, problem: str = "") -> str:
    every = promises_told(trial)
    names = {treatment.letter: treatment.name for treatment in trial.treatments}
    return render_template(
        "next_step/label.html",
        trial=trial,
        looks=trial_looks(trial),
        names=names,
        asked=next((promise for promise in every if promise.said is None), None),
        said=[promise for promise in every if promise.said is not None],
        open_ones=sum(promise.said is None for promise in every),
        words=get_args(Said),
        problem=problem,
    )


@label.post("/trials/<int:trial_id>/label")
def answer(trial_id: int) -> ResponseReturnValue:
    """Keep what was said of one promise, and go on to the next."""
    trial, form = trial_or_404(trial_id), request.form
    said = next((word for word in get_args(Said) if word == form.get("said")), None)
    try:
        promise = LabelPromise(form.get("letter", ""), form.get("words", ""), said)
        answer_label(db(), trial_id, promise, who(), now(), today())
    except EprobaError as error:
        db().rollback()
        if trial.sealed(today()):
            abort(404, sentence(error))
        return _page(trial, sentence(error)), 400
    commit()
    return redirect(url_for("label.show", trial_id=trial_id))
