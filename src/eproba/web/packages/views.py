"""Whole trials out of this garden and into another, as data packages."""

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.errors import EprobaError
from eproba.core.trial.blinding import hides_lots
from eproba.exchange.data_package import read_package, write_package
from eproba.store.commands.packages import take_package
from eproba.store.packages import FORMAT, tables_of
from eproba.web.ui.clock import now, today
from eproba.web.ui.responses import download, file_name
from eproba.web.ui.session import db, sees_lots, trial_or_404
from eproba.web.verdict.keeping import kept

packages = Blueprint("packages", __name__, template_folder="templates")
MOST_BYTES = 500_000_000
HIDDEN = "The package tells who got what: take it on the device of the one who pours, or once the envelope is open."


@packages.get("/trials/<int:trial_id>/package.zip")
def out(trial_id: int) -> ResponseReturnValue:
    """The whole trial: tables with their descriptions, and its pictures."""
    trial = trial_or_404(trial_id)
    if hides_lots(trial, today(), sees_lots()):
        abort(403, HIDDEN)
    tables, files = tables_of(db(), trial_id)
    name = file_name(trial)
    return download(write_package(trial.name, name, FORMAT, tables, files, now()), "application/zip", f"{name}.zip")


@packages.route("/trials/take-in", methods=["GET", "POST"])
def take_in() -> ResponseReturnValue:
    """A whole trial in."""
    request.max_content_length = MOST_BYTES
    if request.method == "GET":
        return render_template("packages/take_in.html", problem="")
    sent = request.files.get("file")
    try:
        found = read_package(sent.read() if sent else b"")
        trial_id = take_package(db(), found.format, found.tables, found.files)
    except EprobaError as error:
        db().rollback()
        return render_template("packages/take_in.html", problem=str(error)), 400
    db().commit()
    kept(trial_id)
    flash("The trial is in this garden now, with all that is on record of it.")
    return redirect(url_for("trials.show", trial_id=trial_id))
