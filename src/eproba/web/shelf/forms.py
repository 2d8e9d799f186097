"""Forms about batches: a new one, a look at one, its end."""

from datetime import timedelta
from typing import Any

from flask_wtf import FlaskForm
from flask_wtf.file import FileField
from wtforms import RadioField, SelectField, StringField, TextAreaField, ValidationError
from wtforms.validators import InputRequired, Length

from eproba.core.brewing.batches import Batch
from eproba.core.brewing.recipe import SIGNS, Recipe
from eproba.core.quantities import COLDEST, HOTTEST
from eproba.web.mixing.forms import WATERS
from eproba.web.ui.fields import NumberField

STARTS = {"now": "mixed now", "standing": "water begins to stand; mixed in a day"}


class BatchForm(FlaskForm):
    recipe = SelectField("Recipe")
    litres = NumberField("How much of it", 0.01, 10_000)
    name = StringField("A name of its own", [Length(max=60)])
    place = StringField("Where it stands", [Length(max=80)])
    water = SelectField("Water", choices=WATERS)
    start = RadioField("Begun", choices=list(STARTS.items()), default="now")

    def validate_litres(self, field: Any) -> None:
        if field.number is not None and field.number <= 0:
            raise ValidationError("A batch holds more than 0.")


def _sign(name: str) -> SelectField:
    """What may be seen of a sign; empty: not looked at."""
    return SelectField(name.capitalize(), choices=[("", "–"), *((look, look) for look in SIGNS[name])], default="")


class CheckForm(FlaskForm):
    temperature = NumberField("Temperature", COLDEST, HOTTEST, optional=True)
    smell = _sign("smell")
    bubbles = _sign("bubbles")
    foam = _sign("foam")
    colour = _sign("colour")
    mould = _sign("mould")
    slime = _sign("slime")
    note = TextAreaField("Note", [Length(max=500)])
    photo = FileField("A photo")

    @property
    def seen(self) -> dict[str, str]:
        return {sign: getattr(self, sign).data for sign in SIGNS if getattr(self, sign).data}


class ThrowForm(FlaskForm):
    reason = StringField("Why?", [InputRequired("Say why: it belongs in the record."), Length(max=200)])


def batch_made(form: BatchForm, recipe: Recipe, typed: Any, at: Any) -> Batch:
    """The batch as typed; amounts really used where they differ from the recipe."""
    litres = float(form.litres.number or 0)
    times = litres / recipe.yields
    amounts = {}
    for portion in recipe.portions:
        field = typed.get(f"amount-{portion.ingredient.key}")
        amounts[portion.ingredient.key] = portion.amount * times if field is None else field
    standing = form.start.data == "standing"
    return Batch(
        id=0,
        recipe=recipe,
        litres=litres,
        where=(form.place.data or "").strip(),
        made_at=at + timedelta(hours=24) if standing else at,
        standing_at=at if standing else None,
        left=litres,
        amounts=amounts,
        name=(form.name.data or "").strip(),
    )
