"""A gardener's own recipe as a form: its main values; signs and schools come along from where it was copied."""

from dataclasses import replace
from typing import Any

from flask_wtf import FlaskForm
from wtforms import (
    FieldList,
    Form,
    FormField,
    HiddenField,
    SelectField,
    SelectMultipleField,
    StringField,
    TextAreaField,
)
from wtforms.validators import InputRequired, Length
from wtforms.widgets import CheckboxInput, ListWidget

from eproba.core.brewing.ingredients import RecipeError
from eproba.core.brewing.recipe import Phase, Portion, Recipe, Step
from eproba.core.catalogue import cautions, ingredients
from eproba.web.ui.fields import NumberField, whole

UNITS = ("g", "kg", "mL", "L", "tsp", "tbsp", "US cup", "metric cup", "handful", "slice", "seed")


class PortionForm(Form):
    ingredient = SelectField("Ingredient", default="")
    amount = NumberField("Amount", 0, 100_000, optional=True)
    unit = SelectField("Unit", choices=UNITS, default="g")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.ingredient.choices = [("", "–"), *((key, each.name) for key, each in ingredients().items())]


class RecipeForm(FlaskForm):
    """A recipe as typed; `version` is the one that the form was made from."""

    version = HiddenField()
    title = StringField("Name", [InputRequired("Name it."), Length(max=80)])
    said = TextAreaField("What it is said to do", [InputRequired("Say what it is said to do."), Length(max=400)])
    needs = StringField("What it needs to work", [Length(max=300)])
    not_for = StringField("Not for (commas between)", [Length(max=300)])
    portions = FieldList(FormField(PortionForm), min_entries=6, max_entries=6)
    yields = NumberField("That makes", 0.01, 10_000)
    water_parts = NumberField("Parts of water to 1 part of it", 0, 5000)
    rate = NumberField("For each square metre", 0.01, 1000)
    hours_low = NumberField("Ready after, at the soonest", 0, 10_000)
    hours_high = NumberField("Ready after, at the latest", 0, 10_000)
    temperature_low = NumberField("From", -5, 80, optional=True)
    temperature_high = NumberField("To", -5, 80, optional=True)
    stir_hours = NumberField("Stirred every", 1, 1000, optional=True)
    keeps_hours = NumberField("Keeps, once ready", 0.1, 100_000, optional=True)
    days_low = NumberField("Poured at most every", 0.1, 1000)
    days_high = NumberField("… up to every", 0.1, 1000)
    minutes = NumberField("Minutes to make a batch", 1, 1000, whole=True)
    use = StringField("Way of use", [Length(max=300)])
    ready_words = StringField("Signs that it is ready", [Length(max=300)])
    away_words = StringField("Signs to throw it away", [Length(max=300)])
    strain = StringField("Straining", [Length(max=300)])
    brew = TextAreaField("Steps of making it, one a line", [Length(max=3000)])
    apply = TextAreaField("Steps of using it, one a line", [Length(max=3000)])
    why = TextAreaField("Why so", [Length(max=600)])
    cautions = SelectMultipleField(
        "Cautions", widget=ListWidget(prefix_label=False), option_widget=CheckboxInput(), validate_choice=False
    )

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(**kwargs)
        self.cautions.choices = list(cautions().items())

    @property
    def seen(self) -> int | None:
        return whole(self.version.data or "")


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
        "stir_hours": recipe.stir_hours, "keeps_hours": recipe.keeps_hours, "days_low": recipe.phases[0].days[0],
        "days_high": recipe.phases[0].days[1], "minutes": recipe.minutes,
    }  # fmt: skip
    words = ("title", "said", "needs", "use", "ready_words", "away_words", "strain", "why")
    return {
        "version": str(recipe.version),
        **{name: "" if number is None else f"{number:g}" for name, number in numbers.items()},
        **{name: getattr(recipe, name) for name in words},
        "not_for": ", ".join(recipe.not_for),
        "brew": "\n".join(step.do for step in recipe.brew),
        "apply": "\n".join(step.do for step in recipe.apply),
        "cautions": list(recipe.all_cautions),
        "portions": [
            {"ingredient": p.ingredient.key, "amount": f"{p.amount:g}", "unit": p.unit} for p in recipe.portions
        ],
    }


def recipe_made(base: Recipe, form: RecipeForm) -> Recipe:
    """The recipe as typed, the rest as in the base.

    Raises
    ------
    RecipeError
        Where what was typed contradicts itself, saying what would fit.
    """
    rows = [row.form for row in form.portions if row.form.ingredient.data]
    portions = tuple(_portion(row) for row in rows)
    if not portions:
        raise RecipeError("Give at least one ingredient with its amount.")
    usual = _number(form.rate)
    low, high = form.temperature_low.number, form.temperature_high.number
    if (low is None) != (high is None) or (low is not None and high is not None and low > high):
        raise RecipeError("The temperatures go from lower to higher; give both, or neither.")
    days = _number(form.days_low), _number(form.days_high)
    if days[0] > days[1]:
        raise RecipeError("“At most every” is the shorter time, “up to every” the longer.")
    first, *more = base.phases
    known = {step.do: step for step in (*base.brew, *base.apply)}
    brew, apply = (_steps(field.data, known) for field in (form.brew, form.apply))
    kept = {key for step in (*brew, *apply) for key in step.cautions}
    return replace(
        base,
        title=(form.title.data or "").strip(),
        said=(form.said.data or "").strip(),
        needs=(form.needs.data or "").strip(),
        not_for=tuple(each.strip() for each in (form.not_for.data or "").split(",") if each.strip()),
        portions=portions,
        yields=_number(form.yields),
        parts=(1.0, _number(form.water_parts)),
        rate=(min(base.rate[0], usual), usual, max(base.rate[2], usual)),
        hours=(_number(form.hours_low), _number(form.hours_high)),
        temperature=None if low is None or high is None else (low, high),
        stir_hours=form.stir_hours.number,
        keeps_hours=form.keeps_hours.number,
        phases=(Phase(days, first.name, first.until), *more),
        minutes=int(_number(form.minutes)),
        use=(form.use.data or "").strip(),
        ready_words=(form.ready_words.data or "").strip(),
        away_words=(form.away_words.data or "").strip(),
        strain=(form.strain.data or "").strip(),
        brew=brew,
        apply=apply,
        why=(form.why.data or "").strip(),
        cautions=tuple(key for key in form.cautions.data or [] if key in cautions() and key not in kept),
    )


def _number(field: Any) -> float:
    return float(field.number or 0)


def _portion(row: Any) -> Portion:
    ingredient = ingredients()[row.ingredient.data]
    portion = Portion(ingredient, row.amount.number or 0.0, row.unit.data)
    if not portion.grams > 0:
        raise RecipeError(f"{ingredient.name} needs an amount above 0.")
    return portion


def _steps(text: str | None, known: dict[str, Step]) -> tuple[Step, ...]:
    """Steps as typed; those that stayed as they were keep the cautions that stand beside them."""
    lines = [line.strip() for line in (text or "").splitlines() if line.strip()]
    return tuple(known.get(line, Step(line)) for line in lines)
