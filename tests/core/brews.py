"""Batches to be judged: begun at a moment, then so many hours later …"""

from datetime import UTC, datetime, timedelta

from eproba.core.brewing.events import Batch, Event, in_order

BREWED = datetime(2026, 5, 1, 8, tzinfo=UTC)  # when batches of the tests are mixed


def brew(recipe, *events, litres=5.0, begun=BREWED, what="mixed", **changes):
    """A batch begun at a moment; each event is (hours later, what) with what else is known of it."""
    rows = [Event(begun + timedelta(hours=h), kind, **more) for h, kind, more in ((*e, {})[:3] for e in events)]
    return Batch(1, recipe, litres, "shed", in_order([Event(begun, what), *rows]), **changes)


def look(hours, temperature=None, **seen):
    return hours, "looked at", {"temperature": temperature, "seen": seen}
