"""The time, as the app's clock has it."""

from collections.abc import Callable
from datetime import UTC, date, datetime

from flask import current_app


def now() -> datetime:
    """The clock, replaceable in tests."""
    clock: Callable[[], datetime] = current_app.config["CLOCK"]
    return clock()


def today() -> date:
    """The gardener's own day."""
    return now().astimezone().date()


def utc_now() -> datetime:
    return datetime.now(UTC)
