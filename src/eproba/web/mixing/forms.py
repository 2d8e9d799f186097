"""The mixing desk's questions, and the household's kit."""

from typing import Any

from flask_wtf import FlaskForm
from wtforms import RadioField, SelectField, StringField
from wtforms.validators import Length

from eproba.core.brewing.kitchen import EQUIPMENT, Kit
from eproba.core.brewing.mixing import Want, in_n, pot_litres
from eproba.core.brewing.recipe import Recipe
from eproba.core.catalogue import ingredients
from eproba.core.quantities import QuantityError, litres
from eproba.store.kit import Household
from eproba.web.ui.fields import NumberField

WATERS = ("rain", "well", "tap with chlorine", "tap with chloramine", "tap, not known")
MEANS = {"plus": "1 + N (11 parts for “1 to 10”)", "in": "1 in N (10 parts for “1 to 10”)"}


class MixForm(FlaskForm):
    recipe = SelectField("Recipe")
    by = RadioField("For", choices=[("area", "an area"), ("units", "units or pots")], default="area")
    area = NumberField("Area", optional=True)
    rate = NumberField("For each m² (empty: the recipe’s)", optional=True)
    units = NumberField("Units", whole=True, optional=True)
    each = StringField("Litres each", [Length(max=20)])
    pot = NumberField("… or the pot’s volume (a tenth is poured)", optional=True)
    strength = NumberField("Strength: 1 to (empty: the recipe’s)", optional=True)
    means = RadioField("read as", choices=list(MEANS.items()), default="plus")
    equipment = SelectField("Brought out with", choices=[(each.key, each.name) for each in EQUIPMENT], default="can")


def want_of(form: MixForm) -> Want:
    """What is wanted, as typed.

    Raises
    ------
    ValueError
        MixError and QuantityError among them: a sentence that says what would fit.
    """
    parts = None
    if form.strength.number is not None:
        n = form.strength.number
        parts = in_n(n) if form.means.data == "in" else (1.0, n)
    if form.by.data == "area":
        return Want(area_m2=1.0 if form.area.number is None else form.area.number, rate=form.rate.number, parts=parts)
    each = litres(form.each.data) if (form.each.data or "").strip() else None
    if each is None and form.pot.number is not None:
        each = pot_litres(form.pot.number)
    if each is None:
        raise QuantityError("Say how many litres each unit gets, or the pot’s volume.")
    return Want(units=int(form.units.number or 1), per_unit_litres=each, parts=parts)


class KitForm(FlaskForm):
    system = RadioField("Kitchen measures", choices=[("metric", "metric"), ("US", "US")])
    scale_g = NumberField("Your scale’s step", 0.001, 1000)
    spoon_ml = NumberField("Your smallest spoon", 0.1, 50)
    jug_ml = NumberField("Your jug’s step", 1, 1000)
    can_l = NumberField("Your can", 0.1, 1000)
    water = SelectField("Your water", choices=WATERS)


def kit_filled(household: Household) -> dict[str, Any]:
    kit = household.kit
    numbers = {name: f"{getattr(kit, name):g}" for name in ("scale_g", "spoon_ml", "jug_ml", "can_l")}
    return {**numbers, "system": kit.system, "water": household.water}


def household_made(form: KitForm, prices: dict[str, float]) -> Household:
    numbers = {name: float(getattr(form, name).number) for name in ("scale_g", "spoon_ml", "jug_ml", "can_l")}
    return Household(Kit(system=form.system.data, **numbers), prices, form.water.data)


def priced(recipe: Recipe) -> list[str]:
    """The ingredients of a recipe that may cost something."""
    return [each.ingredient.key for each in recipe.portions if each.ingredient.key != "water"]


def known_ingredients() -> set[str]:
    return set(ingredients())
