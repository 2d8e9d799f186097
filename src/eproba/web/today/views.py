"""What is due now, over all trials."""

from datetime import date, timedelta

from flask import Blueprint, render_template
from flask.typing import ResponseReturnValue

from eproba.core.applying.errands import Job
from eproba.store.batches import batches
from eproba.store.brewing import brewing_jobs, day_span
from eproba.store.drafts import drafts
from eproba.store.glances import due_by, glances
from eproba.web.pictures.shelf import shelf
from eproba.web.ui.clock import now, today
from eproba.web.ui.errands import job_address
from eproba.web.ui.session import db
from eproba.web.ui.units import units

today_page = Blueprint("today_page", __name__, template_folder="templates")
AHEAD = timedelta(days=7)


@today_page.get("/")
def show() -> ResponseReturnValue:
    waiting = due_by(db(), today() + AHEAD)
    now_due = [due for due in waiting if due.on <= today()]
    later = [due for due in waiting if due.on > today()]
    seen = glances(db(), today(), limit=6)
    start, end = day_span(today(), AHEAD + timedelta(days=1))
    brewed, plans = batches(db()), drafts(db())
    errands = brewing_jobs(db(), now(), start - timedelta(days=3), end, brewed)
    vessels = [v for v in shelf(brewed, now(), units()) if v.state not in ("used up", "thrown away")]
    if not seen and not plans and not vessels:
        return render_template("today/first_run.html")
    urgent = [v for v in vessels if v.next.urgent]
    batch_ids = {v.batch.id for v in urgent}
    return render_template(
        "today/today.html",
        due=now_due,
        later=later,
        trials=seen,
        drafts=plans[:3],
        urgent=urgent,
        unmet=[job for job in errands if job.kind == "late"],
        errands=[
            job for job in errands if job.kind != "late" and _on(job) <= today() and job.batch_id not in batch_ids
        ],
        brews_later=[
            job for job in errands if _on(job) > today() and not (job.kind == "stir" and job.batch_id is None)
        ],
        now=now(),
        job_address=job_address,
    )


def _on(job: Job) -> date:
    return job.at.astimezone().date()
