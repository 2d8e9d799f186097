"""Where a line of the day leads."""

from flask import url_for

from eproba.core.applying.due import Due
from eproba.core.applying.errands import Job
from eproba.core.applying.morning import DayLine


def line_address(line: DayLine) -> str:
    """To its round, its pour or its brew; to Today where it is cleared there."""
    if line.sort == "choose":
        return url_for("today_page.show")
    if line.due:
        return due_address(line.due[0])
    return job_address(line.jobs[0]) if line.jobs else ""


def due_address(due: Due) -> str:
    if due.kind == "pour":
        return url_for("pours.show", trial_id=due.trial_id, day=due.day)
    return url_for("rounds.show", trial_id=due.trial_id, round_id=due.round_id)


def job_address(job: Job) -> str:
    """To its batch where it stands on the shelf, to a new batch where it has to be started, else to its trial."""
    if job.batch_id is not None:
        return url_for("shelf.show", batch_id=job.batch_id)
    if job.recipe is not None and job.kind in ("start", "late"):
        stood = job.key.replace(job.kind, "stand", 1)  # the errand of its water
        return url_for("shelf.new", recipe=job.recipe.key, litres=f"{job.litres:.3g}", stood=stood)
    if job.kind in ("strain", "check", "stir") or not job.serves:
        return url_for("shelf.index")
    return url_for("trials.show", trial_id=job.serves[0].trial_id)
