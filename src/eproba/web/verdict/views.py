"""The verdict: what was asked, what was seen, how far to trust it; and the envelope, opened early for its price."""

from datetime import datetime, time, timedelta
from typing import Any

from flask import Blueprint, abort, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.brewing.weather import days
from eproba.core.judging.courses import courses, mean_courses
from eproba.core.stats.series import CannotJudge
from eproba.core.stats.summaries import Points
from eproba.core.trial.declaration import worth_words
from eproba.core.trial.model import Asked, Trial
from eproba.core.trial.stage import no_look
from eproba.store.beside import beside_of
from eproba.store.commands.looks import NoLook, look_early
from eproba.store.findings import also_found
from eproba.store.readings import all_readings
from eproba.web.photos.strip import said_by_eye
from eproba.web.stations import station
from eproba.web.ui.clock import now, today
from eproba.web.ui.looks import trial_looks
from eproba.web.ui.session import db, seen_trial_or_404, sees_lots, trial_or_404, who
from eproba.web.ui.units import sentence
from eproba.web.verdict.keeping import commit

ONE_DAY = timedelta(days=1)
verdict = Blueprint("verdict", __name__, template_folder="templates")


@verdict.get("/trials/<int:trial_id>/verdict")
def show(trial_id: int) -> ResponseReturnValue:
    trial = seen_trial_or_404(trial_id)
    if trial.sealed(today()):
        return render_template("verdict/sealed.html", may_look=_may_look(trial), **_frame(trial, sealed=True))
    return _judged(trial)


@verdict.route("/trials/<int:trial_id>/verdict/open", methods=["GET", "POST"])
def open_early(trial_id: int) -> ResponseReturnValue:
    """What an early look costs, and, once that is accepted, the look itself on record."""
    trial = trial_or_404(trial_id)
    if not sees_lots() and trial.blind:
        abort(403, "This device does not see who got what: open the envelope on one that does.")
    from eproba.core.judging.envelope import price_of
    from eproba.core.wording.envelope import price_figures, price_told

    problem, reason = "", request.form.get("reason", "").strip()
    if request.method == "POST":
        try:
            day = look_early(db(), trial_id, now(), who(), reason[:300])
            commit()
            return redirect(url_for("verdict.early", trial_id=trial_id, day=day))
        except NoLook as error:
            db().rollback()
            problem = sentence(error)
    price = price_of(trial, max(1, min(trial.day_of(today()), trial.decision_day)))
    page = render_template(
        "verdict/open.html",
        trial=trial,
        told=price_told(price),
        figures=price_figures(price),
        problem=problem,
        reason=reason,
        day=price.day,
    )
    return page, 400 if problem else 200


@verdict.get("/trials/<int:trial_id>/verdict/looks/<int:day>")
def early(trial_id: int, day: int) -> ResponseReturnValue:
    """An early look that is on record: judged on what was read by its day, at its price."""
    trial = seen_trial_or_404(trial_id)
    if all(look.day != day for look in trial.looks) or (trial.blind and not sees_lots()):
        abort(404, "The envelope was not opened on that day.")
    return _judged(trial, day)


def _may_look(trial: Trial) -> bool:
    why = no_look(trial.day_of(today()), trial.decision_day, trial.sealed(today()))
    return not why and (sees_lots() or not trial.blind)


def _frame(trial: Trial, sealed: bool) -> dict[str, Any]:
    """What every verdict page has: the trial, its stakes, each unit's course."""
    asked, readings = trial.asked[0], all_readings(db(), trial.id)
    return {
        "trial": trial,
        "looks": trial_looks(trial),
        "sealed": sealed,
        "measure": asked.measure,
        "worth": worth_words(trial),
        "by_eye": [] if trial.sealed(today()) else said_by_eye(trial),
        "chart": course_chart(trial, asked, courses(trial, asked, readings), sealed),
    }


def _judged(trial: Trial, early: int | None = None) -> ResponseReturnValue:
    # Judging brings in the heavy statistics: imported where it is needed, not by every page.
    from eproba.core.wording.sentences import counted
    from eproba.web.pictures.also_ruler import also_ruler
    from eproba.web.verdict.findings import also_from, also_seen
    from eproba.web.verdict.telling import telling

    readings, frame = all_readings(db(), trial.id), _frame(trial, sealed=False)
    try:
        telling_ = telling(trial, readings, early)
    except CannotJudge as error:
        return render_template("verdict/unjudged.html", problem=sentence(error), **frame)
    kept = None if early is not None else also_found(db(), trial.id)
    also = also_from(kept) if kept else [] if early is not None else also_seen(trial, readings, beside_of(db(), trial))
    return render_template(
        "verdict/verdict.html",
        **vars(telling_),
        summary=counted(trial, telling_.judgement),
        early=early,
        also=also,
        also_ruler=also_ruler(also),
        notes=[(round_.day, round_.note) for round_ in trial.rounds if round_.note],
        **frame,
    )


def course_chart(trial: Trial, asked: Asked, by_unit: dict[int, Points], sealed: bool) -> dict[str, Any]:
    """Each unit's course over the days, and the mean of each treatment; unnamed while the envelope is sealed."""
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
    return {
        "points": points,
        "means": []
        if sealed
        else [
            {"treatment": letter, "day": day, "value": value}
            for letter, course in mean_courses(trial, by_unit).items()
            for day, value in course
        ],
        "treatments": treatments,
        "label": f"{measure.name}, {measure.judged_unit}",
        "decides": trial.decision_day,
        "rain": _rain(trial),
    }


def _rain(trial: Trial) -> list[dict[str, float]]:
    """Rain by day of the trial, so far."""
    until = min(today(), trial.decision_on)
    start = datetime.combine(trial.start_on, time()).astimezone()
    station_ = station()
    known = days(station_.hours(start, min(now().astimezone(), start + (until - trial.start_on) + ONE_DAY)),
                 station_.days(trial.start_on, until))  # fmt: skip
    return [{"day": (day.on - trial.start_on).days, "mm": day.rain_mm} for day in known if day.rain_mm >= 0.1]
