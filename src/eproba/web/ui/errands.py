"""Where an errand for brews leads."""

from flask import url_for

from eproba.core.applying.errands import Job


def job_address(job: Job) -> str:
    """To its batch where it stands on the shelf, to a new batch where it has to be started, else to the day’s pour."""
    if job.batch_id is not None:
        return url_for("shelf.show", batch_id=job.batch_id)
    if job.recipe is not None and job.kind in ("stand", "start", "late"):
        return url_for("shelf.new", recipe=job.recipe.key, litres=f"{job.litres:.3g}")
    if job.serves:
        return url_for("trials.show", trial_id=job.serves[0].trial_id)
    return url_for("calendar.show")
