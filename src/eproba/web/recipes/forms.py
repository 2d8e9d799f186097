"""A gardener's own recipe as a form, from nothing or from a copy; its schools come along from where it was copied."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any

from wtforms import (
    FieldList,
    FormField,
    HiddenField,
    RadioField,
    SelectField,
    SelectMultipleField,
    StringField,
    TextAreaField,
)
from wtforms.validators import InputRequired
from wtforms.widgets import CheckboxInput, ListWidget

from eproba.core.brewing.ingredients import Ingredient, RecipeError
from eproba.core.brewing.recipe import (
    OWN_INGREDIENT,
    SIGN_WORDS,
    SIGNS,
    Phase,
    Portion,
    Recipe,
    Signs,
    Step,
)
from eproba.core.catalogue import cautions, ingredients
from eproba.core.quantities import PORTIONS, System, portion_shown
from eproba.core.words import parse_number
from eproba.web.ui.fields import AmountField, AmountForm, NumberField, WithUnitField, at_most, whole
from eproba.web.ui.form import OurRow
from eproba.web.ui.session import system

KINDS = {"drench": "poured", "dry": "spread"}
KEEPS_FROM = {"ready": "it is ready", "mixed": "it is mixed", "strained": "it is strained", "air off": "the air is off"}
ROWS, OWN_ROWS = 12, 3


class PortionForm(OurRow):
    ingredient = SelectField("Ingredient", default="", validate_choice=False)
    amount = WithUnitField("Amount", 0, 100_000, optional=True)
    unit = SelectField("Unit", choices=lambda: list(PORTIONS[system()]), default=lambda: next(iter(PORTIONS[system()])))


class OwnIngredientForm(OurRow):
    """An ingredient that the catalogue does not know: sugar and nitrogen in percent of its mass."""

    name = StringField("Name", [at_most(80)])
    density = AmountField("How heavy it is", "kg/L", 0.01, 25, optional=True)
    grams_each = AmountField("A handful weighs", "g", 0.01, 100_000, optional=True)
    sugar = NumberField("Sugar", 0, 100, optional=True)
    nitrogen = NumberField("Nitrogen", 0, 100, optional=True)


def _looks(sign: str, about: str) -> SelectMultipleField:
    """Which looks of a sign mean that it is ready, or to be thrown away."""
    choices = [(look, SIGN_WORDS.get((sign, look), look)) for look in SIGNS[sign]]
    return SelectMultipleField(
        f"{sign.capitalize()}: {about}", choices=choices, widget=ListWidget(prefix_label=False),
        option_widget=CheckboxInput(),
    )  # fmt: skip


class SignsForm(OurRow):
    """What may be seen of each sign."""

    smell = _looks("smell", "any of")
    bubbles = _looks("bubbles", "any of")
    foam = _looks("foam", "any of")
    colour = _looks("colour", "any of")
    mould = _looks("mould", "any of")
    slime = _looks("slime", "any of")

    @property
    def signs(self) -> Signs | None:
        seen = {sign: tuple(getattr(self, sign).data) for sign in SIGNS if getattr(self, sign).data}
        return seen or None


class RecipeForm(AmountForm):
    """A recipe as typed; `version` is the one that the form was made from."""

    version = HiddenField()
    kind = RadioField("It is", choices=list(KINDS.items()), default="drench")
    title = StringField("Name", [InputRequired("Name it."), at_most(80)])
    family = StringField("Family", [InputRequired("Say which family, “your own” perhaps."), at_most(80)])
    said = TextAreaField("What growers claim", [InputRequired("Say what growers claim of it."), at_most(400)])
    needs = StringField("What it needs to work", [at_most(300)])
    not_for = StringField("Not for (commas between)", [at_most(300)])
    portions = FieldList(FormField(PortionForm), min_entries=ROWS, max_entries=ROWS)
    own = FieldList(FormField(OwnIngredientForm), min_entries=OWN_ROWS, max_entries=OWN_ROWS)
    yields = AmountField("That makes", "L", 0.01, 10_000)
    water_parts = NumberField("Parts of water to 1 part of it", 0, 5000)
    rate = AmountField("On the ground", "L/m²", 0.01, 1000)
    hours_low = NumberField("Ready after, at the soonest", 0, 10_000)
    hours_high = NumberField("Ready after, at the latest", 0, 10_000)
    temperature_low = AmountField("Kept as warm as, from", "°C", -5, 80, optional=True)
    temperature_high = AmountField("… to", "°C", -5, 80, optional=True)
    stir_hours = NumberField("Stirred every", 1, 1000, optional=True)
    keeps_hours = NumberField("Keeps", 0.1, 100_000, optional=True)
    keeps_from = SelectField("… counted from when", choices=list(KEEPS_FROM.items()), default="ready")
    days_low = NumberField("Used at most every", 0.1, 1000)
    days_high = NumberField("… up to every", 0.1, 1000)
    plain_between = NumberField("Plain waterings between", 0, 20, whole=True, optional=True)
    least = AmountField("Smallest batch that makes sense", "L", 0.01, 10_000, optional=True)
    minutes = NumberField("Minutes to make a batch", 1, 1000, whole=True)
    use = StringField("Way of use", [at_most(300)])
    ready = FormField(SignsForm)
    away = FormField(SignsForm)
    ready_words = StringField("Ready, in your words", [at_most(300)])
    away_words = StringField("Throw away, in your words", [at_most(300)])
    strain = StringField("Straining", [at_most(300)])
    brew = TextAreaField("Steps of making it, one a line", [at_most(3000)])
    apply = TextAreaField("Steps of using it, one a line", [at_most(3000)])
    why = TextAreaField("Why so", [at_most(600)])
    cautions = SelectMultipleField(
        "Cautions", widget=ListWidget(prefix_label=False), option_widget=CheckboxInput(), validate_choice=False
    )

    def __init__(self, known: Mapping[str, Ingredient], base: Recipe, **kwargs: Any) -> None:
        self.known, self.base = known, base
        super().__init__(**kwargs)
        self.cautions.choices = list(cautions(system()).items())
        new = [(f"new-{n}", f"own ingredient {n}, described below") for n in range(1, OWN_ROWS + 1)]
        names = [("", "–"), *((key, tool.name) for key, tool in known.items()), *new]
        for row in self.portions:
            row.form.ingredient.choices = names

    def process(self, formdata: Any = None, *args: Any, **kwargs: Any) -> None:
        """What is poured and what is spread is measured in units of its own."""
        kind = (self.meta.wrap_formdata(self, formdata) or {}).get("kind") or ("drench" if self.base.liquid else "dry")
        self.yields.kept_unit, self.rate.kept_unit = units_of_kind(self.base, kind)
        self.least.kept_unit = self.yields.kept_unit
        super().process(formdata, *args, **kwargs)

    def translate(self, typed_in: System) -> None:
        super().translate(typed_in)
        for row in self.portions:
            kept, amount = PORTIONS[typed_in].get(row.form.unit.data), row.form.amount.data
            if kept and amount:
                shown, row.form.unit.data = portion_shown(parse_number(amount), kept, system())
                row.form.amount.data = f"{shown:.4g}"

    @property
    def seen(self) -> int | None:
        return whole(self.version.data or "")


def known_to(recipes: Iterable[Recipe]) -> dict[str, Ingredient]:
    """The catalogue's ingredients, and those of own recipes."""
    own = {
        portion.ingredient.key: portion.ingredient
        for recipe in recipes
        for portion in recipe.portions
        if portion.ingredient.key.startswith(OWN_INGREDIENT)
    }
    return {**ingredients(), **own}


def blank_recipe() -> Recipe:
    """What a new recipe starts with: a cautious drench, nothing said of it yet."""
    return Recipe(
        key="new", title="", kind="drench", family="your own", said="", sure="hearsay", needs="",
        portions=(Portion(ingredients()["water"], 1, "L"),), yields=1.0, rate=(1.0, 2.0, 4.0), minutes=10, use="drench",
        phases=(Phase((14.0, 28.0)),), brew=(), apply=(Step("Pour slowly at the base.", ("pour",)),), why="",
    )  # fmt: skip


def filled(recipe: Recipe) -> dict[str, Any]:
    """What the form holds for a recipe."""
    low, high = recipe.temperature or (None, None)
    numbers = {
        "yields": recipe.yields, "water_parts": recipe.parts[1] / recipe.parts[0], "rate": recipe.rate[1],
        "hours_low": recipe.hours[0], "hours_high": recipe.hours[1], "temperature_low": low, "temperature_high": high,
        "stir_hours": recipe.stir_hours, "keeps_hours": recipe.keeps_hours, "days_low": recipe.phases[-1].days[0],
        "days_high": recipe.phases[-1].days[1], "minutes": recipe.minutes, "plain_between": recipe.plain_between,
        "least": recipe.least,
    }  # fmt: skip
    words = ("title", "family", "said", "needs", "use", "ready_words", "away_words", "strain", "why", "keeps_from")
    return {
        "version": str(recipe.version),
        "kind": "drench" if recipe.liquid else "dry",
        **{name: "" if number is None else f"{number:g}" for name, number in numbers.items()},
        **{name: getattr(recipe, name) for name in words},
        "not_for": ", ".join(recipe.not_for),
        "brew": "\n".join(step.do for step in recipe.brew),
        "apply": "\n".join(step.do for step in recipe.apply),
        "cautions": list(recipe.all_cautions),
        "ready": {sign: list(looks) for sign, looks in (recipe.ready or {}).items()},
        "away": {sign: list(looks) for sign, looks in recipe.away_signs.items()},
        "portions": [
            {"ingredient": portion.ingredient.key, "amount": f"{amount:.4g}", "unit": unit}
            for portion in recipe.portions
            for amount, unit in [portion_shown(portion.amount, portion.unit, system())]
        ],
    }


def recipe_made(base: Recipe, form: RecipeForm) -> Recipe:
    """The recipe as typed, the rest as in the base.

    Raises
    ------
    RecipeError
        Where what was typed contradicts itself, saying what would fit.
    """
    portions = _portions(form)
    usual = _number(form.rate)
    low, high = form.temperature_low.number, form.temperature_high.number
    if (low is None) != (high is None) or (low is not None and high is not None and low > high):
        raise RecipeError("The temperatures go from lower to higher; give both, or neither.")
    days = _number(form.days_low), _number(form.days_high)
    if days[0] > days[1]:
        raise RecipeError("“At most every” is the shorter time, “up to every” the longer.")
    *phases, last = base.phases
    known = {step.do: step for step in (*base.brew, *base.apply)}
    brew, apply = (_steps(field.data, known) for field in (form.brew, form.apply))
    kept = {key for step in (*brew, *apply) for key in step.cautions}
    recipe = replace(
        base,
        title=_text(form.title),
        family=_text(form.family),
        said=_text(form.said),
        needs=_text(form.needs),
        not_for=tuple(crop.strip() for crop in _text(form.not_for).split(",") if crop.strip()),
        portions=portions,
        yields=_number(form.yields),
        parts=(1.0, _number(form.water_parts)),
        rate=(min(base.rate[0], usual), usual, max(base.rate[2], usual)),
        hours=(_number(form.hours_low), _number(form.hours_high)),
        temperature=None if low is None or high is None else (low, high),
        stir_hours=form.stir_hours.number,
        keeps_hours=form.keeps_hours.number,
        keeps_from=form.keeps_from.data,
        plain_between=int(_number(form.plain_between)),
        least=form.least.number,
        phases=(*phases, replace(last, days=days)),
        minutes=int(_number(form.minutes)),
        use=_text(form.use),
        ready=form.ready.form.signs,
        away=form.away.form.signs,
        ready_words=_text(form.ready_words),
        away_words=_text(form.away_words),
        strain=_text(form.strain),
        brew=brew,
        apply=apply,
        why=_text(form.why),
        cautions=tuple(key for key in form.cautions.data or [] if key in cautions() and key not in kept),
    )
    return _of_its_kind(recipe, base, form.kind.data)


def _of_its_kind(recipe: Recipe, base: Recipe, kind: str) -> Recipe:
    """Poured or spread; what is spread is measured in kilograms and not diluted."""
    unit, rate = units_of_kind(base, kind)
    if kind == "drench":
        return replace(recipe, kind="drench", yields_unit=unit, rate_unit=rate)
    return replace(recipe, kind="dry", parts=(1.0, 0.0), yields_unit=unit, rate_unit=rate)


def units_of_kind(base: Recipe, kind: str) -> tuple[str, str]:
    """What a recipe yields, and what a square metre gets, are measured in."""
    if base.liquid == (kind == "drench"):
        return base.yields_unit, base.rate_unit
    return ("L", "L/m²") if kind == "drench" else ("kg", "kg/m²")


def _text(field: Any) -> str:
    return (field.data or "").strip()


def _number(field: Any) -> float:
    return float(field.number or 0)


def _portions(form: RecipeForm) -> tuple[Portion, ...]:
    own = {f"new-{n}": row.form for n, row in enumerate(form.own, 1)}
    rows = [row.form for row in form.portions if row.form.ingredient.data]
    portions = tuple(_portion(row, form.known, own) for row in rows)
    if not portions:
        raise RecipeError("Give at least one ingredient with its amount.")
    return portions


def _portion(row: Any, known: Mapping[str, Ingredient], own: Mapping[str, Any]) -> Portion:
    chosen = row.ingredient.data
    ingredient = _own_ingredient(own[chosen]) if chosen in own else known.get(chosen)
    if ingredient is None:
        raise RecipeError("One of the ingredients is not known any more: choose another.")
    portion = Portion(ingredient, row.amount.number or 0.0, PORTIONS[system()].get(row.unit.data, row.unit.data))
    if not portion.grams > 0:
        raise RecipeError(f"{ingredient.name} needs an amount above 0.")
    return portion


def _own_ingredient(row: Any) -> Ingredient:
    name = _text(row.name)
    key = OWN_INGREDIENT + re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_")[:40]
    if key == OWN_INGREDIENT:
        raise RecipeError("Name the own ingredient that you chose.")
    sugar, nitrogen = (_number(field) / 100 for field in (row.sugar, row.nitrogen))
    grams_each = row.grams_each.number
    return Ingredient(
        key, name, (sugar, sugar), (nitrogen, nitrogen), "As the gardener says.", row.density.number, grams_each,
        "handful" if grams_each else "",
    )  # fmt: skip


def _steps(text: str | None, known: dict[str, Step]) -> tuple[Step, ...]:
    """Steps as typed; those that stayed as they were keep the cautions that stand beside them."""
    lines = [line.strip() for line in (text or "").splitlines() if line.strip()]
    return tuple(known.get(line, Step(line)) for line in lines)
