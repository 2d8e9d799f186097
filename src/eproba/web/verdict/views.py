"""The verdict: the sentence, the pictures, the trust in it."""

from typing import Any

from flask import Blueprint, render_template
from flask.typing import ResponseReturnValue

from eproba.core.judging.courses import courses
from eproba.core.stats.series import CannotJudge
from eproba.core.stats.summaries import SUMMARIES, Points
from eproba.core.trial.model import Asked, Trial
from eproba.store.findings import also_found
from eproba.store.readings import all_readings
from eproba.web.ui.clock import today
from eproba.web.ui.looks import trial_looks
from eproba.web.ui.session import db, seen_trial_or_404

verdict = Blueprint("verdict", __name__, template_folder="templates")


@verdict.get("/trials/<int:trial_id>/verdict")
def show(trial_id: int) -> ResponseReturnValue:
    trial = seen_trial_or_404(trial_id)
    sealed = trial.sealed(today())
    readings = all_readings(db(), trial_id)
    asked = trial.asked[0]
    shown: dict[str, Any] = {"trial": trial, "looks": trial_looks(trial), "sealed": sealed, "measure": asked.measure}
    shown["chart"] = course_chart(trial, asked, courses(trial, asked, readings), sealed)
    shown["summary"] = SUMMARIES[trial.summary]
    if sealed:
        return render_template("verdict/sealed.html", **shown)
    # Judging brings in the heavy statistics: imported where it is needed, not by every page.
    from eproba.core.wording.ledger import text_of
    from eproba.web.verdict.findings import also_seen, judged
    from eproba.web.verdict.page import shown_comparisons, shown_ranking, shown_trend

    try:
        judgement = judged(trial, asked, readings)
    except CannotJudge as error:
        return render_template("verdict/unjudged.html", problem=str(error), **shown)
    return render_template(
        "verdict/verdict.html",
        judgement=judgement,
        ledger=[(line, text_of(line)) for line in judgement.trust],
        comparisons=shown_comparisons(trial, judgement),
        ranking=shown_ranking(trial, judgement),
        trend=shown_trend(trial, judgement),
        also=also_found(db(), trial_id) or also_seen(trial, readings),
        notes=[(each.day, each.note) for each in trial.rounds if each.note],
        **shown,
    )


def course_chart(trial: Trial, asked: Asked, by_unit: dict[int, Points], sealed: bool) -> dict[str, Any]:
    """Each unit's course over the days; treatments unnamed while the envelope is sealed."""
    measure = asked.measure
    points = [
        {
            "unit": unit.code,
            "treatment": "" if sealed else unit.letter,
            "day": point.day,
            "value": point.value,
        }
        for unit in trial.units
        for point in by_unit[unit.id]
    ]
    treatments = [] if sealed else [{"letter": t.letter, "name": t.name, "role": t.role} for t in trial.treatments]
    label = f"{measure.name}, {measure.judged_unit}"
    return {"points": points, "treatments": treatments, "label": label}
