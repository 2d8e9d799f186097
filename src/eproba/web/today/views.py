"""What is due now, over all trials."""

from datetime import timedelta

from flask import Blueprint, render_template
from flask.typing import ResponseReturnValue

from eproba.store.drafts import drafts
from eproba.store.glances import due_by, glances
from eproba.web.context import db, today

today_page = Blueprint("today_page", __name__, template_folder="templates")
AHEAD = timedelta(days=7)


@today_page.get("/")
def show() -> ResponseReturnValue:
    waiting = due_by(db(), today() + AHEAD)
    now_due = [due for due in waiting if due.on <= today()]
    later = [due for due in waiting if due.on > today()]
    seen = glances(db(), today(), limit=6)
    if not seen and not drafts(db()):
        return render_template("today/first_run.html")
    return render_template("today/today.html", due=now_due, later=later, trials=seen, drafts=drafts(db())[:3])
