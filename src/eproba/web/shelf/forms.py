"""Forms about batches: a new one, what happens to one, a correction."""

from datetime import datetime
from typing import Any

from flask_wtf.file import FileField
from wtforms import RadioField, SelectField, StringField, TextAreaField, ValidationError
from wtforms.validators import InputRequired

from eproba.core.brewing.events import Batch, Event, What, check_event, with_event
from eproba.core.brewing.recipe import SIGN_WORDS, SIGNS, Recipe, in_the_way_of
from eproba.core.quantities import COLDEST, HOTTEST
from eproba.web.mixing.forms import WATERS
from eproba.web.ui.fields import AmountField, AmountForm, at_most, moment_of
from eproba.web.ui.form import OurForm

STARTS = {"now": "mixed now", "earlier": "mixed earlier, at", "standing": "its water is set out now; mixed later"}


class MadeForm(AmountForm):
    """How much of a brew, or of what is spread: in the unit that its recipe measures it in."""

    litres: AmountField

    def __init__(self, measured_in: str = "L", **kwargs: Any) -> None:
        self.measured_in = measured_in
        super().__init__(**kwargs)

    def process(self, *args: Any, **kwargs: Any) -> None:
        self.litres.kept_unit = self.measured_in
        super().process(*args, **kwargs)


class BatchForm(MadeForm):
    recipe = SelectField("Recipe")
    school = SelectField("In the way of", validate_choice=False)
    litres = AmountField("How much of it", "L", 0.01, 10_000)
    name = StringField("A name of its own", [at_most(60)])
    place = StringField("Where it stands", [at_most(80)])
    water = SelectField("Water", choices=WATERS)
    start = RadioField("Begun", choices=list(STARTS.items()), default="now")
    began = StringField("Mixed at", [at_most(30)])
    temperature = AmountField("How warm it is", "°C", COLDEST, HOTTEST, optional=True)

    def validate_began(self, field: Any) -> None:
        if self.start.data == "earlier" and not (field.data or "").strip():
            raise ValidationError("Say when it was mixed.")


def _sign(name: str) -> SelectField:
    """What may be seen of a sign, described; empty: not looked at."""
    looks = [(look, SIGN_WORDS.get((name, look), look)) for look in SIGNS[name]]
    return SelectField(name.capitalize(), choices=[("", "–"), *looks], default="")


class LookForm(MadeForm):
    """A look at a batch, now or at a moment; also what a correction of one is typed into."""

    at = StringField("When", [at_most(30)])
    temperature = AmountField("Temperature", "°C", COLDEST, HOTTEST, optional=True)
    smell = _sign("smell")
    bubbles = _sign("bubbles")
    foam = _sign("foam")
    colour = _sign("colour")
    mould = _sign("mould")
    slime = _sign("slime")
    litres = AmountField("Left after straining", "L", 0.001, 10_000, optional=True)
    note = TextAreaField("Note", [at_most(500)])
    photo = FileField("A photo")

    @property
    def seen(self) -> dict[str, str]:
        return {sign: getattr(self, sign).data for sign in SIGNS if getattr(self, sign).data}

    def event(self, what: What, now: datetime, by: str) -> Event:
        """What was typed, as an event. Raises MomentError."""
        at, note = moment_of(self.at.data or "", now), (self.note.data or "").strip()
        return Event(at, what, self.temperature.number, self.seen, self.litres.number, note, by)


class ThrowForm(OurForm):
    at = StringField("When", [at_most(30)])
    reason = StringField("Why?", [InputRequired("Say why: it belongs in the record."), at_most(200)])


class PutRightForm(MadeForm):
    """What is known of the whole batch."""

    litres = AmountField("How much was made", "L", 0.01, 10_000)
    place = StringField("Where it stands", [at_most(80)])
    name = StringField("A name of its own", [at_most(60)])


def batch_made(
    form: BatchForm, recipe: Recipe, used: dict[str, float], now: datetime, by: str, stood: datetime | None = None
) -> Batch:
    """The batch as typed, in the way of a school where one was chosen; amounts really used where they were typed.
    `stood`: since when its water stands, where that was ticked.

    Raises
    ------
    BatchError, MomentError
        It can't have begun then.
    """
    litres = float(form.litres.number or 0)
    chosen = in_the_way_of(recipe, form.school.data or "")
    times = litres / chosen.yields
    amounts = {p.ingredient.key: used.get(p.ingredient.key, p.amount * times) for p in chosen.portions}
    batch = Batch(
        id=0,
        recipe=chosen,
        litres=litres,
        where=(form.place.data or "").strip(),
        amounts=amounts,
        name=(form.name.data or "").strip(),
        water=form.water.data,
        school=(form.school.data or "") if chosen is not recipe else "",
    )
    began = moment_of((form.began.data or "") if form.start.data == "earlier" else "", now)
    what: What = "water set out" if form.start.data == "standing" else "mixed"
    event = Event(began, what, form.temperature.number if what == "mixed" else None, by=by)
    check_event(batch, event, now)
    batch = with_event(batch, event)
    waited = stood is not None and what == "mixed" and stood <= began
    return with_event(batch, Event(stood, "water set out", by=by)) if stood is not None and waited else batch
