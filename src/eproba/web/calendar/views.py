"""The calendar: every day's work over all trials, as a page, a file and a feed."""

import secrets
from collections.abc import Iterable
from datetime import UTC, datetime, timedelta

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.applying.errands import Job
from eproba.core.trial.compared import COMPARED
from eproba.core.trial.days import POUR_SECONDS, is_asked, seconds_of_round
from eproba.core.trial.hours import at_clock, hours_words
from eproba.core.trial.model import Asked
from eproba.exchange.ics import CalendarEntry
from eproba.exchange.ics import ics as ics_file
from eproba.store.brewing import brewing_jobs, day_span
from eproba.store.commands.feeds import new_feed, revoke_feed
from eproba.store.feeds import feeds, known_feed
from eproba.store.glances import Due, asked_of, due_by
from eproba.web.pictures.weeks import WeekTask, weeks
from eproba.web.ui.clock import now, today
from eproba.web.ui.errands import job_address
from eproba.web.ui.responses import file_name
from eproba.web.ui.session import db, trial_or_404
from eproba.web.verdict.keeping import commit

calendar = Blueprint("calendar", __name__, template_folder="templates")
ALARMS = {"": "never", "0": "at its hour", "60": "an hour before", "720": "twelve hours before", "1440": "a day before"}
AHEAD, FEED_AHEAD = timedelta(days=42), timedelta(days=400)


@calendar.get("/calendar")
def show() -> ResponseReturnValue:
    waiting = due_by(db(), today() + AHEAD, limit=400)
    late = [due for due in waiting if due.on < today()]
    start, end = day_span(today(), AHEAD)
    tasks = _tasks([due for due in waiting if due.on >= today()])
    tasks += [_brew_task(job) for job in brewing_jobs(db(), now(), start, end)]
    last = max((task.on for task in tasks), default=today())
    return render_template(
        "calendar/calendar.html",
        weeks=weeks(tasks, today(), last),
        late=late,
        feeds=feeds(db()),
        tasks=tasks,
        alarms=ALARMS,
    )


def _brew_task(job: Job) -> WeekTask:
    return WeekTask(job.at.astimezone().date(), "brew", job.words, job.minutes, job_address(job))


def _tasks(waiting: list[Due]) -> list[WeekTask]:
    asked = asked_of(db(), {due.trial_id for due in waiting})
    return [_task(due, asked[due.trial_id]) for due in waiting]


def _task(due: Due, asked: list[Asked]) -> WeekTask:
    if due.kind == "pour":
        address = url_for("pours.show", trial_id=due.trial_id, day=due.day)
        share = len(due.letters) / max(1, due.treatments)
        return WeekTask(
            due.on, "pour", f"{_named(due)}: {due.trial_name}", POUR_SECONDS * due.units * share / 60, address
        )
    of_round = [
        (asked_.measure, asked_.per_unit)
        for asked_ in asked
        if is_asked(asked_.measure, due.day, due.pull, asked_.days)
    ]
    minutes = seconds_of_round(of_round, due.units, due.pull) / 60
    address = url_for("rounds.show", trial_id=due.trial_id, round_id=due.round_id)
    kind = "pull" if any(measure.destructive for measure, _ in of_round) else "round"
    return WeekTask(due.on, kind, f"{_named(due)}: {due.trial_name}", minutes, address)


def _named(due: Due) -> str:
    if due.kind == "pour":
        return COMPARED[due.compared].noun.capitalize()
    return "Baseline" if due.day == 0 else "Round"


def _entries(waiting: Iterable[Due]) -> list[CalendarEntry]:
    entries = []
    for due in waiting:
        what = _named(due)
        units = f"treatments {', '.join(due.letters)}" if due.kind == "pour" else f"{due.units} units"
        hour = f", {hours_words(due.time)}" if due.time else ""
        entries.append(
            CalendarEntry(due.uid, _hour(due) or due.on, f"{what}: {due.trial_name}", f"Day {due.day}, {units}{hour}.")
        )
    return entries


def _hour(due: Due) -> datetime | None:
    """Its hour, where a clock shows it; else it takes the whole day."""
    at = at_clock(due.time, due.on)
    return None if at is None else at.astimezone(UTC)


def _brew_entries(brewing_jobs: Iterable[Job]) -> list[CalendarEntry]:
    return [
        CalendarEntry(job.key, job.at.astimezone(UTC), job.words, _for_whom(job), job.minutes) for job in brewing_jobs
    ]


def _for_whom(job: Job) -> str:
    trials = ", ".join(dict.fromkeys(serve.trial for serve in job.serves))
    pours = f"{len(job.serves)} pour{'s' if len(job.serves) > 1 else ''}"
    whose = f"For {pours}: {trials}." if trials else "On the brew shelf."
    return f"{job.more} {whose}".strip()


def _as_file(
    name: str, waiting: Iterable[Due], title: str, brews: Iterable[Job], alarm_minutes: int | None = None
) -> Response:
    text = ics_file(title, [*_entries(waiting), *_brew_entries(brews)], now(), alarm_minutes)
    headers = {"Content-Disposition": f'attachment; filename="{name}.ics"'}
    return Response(text, content_type="text/calendar; charset=utf-8", headers=headers)


@calendar.get("/trials/<int:trial_id>/calendar.ics")
def ics(trial_id: int) -> ResponseReturnValue:
    trial = trial_or_404(trial_id)
    brews = brewing_jobs(db(), now(), *day_span(today(), FEED_AHEAD))
    mine = [job for job in brews if any(serve.trial_id == trial_id for serve in job.serves)]
    return _as_file(file_name(trial), due_by(db(), trial.decision_on, 400, trial_id), trial.name, mine)


@calendar.get("/feeds/<token>.ics")
def feed(token: str) -> ResponseReturnValue:
    """What is due in all trials, for a calendar that has the secret address."""
    known = known_feed(db(), token)
    if known is None:
        abort(404, "This calendar address was revoked, or never was one.")
    brews = brewing_jobs(db(), now(), *day_span(today(), FEED_AHEAD))
    return _as_file("eproba", due_by(db(), today() + FEED_AHEAD, 2000), "Eproba", brews, known.alarm_minutes)


@calendar.post("/calendar/feeds")
def make_feed() -> ResponseReturnValue:
    wished = request.form.get("alarm", "")
    new_feed(db(), secrets.token_urlsafe(24), now(), int(wished) if wished and wished in ALARMS else None)
    commit()
    flash("A new address. Whoever has it sees what is due, and nothing else.")
    return redirect(url_for("calendar.show"))


@calendar.post("/calendar/feeds/revoke")
def revoke() -> ResponseReturnValue:
    revoke_feed(db(), request.form.get("token", ""))
    commit()
    flash("Revoked: that address leads nowhere now.")
    return redirect(url_for("calendar.show"))
