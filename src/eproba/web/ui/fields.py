"""Form fields for what people type: numbers with point or comma, moments; kept as typed when wrong."""

from datetime import datetime, time
from typing import Any

from wtforms import StringField
from wtforms.validators import ValidationError

from eproba.core.errors import EprobaError
from eproba.core.words import parse_date, parse_number


class MomentError(EprobaError):
    """A moment that can't be read; the message says how to write it."""


def moment_of(text: str, usual: datetime) -> datetime:
    """A moment as a browser’s picker or a person writes it, by the gardener’s own clock; empty: `usual`.

    Raises
    ------
    MomentError
        It is none.
    """
    typed = text.strip()
    if not typed:
        return usual.astimezone()
    day, _, clock = typed.replace("T", " ").partition(" ")
    try:
        at = time.fromisoformat(clock.strip()) if clock.strip() else usual.astimezone().time()
        return datetime.combine(parse_date(day), at.replace(tzinfo=None, microsecond=0)).astimezone()
    except (EprobaError, ValueError, OverflowError) as error:
        raise MomentError(
            f"“{typed[:30]}” is no moment: write the day and the hour, such as 2026-05-20 18:30."
        ) from error


def written(at: datetime) -> str:
    """A moment as a browser’s picker holds it."""
    return at.astimezone().strftime("%Y-%m-%dT%H:%M")


def whole(text: str) -> int | None:
    """A whole number from 0 on in plain digits, as hidden fields and names bear one; None for anything else."""
    cleaned = text.strip()
    return int(cleaned) if cleaned.isascii() and cleaned.isdigit() and len(cleaned) < 10 else None


class NumberField(StringField):
    """Text that must read as a number within bounds; `number` is None while it is empty."""

    def __init__(
        self,
        label: str,
        low: float | None = None,
        high: float | None = None,
        whole: bool = False,
        optional: bool = False,
        **kwargs: Any,
    ) -> None:
        super().__init__(label, **kwargs)
        self.low, self.high, self.whole, self.optional = low, high, whole, optional
        self.number: float | None = None

    def pre_validate(self, form: Any) -> None:
        text = (self.data or "").strip()
        if not text:
            if self.optional:
                return
            raise ValidationError("A number is needed here.")
        try:
            number = parse_number(text.rstrip("% "))
        except EprobaError as error:
            raise ValidationError(str(error)) from error
        if self.whole and not number.is_integer():
            raise ValidationError("A whole number is needed here.")
        if (self.low is not None and number < self.low) or (self.high is not None and number > self.high):
            bounds = f"{self.low:g} to {self.high:g}" if self.high is not None else f"at least {self.low:g}"
            raise ValidationError(f"{number:g} can’t be: {bounds} fits here.")
        self.number = number
