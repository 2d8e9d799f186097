"""What is to be done, chosen and known today, over all trials."""

from datetime import timedelta

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.errors import EprobaError
from eproba.store.batches import batches
from eproba.store.commands.errands import stir, tick
from eproba.store.days import day_list
from eproba.store.drafts import drafts
from eproba.store.glances import glances
from eproba.store.practice import was_played
from eproba.web.pictures.shelf import shelf
from eproba.web.pictures.strips import week_cells
from eproba.web.practice.daily import wants_daily
from eproba.web.stations import station
from eproba.web.ui.clock import now, today
from eproba.web.ui.session import db, who
from eproba.web.ui.units import sentence, units
from eproba.web.ui.zone import zone_facts
from eproba.web.verdict.keeping import commit

today_page = Blueprint("today_page", __name__, template_folder="templates")
AHEAD = timedelta(days=7)
TICKED = ("stand", "stir", "water")


@today_page.get("/")
def show() -> ResponseReturnValue:
    seen = glances(db(), today(), limit=6)
    brewed, plans = batches(db()), drafts(db())
    vessels = {v.batch.id: v for v in shelf(brewed, now(), units()) if v.state not in ("used up", "thrown away")}
    if not seen and not vessels:
        return render_template("today/first_run.html", drafts=plans, **zone_facts())
    lines = day_list(db(), now(), station(), today() + AHEAD, brewed)
    of_today = [line for line in lines if line.on == today()]
    todo = [line for line in of_today if line.sort == "do"]
    return render_template(
        "today/today.html",
        next=todo[:1],
        also=todo[1:],
        choices=[line for line in of_today if line.sort == "choose"],
        known=[line for line in of_today if line.sort == "know"],
        later=[line for line in lines if line.on > today()],
        week=week_cells(lines, today()),
        trials=seen,
        drafts=plans,
        vessels=vessels,
        practice=wants_daily() and not was_played(db(), who(), today()),
    )


@today_page.post("/done")
def done() -> ResponseReturnValue:
    """Water set out, a plain watering, the stirring of all brews: ticked."""
    key = request.form.get("line", "")
    line = next((line for line in day_list(db(), now(), station(), today()) if line.key == key), None)
    kind = "" if line is None else line.kind_of_job
    if line is None or kind not in TICKED:
        flash("That is done already, or it is no longer asked.")
        return redirect(url_for("today_page.show"))
    try:
        stir(db(), line.jobs, who(), now()) if kind == "stir" else tick(db(), line.jobs, who(), now())
    except EprobaError as error:
        db().rollback()
        flash(sentence(error))
        return redirect(url_for("today_page.show"))
    commit()
    return redirect(url_for("today_page.show"))
