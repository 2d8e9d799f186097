"""The mixing desk's questions, and the household's kit."""

from dataclasses import replace
from typing import Any

from wtforms import BooleanField, RadioField, SelectField, StringField, ValidationError

from eproba.core.brewing.kitchen import Kit
from eproba.core.brewing.mixing import Want, in_n, pot_litres, pot_size
from eproba.core.quantities import SPOON, QuantityError
from eproba.store.kit import Garden, Household
from eproba.web.ui.fields import AmountField, AmountForm, NumberField, at_most

WATERS = ("rain", "well", "tap with chlorine", "tap with chloramine", "tap, not known")
MEASURED_WITH = ("scale_g", "spoon_ml", "jug_ml", "can_l", "syringe_ml")
FROM_THE_RECIPE = {"placeholder": "the recipe’s"}
MEANS = {"plus": "1 + N (11 parts for “1 to 10”)", "in": "1 in N (10 parts for “1 to 10”)"}


class MixForm(AmountForm):
    recipe = SelectField("Recipe")
    by = RadioField("For", choices=[("area", "an area"), ("units", "units or pots")], default="area")
    area = AmountField("Area", "m²", optional=True)
    rate = AmountField("On the ground", "L/m²", optional=True, render_kw=FROM_THE_RECIPE)
    units = NumberField("Units", whole=True, optional=True)
    each = AmountField("For each of them", "L", optional=True)
    pot_across = AmountField("… or pots (a tenth of them is poured), across", "cm", optional=True)
    pot_high = AmountField("filled up to", "cm", optional=True)
    strength = NumberField("Parts of water", optional=True, render_kw=FROM_THE_RECIPE)
    means = RadioField("Read as", choices=list(MEANS.items()), default="plus")
    equipment = SelectField("Applied with", choices=[], default="can")


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
    litres_each, surface = form.each.number, None
    if form.pot_across.number is not None and form.pot_high.number is not None:
        surface, volume = pot_size(form.pot_across.number, form.pot_high.number)
        litres_each = pot_litres(volume) if litres_each is None else litres_each
    if litres_each is None:
        raise QuantityError("Say how much each unit gets, or how wide the pots are and how high they are filled.")
    return Want(units=int(form.units.number or 1), per_unit_litres=litres_each, unit_m2=surface, parts=parts)


def _months(field: Any) -> tuple[int, ...]:
    """Months as numbers. Raises ValidationError."""
    parts = [part for part in (field.data or "").replace(",", " ").split() if part]
    if not all(part.isdigit() and 1 <= int(part) <= 12 for part in parts):
        raise ValidationError("Write months as numbers from 1 to 12, such as 11, 12, 1.")
    return tuple(dict.fromkeys(int(part) for part in parts))


class KitForm(AmountForm):
    system = RadioField("Units, kitchen measures with them", choices=[("metric", "metric"), ("US", "US")])
    scale_g = AmountField("Your scale’s step", "g", 0.001, 1000)
    spoon_ml = AmountField("Your smallest spoon", f"mL{SPOON}", 0.1, 50)
    jug_ml = AmountField("Your jug’s step", "mL", 1, 1000)
    can_l = AmountField("Your can", "L", 0.1, 1000)
    syringe_ml = NumberField("Your syringe’s step", 0, 50)
    water = SelectField("Your water", choices=WATERS)
    poor = BooleanField("Its soil is poor: little grows by itself, few worms")
    cool = StringField("Cool months", [at_most(60)])
    dry = StringField("Dry months", [at_most(60)])
    wet = StringField("Wet months", [at_most(60)])

    def validate_cool(self, field: Any) -> None:
        _months(field)

    def validate_dry(self, field: Any) -> None:
        _months(field)

    def validate_wet(self, field: Any) -> None:
        _months(field)


def kit_filled(household: Household) -> dict[str, Any]:
    kit = household.kit
    numbers = {name: getattr(kit, name) for name in MEASURED_WITH}
    garden = household.garden
    months = {name: ", ".join(map(str, getattr(garden, name))) for name in ("cool", "dry", "wet")}
    return {**numbers, **months, "poor": garden.poor, "system": kit.system, "water": household.water}


def household_made(form: KitForm, household: Household) -> Household:
    """The household with what was typed; its prices stay."""
    numbers = {name: float(getattr(form, name).number) for name in MEASURED_WITH}
    garden = Garden(form.poor.data, _months(form.dry), _months(form.wet), _months(form.cool))
    kit = Kit(system=form.system.data, **numbers)
    return replace(household, kit=kit, water=form.water.data, garden=garden)
