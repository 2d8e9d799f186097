"""Rounds, pours and brews as an iCalendar file (RFC 5545), written by the icalendar package."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from icalendar import Alarm, Calendar, Event

LEAST = 15.0  # minutes: what is shorter can’t be seen in a calendar
MORNING = timedelta(hours=8)  # when a whole day’s entry rings, less the minutes that are wished


@dataclass(frozen=True)
class CalendarEntry:
    """One entry: of a whole day, which leaves the day free, or at an hour, for `minutes`. `uid` stays the same when it
    moves, so that calendars move it too."""

    uid: str
    at: date | datetime
    title: str
    details: str
    minutes: float = 0.0


def ics(name: str, entries: Iterable[CalendarEntry], now: datetime, alarm_minutes: int | None = None) -> bytes:
    """A calendar; `alarm_minutes`: how long before each entry it rings (None: never)."""
    calendar = Calendar()
    calendar.add("prodid", "-//Eproba//trials//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", name)
    for entry in entries:
        calendar.add_component(_event(entry, now, alarm_minutes))
    return bytes(calendar.to_ical())


def _event(entry: CalendarEntry, now: datetime, alarm_minutes: int | None) -> Event:
    event = Event()
    event.add("uid", f"{entry.uid}@eproba")
    event.add("dtstamp", now)
    event.add("dtstart", entry.at)
    timed = isinstance(entry.at, datetime)
    length = timedelta(minutes=max(LEAST, entry.minutes)) if timed else timedelta(days=1)
    event.add("dtend", entry.at + length)
    event.add("transp", "OPAQUE" if timed else "TRANSPARENT")
    event.add("summary", entry.title)
    event.add("description", entry.details)
    if alarm_minutes is not None:
        alarm = Alarm()
        alarm.add("action", "DISPLAY")
        alarm.add("description", entry.title)
        alarm.add("trigger", (timedelta() if timed else MORNING) - timedelta(minutes=alarm_minutes))
        event.add_component(alarm)
    return event
