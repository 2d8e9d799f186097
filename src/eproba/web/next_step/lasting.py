"""Did it last? The same units looked at again, or carried into another year."""

from dataclasses import dataclass
from datetime import date

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.errors import EprobaError
from eproba.core.measuring.measures import Measure
from eproba.core.trial.carrying import (
    CarryError,
    Carrying,
    looks_read,
    must_be_there,
    same_measure,
    usual_looks,
)
from eproba.core.trial.model import Trial
from eproba.core.words import parse_date
from eproba.store.carried import CarriedOn, carried_on
from eproba.store.commands.carrying import carry_on
from eproba.store.measures import all_measures
from eproba.web.ui.clock import now, today
from eproba.web.ui.session import db, trial_or_404, who
from eproba.web.ui.units import sentence
from eproba.web.verdict.keeping import commit

lasting = Blueprint("lasting", __name__, template_folder="templates")
MOST_READINGS = 9  # of a unit in one round


@dataclass(frozen=True)
class LookAgain:
    """What the page needs to ask for a look again: measures to choose from, what is proposed, why it can't be."""

    measures: list[Measure]
    measure: str
    days: str
    start_on: str
    going_on: list[CarriedOn]
    problem: str = ""
    why_not: str = ""


def look_again(trial: Trial, problem: str = "") -> LookAgain:
    """What is proposed for a trial, or what was typed."""
    chosen, form = same_measure(trial), request.form
    every = sorted((m for m in all_measures(db()).values() if m.can_be_first), key=lambda measure: measure.name)
    try:
        must_be_there(trial)
        why_not = ""
    except CarryError as error:
        why_not = sentence(error)
    return LookAgain(
        measures=every,
        measure=form.get("measure", "" if chosen is None else chosen.key),
        days=form.get("days", ", ".join(map(str, usual_looks(trial)))),
        start_on=form.get("start_on", ""),
        going_on=carried_on(db(), trial.key),
        problem=problem,
        why_not=why_not,
    )


def _open_trial(trial_id: int) -> Trial:
    trial = trial_or_404(trial_id)
    if trial.sealed(today()):
        abort(404, "A look again follows the verdict: the envelope is still shut.")
    return trial


@lasting.get("/trials/<int:trial_id>/again")
def show(trial_id: int) -> ResponseReturnValue:
    trial = _open_trial(trial_id)
    return render_template("next_step/again.html", trial=trial, again=look_again(trial))


@lasting.post("/trials/<int:trial_id>/again")
def go_on(trial_id: int) -> ResponseReturnValue:
    """Declare the look again, or the next year, with the same units and lots."""
    trial = _open_trial(trial_id)
    try:
        wish = _wish(trial)
        carried_id = carry_on(db(), trial_id, wish, who(), now())
    except EprobaError as error:
        db().rollback()
        page = render_template("next_step/again.html", trial=trial, again=look_again(trial, sentence(error)))
        return page, 400
    commit()
    flash("It is planned, with the same lots. Nothing is dealt anew.")
    return redirect(url_for("trials.show", trial_id=carried_id))


def _wish(trial: Trial) -> Carrying:
    """What was asked for. Raises CarryError."""
    form = request.form
    if not form.get("there"):
        raise CarryError(
            "Say that the {} are still as they were. If they are gone, ask it in a new trial.", trial.noun.several
        )
    measure = all_measures(db()).get(form.get("measure", ""))
    if measure is None or not measure.can_be_first:
        raise CarryError("Choose what to look at.")
    per_unit = next((asked.per_unit for asked in trial.asked if asked.measure.key == measure.key), 1)
    if form.get("go") == "again":
        return Carrying("again", _start_of(form.get("start_on", ""), trial), measure, per_unit, ())
    since = trial.ended_on or trial.decision_on
    return Carrying("lasted", since, measure, per_unit, looks_read(form.get("days", ""), since, today()))


def _start_of(text: str, trial: Trial) -> date:
    """The first day of the next year. Raises CarryError."""
    if not text.strip():
        raise CarryError("Write the day on which the next year begins.")
    on = parse_date(text)
    if on < today():
        raise CarryError("The next year begins today or later.")
    return on
