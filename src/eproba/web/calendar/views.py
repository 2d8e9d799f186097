"""The calendar: every day's work over all trials, as a page, a file and a feed."""

from collections.abc import Iterable
from datetime import UTC, timedelta

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.applying.due import Due
from eproba.core.applying.morning import DayLine
from eproba.core.trial.hours import hours_words
from eproba.core.words import listed
from eproba.exchange.ics import CalendarEntry
from eproba.exchange.ics import ics as ics_file
from eproba.store.commands.feeds import new_feed, revoke_feed
from eproba.store.days import day_list
from eproba.store.feeds import feeds, known_feed
from eproba.store.secrets import new_secret
from eproba.web.pictures.strips import listed_days, strips
from eproba.web.stations import station
from eproba.web.ui.clock import now, today
from eproba.web.ui.responses import file_name
from eproba.web.ui.session import db, trial_or_404
from eproba.web.ui.shown_once import show_once, shown_once
from eproba.web.verdict.keeping import commit

calendar = Blueprint("calendar", __name__, template_folder="templates")
ALARMS = {"": "never", "0": "at its hour", "60": "an hour before", "720": "twelve hours before", "1440": "a day before"}
AHEAD, FEED_AHEAD = timedelta(days=41), timedelta(days=400)


@calendar.get("/calendar")
def show() -> ResponseReturnValue:
    lines = day_list(db(), now(), station(), today() + AHEAD)
    return render_template(
        "calendar/calendar.html",
        strips=strips(lines, today()),
        days=listed_days(lines),
        feeds=feeds(db()),
        address=url_for("calendar.feed", token=token, _external=True) if (token := shown_once("calendar")) else "",
        alarms=ALARMS,
    )


def _entries(lines: Iterable[DayLine]) -> list[CalendarEntry]:
    return [
        CalendarEntry(line.key, line.on if line.at is None else line.at.astimezone(UTC), line.words, _details(line),
                      line.minutes)
        for line in lines
    ]  # fmt: skip


def _details(line: DayLine) -> str:
    """What stands under an entry: whom it is for, what of it, and what can be chosen."""
    details = [line.more] if line.more else []
    if line.sort == "choose":
        details.append(f"Ways out: {'; '.join(way.words for way in line.ways)}.")
    elif line.due:
        details.append(_of_due(line.due[0]))
    elif line.trials:
        details.append(f"For {listed(line.trials)}.")
    return " ".join(details) or "On the brew shelf."


def _of_due(due: Due) -> str:
    units = f"treatments {', '.join(due.letters)}" if due.kind == "pour" else due.noun(due.units)
    hour = f", {hours_words(due.time)}" if due.time else ""
    return f"Day {due.day}, {units}{hour}."


def _as_file(name: str, lines: Iterable[DayLine], title: str, alarm_minutes: int | None = None) -> Response:
    text = ics_file(title, _entries(lines), now(), alarm_minutes)
    headers = {"Content-Disposition": f'attachment; filename="{name}.ics"'}
    return Response(text, content_type="text/calendar; charset=utf-8", headers=headers)


@calendar.get("/trials/<int:trial_id>/calendar.ics")
def ics(trial_id: int) -> ResponseReturnValue:
    trial = trial_or_404(trial_id)
    until = max(today(), min(trial.decision_on, today() + FEED_AHEAD))
    lines = day_list(db(), now(), station(), until, trial_id=trial_id)
    return _as_file(file_name(trial), lines, trial.name)


@calendar.get("/feeds/<token>.ics")
def feed(token: str) -> ResponseReturnValue:
    """What is due in all trials, for a calendar that has the secret address."""
    known = known_feed(db(), token)
    if known is None:
        abort(404, "This calendar address was revoked, or never was one.")
    lines = day_list(db(), now(), station(), today() + FEED_AHEAD)
    return _as_file("eproba", lines, "Eproba", known.alarm_minutes)


@calendar.post("/calendar/feeds")
def make_feed() -> ResponseReturnValue:
    wished = request.form.get("alarm", "")
    address = new_secret()
    new_feed(db(), address, now(), int(wished) if wished and wished in ALARMS else None)
    commit()
    show_once("calendar", address)
    flash("A new address. Whoever has it sees what is due, and nothing else.")
    return redirect(url_for("calendar.show"))


@calendar.post("/calendar/feeds/revoke")
def revoke() -> ResponseReturnValue:
    is_revoked = revoke_feed(db(), request.form.get("token", ""))
    commit()
    flash("Revoked: that address doesn’t work any more." if is_revoked else "It was revoked already.")
    return redirect(url_for("calendar.show"))
