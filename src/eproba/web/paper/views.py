"""On paper: tags for the units, a sheet for the round."""

from flask import Blueprint, render_template, request
from flask.typing import ResponseReturnValue

from eproba.web.context import trial_or_404
from eproba.web.trials.views import trial_looks

paper = Blueprint("paper", __name__, template_folder="templates")


@paper.get("/trials/<int:trial_id>/tags")
def tags(trial_id: int) -> ResponseReturnValue:
    trial = trial_or_404(trial_id)
    return render_template("paper/tags.html", trial=trial, looks=trial_looks(trial))


@paper.get("/trials/<int:trial_id>/sheet")
def sheet(trial_id: int) -> ResponseReturnValue:
    """A round sheet in walking order, treatments not named."""
    trial = trial_or_404(trial_id)
    open_rounds = [each for each in trial.rounds if not each.done] or list(trial.rounds)
    wanted = request.args.get("round", type=int)
    chosen = next((each for each in trial.rounds if each.id == wanted), open_rounds[0])
    units = trial.living(trial.date_of(chosen.day))
    return render_template("paper/sheet.html", trial=trial, chosen=chosen, units=units, asked=trial.asked_in(chosen))
