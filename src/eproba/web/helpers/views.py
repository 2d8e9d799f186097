"""A helper reads one round by a link of his own: codes alone, in an order of his own, and nothing else."""

from flask import Blueprint, abort, flash, redirect, render_template, request, session, url_for
from flask.typing import ResponseReturnValue

from eproba.core.trial.lots import shuffled
from eproba.store.commands.helpers import ask_helper, drop_helper
from eproba.store.helpers import helper_with, helpers_of
from eproba.store.secrets import new_secret
from eproba.web.rounds.views import round_or_404, till_data
from eproba.web.ui.clock import now
from eproba.web.ui.codes import qr_code
from eproba.web.ui.fields import whole
from eproba.web.ui.session import db, reading_by_link, trial_or_404, who
from eproba.web.ui.shown_once import show_once, shown_once
from eproba.web.verdict.keeping import commit

helpers = Blueprint("helpers", __name__, template_folder="templates")
LONGEST_NAME = 40


@helpers.route("/trials/<int:trial_id>/rounds/<int:round_id>/helper", methods=["GET", "POST"])
def ask(trial_id: int, round_id: int) -> ResponseReturnValue:
    """Make links for one round, show them, take them back."""
    trial = trial_or_404(trial_id)
    round_ = round_or_404(trial, round_id)
    problem, name = "", (request.form.get("name") or "").strip()[:LONGEST_NAME]
    if request.method == "POST":
        if drop := request.form.get("drop"):
            drop_helper(db(), whole(drop) or 0)
        elif round_.done or round_.missed:
            problem = "This round is closed: there is nothing to read any more. Open it again first."
        elif not name:
            problem = "Say who reads: the name stands at the readings."
        else:
            second = request.form.get("second") == "y"
            link = new_secret()
            ask_helper(db(), trial_id, round_id, link, name, who(), now(), second)
            show_once("helper", link, round_id)
        if not problem:
            commit()
            return redirect(url_for("helpers.ask", trial_id=trial_id, round_id=round_id))
    link = shown_once("helper", round_id)
    address = url_for("helpers.show", token=link, _external=True) if link else ""
    page = render_template(
        "helpers/ask.html", trial=trial, round=round_, helpers=helpers_of(db(), round_id, now()), address=address,
        code=qr_code(address) if address else "", problem=problem, name=name,
    )  # fmt: skip
    return page, 400 if problem else 200


@helpers.get("/h/<token>")
def show(token: str) -> ResponseReturnValue:
    """The till of that round: no names, no treatments, nothing of before, in the helper's own order."""
    helper_here = helper_with(db(), token, now())
    if helper_here is None:
        session["helper"] = token  # what this device held back still comes in
        if reading_by_link() is None:
            session.pop("helper")
        abort(404, "This link has ended with its round. Thank you for reading.")
    helper, row = helper_here
    session["helper"] = token
    trial = trial_or_404(helper.trial_id)
    round_ = round_or_404(trial, row.id)
    data = till_data(trial, round_)
    order = [data["units"][place]["code"] for place in shuffled(len(data["units"]), token)]
    units = {unit["code"]: unit | {"block": None, "crop": ""} for unit in data["units"]}
    data |= {
        "units": [units[code] for code in order], "shuffled": order, "trialName": "Your round", "who": helper.name,
        "previous": {}, "previousDay": None, "start": "", "second": helper.second,
    }  # fmt: skip
    if helper.second:
        data["saved"] = {}
    return render_template("helpers/round.html", trial=trial, round=round_, data=data, helping=helper.name)


@helpers.post("/h/leave")
def leave() -> ResponseReturnValue:
    """Done: this device forgets the link."""
    session.pop("helper", None)
    flash("Thank you. What you typed is on record.")
    return redirect(url_for("today_page.show"))
