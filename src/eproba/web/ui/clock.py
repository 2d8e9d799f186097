"""The time, as the app's clock has it."""

from collections.abc import Callable
from datetime import UTC, date, datetime
from typing import cast

from flask import current_app, g


def now() -> datetime:
    """The clock, replaceable in tests."""
    clock: Callable[[], datetime] = current_app.config["CLOCK"]
    return clock()


def today() -> date:
    """The gardener's own day, the same for the whole of an answer."""
    if "today" not in g:
        g.today = now().astimezone().date()
    return cast(date, g.today)


def utc_now() -> datetime:
    return datetime.now(UTC)
