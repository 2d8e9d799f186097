"""Form fields for what people type: numbers with point or comma, moments; kept as typed when wrong."""

from collections.abc import Callable, Iterator
from datetime import datetime, time
from typing import Any, get_args

from wtforms import FieldList, FormField, HiddenField, StringField
from wtforms.form import BaseForm
from wtforms.validators import Length, ValidationError

from eproba.core.errors import EprobaError
from eproba.core.quantities import System, Units, conversion, number_typed, split_typed
from eproba.core.words import parse_date, parse_number
from eproba.web.ui.form import OurForm
from eproba.web.ui.session import system
from eproba.web.ui.units import sentence


class MomentError(EprobaError):
    """A moment that can't be read; the message says how to write it."""


def at_most(letters: int) -> Length:
    """A text of no more than so many characters."""
    return Length(max=letters, message=f"Give at most {letters} characters.")


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
            number = self.read(text)
        except EprobaError as error:
            raise ValidationError(sentence(error)) from error
        if self.whole and not number.is_integer():
            raise ValidationError("A whole number is needed here.")
        if (self.low is not None and number < self.low) or (self.high is not None and number > self.high):
            low, high = (None if limit is None else self.told(limit) for limit in (self.low, self.high))
            bounds = f"{low} to {high}" if high is not None else f"at least {low}"
            raise ValidationError(f"{self.told(number)} doesn’t fit: give {bounds}.")
        self.number = number

    def read(self, text: str) -> float:
        """What was typed as a number. Raises EprobaError."""
        return parse_number(text.rstrip("% "))

    def told(self, number: float) -> str:
        """A number as it is typed."""
        return f"{number:g}"


class WithUnitField(NumberField):
    """A number beside a choice of units; where it brings its own (“5 kg”), that one is meant."""

    unit: str = ""

    def pre_validate(self, form: Any) -> None:
        super().pre_validate(form)
        if self.unit and self.unit not in [option.data for option in form.unit]:
            raise ValidationError(f"“{self.unit}” does not fit here: choose one of the units beside it.")
        if self.unit:
            form.unit.data = self.unit

    def read(self, text: str) -> float:
        number, self.unit = split_typed(text)
        return number


class AmountField(NumberField):
    """A length, an area, a temperature: typed in the household's unit or with a unit behind it; `number` is metric, in
    `kept_unit`."""

    def __init__(self, label: str, kept_unit: str, low: float | None = None, high: float | None = None, **more: Any):
        super().__init__(label, low, high, **more)
        self.kept_unit = kept_unit

    @property
    def suffix(self) -> str:
        """The household's unit, shown behind the field."""
        return Units(system()).unit(self.kept_unit)

    def process_data(self, value: Any) -> None:
        """A metric number as the household types it."""
        self.data = shown_text(value, self.kept_unit)

    def read(self, text: str) -> float:
        return number_typed(text, self.kept_unit, system())

    def told(self, number: float) -> str:
        return f"{shown_text(f'{number:g}', self.kept_unit)} {self.suffix}"

    def translate(self, typed_in: System) -> None:
        """What was typed in other units, in those of the household; what can't be read, or has its unit, stays."""
        was, now = (conversion(self.kept_unit, units) for units in (typed_in, system()))
        self.data = translated(self.data or "", lambda number: now.shown(was.kept(number)))


def translated(text: str, change: Callable[[float], float]) -> str:
    """A number as typed, changed; what is none, or has its unit with it, stays."""
    try:
        return f"{change(parse_number(text)):.4g}"
    except EprobaError:
        return text


class AmountForm(OurForm):
    """A form with amounts; it bears the units in which they were typed, so that none changes its meaning."""

    shown_in = HiddenField()

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        typed_in = self.shown_in.data
        if typed_in in get_args(System) and typed_in != system():
            self.translate(typed_in)
        self.shown_in.data = system()

    def translate(self, typed_in: System) -> None:
        """Everything that was typed in other units, in those of the household."""
        for field in amount_fields(self):
            field.translate(typed_in)


def amount_fields(form: BaseForm) -> Iterator[AmountField]:
    """All fields for amounts, those of forms within it too."""
    for field in form:
        rows = field if isinstance(field, FieldList) else [field]
        for row in rows:
            if isinstance(row, AmountField):
                yield row
            elif isinstance(row, FormField):
                yield from amount_fields(row.form)


def shown_text(value: Any, kept_unit: str) -> Any:
    """A metric number (or a bare one as text) as this household types it; anything else stays."""
    if system() == "metric" or value in (None, ""):
        return value
    try:
        return exact_text(float(value), kept_unit)
    except ValueError:
        return value


def exact_text(number: float, kept_unit: str) -> str:
    """A metric number as this household types it."""
    return f"{conversion(kept_unit, system()).shown(number):.4g}"
