"""Rounds and pours as an iCalendar file (RFC 5545), written by the icalendar package."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from icalendar import Calendar, Event


@dataclass(frozen=True)
class CalendarEntry:
    """One whole-day entry. `uid` stays the same when the day moves, so that calendars move it too."""

    uid: str
    on: date
    title: str
    details: str


def ics(name: str, entries: Iterable[CalendarEntry], now: datetime) -> bytes:
    """A calendar of whole days."""
    calendar = Calendar()
    calendar.add("prodid", "-//Eproba//trials//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", name)
    for entry in entries:
        event = Event()
        event.add("uid", entry.uid)
        event.add("dtstamp", now)
        event.add("dtstart", entry.on)
        event.add("dtend", entry.on + timedelta(days=1))
        event.add("summary", entry.title)
        event.add("description", entry.details)
        calendar.add_component(event)
    return bytes(calendar.to_ical())
