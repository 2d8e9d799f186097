"""The steps of a new trial. Each holds exactly what was typed, right or wrong."""

import json
from collections.abc import Mapping
from datetime import date
from typing import Any

from flask_wtf import FlaskForm
from wtforms import (
    BooleanField,
    FieldList,
    Form,
    FormField,
    HiddenField,
    RadioField,
    SelectField,
    SelectMultipleField,
    StringField,
    TextAreaField,
    ValidationError,
)
from wtforms.validators import InputRequired, Length
from wtforms.widgets import CheckboxInput, ListWidget

from eproba.core.measuring.measures import Measure
from eproba.core.planning.claims import AGAINST
from eproba.core.planning.plan import LETTERS
from eproba.core.stats.summaries import SUMMARIES
from eproba.core.trial.days import MOST_DAYS, WEEKDAYS
from eproba.core.trial.ground import GroundError, Site, site_from
from eproba.core.trial.model import ROLES
from eproba.core.words import DateError, NumberError, parse_date, parse_number
from eproba.web.ui.fields import NumberField

DEALINGS = {
    "": "Propose what fits",
    "blocks": "Blocks: one of each side by side",
    "pairs": "Pairs: two neighbours, one of each",
    "Latin square": "Latin square: each once in every row and column",
    "completely random": "Anywhere: all units alike",
    "one of each": "One of each: a look, never a verdict",
}
ROLE_NAMES = {
    "test": "Test",
    "water control": "Plain water, same volume",
    "untreated": "Untreated",
    "ingredient control": "Ingredient alone",
    "killed brew": "Brew killed by boiling",
    "reference": "Known good thing",
}
CONTROL_NAMES = {
    "water control": "Plain water",
    "untreated": "Untreated",
    "ingredient control": "Ingredient alone",
    "killed brew": "Brew, boiled",
    "reference": "Known good thing",
}
MOST_CROPS = 6
assert set(ROLE_NAMES) == set(ROLES)


class ClaimForm(FlaskForm):
    thing = StringField("What is tried", [Length(max=60)])
    against = RadioField("Against what", choices=[(role, AGAINST[role]) for role in AGAINST if role != "test"])  # type: ignore[index]
    claim = TextAreaField("The claim, in one sentence", [InputRequired("Say what is claimed."), Length(max=500)])
    name = StringField("A short name", [InputRequired("Give the trial a short name."), Length(max=80)])
    note = TextAreaField("Note", [Length(max=5000)])


class MeasureForm(FlaskForm):
    measure = RadioField("First measure", [InputRequired("Choose what carries the verdict.")])
    aim = RadioField("The question", choices=[("better", "Is it better?"), ("no worse", "Is it no worse?")])
    worth = NumberField("Smallest difference worth having, or the margin", optional=True)
    scale = RadioField("Said as", choices=[("ratio", "percent"), ("difference", "the measure’s own unit")])
    better = RadioField("Better is", choices=[("higher", "more"), ("lower", "less")])
    start_on = StringField("Day 0 (baseline, first application)", [InputRequired("Choose the first day.")])
    decision_day = NumberField("Decision day, days after day 0", 1, MOST_DAYS, whole=True)
    per_unit = NumberField("Readings per unit and round", 1, 9, whole=True)
    sown = NumberField("Seeds sown in each unit", 1, 10_000, whole=True, optional=True)
    also = SelectMultipleField("Also seen", widget=ListWidget(prefix_label=False), option_widget=CheckboxInput())
    summary = RadioField("What counts", choices=list(SUMMARIES.items()))

    def validate_start_on(self, field: Any) -> None:
        try:
            parse_date(field.data or "")
        except DateError as error:
            raise ValidationError(str(error)) from error

    def __init__(self, known: Mapping[str, Measure], **kwargs: Any) -> None:
        super().__init__(**kwargs)
        self.known = known
        self.measure.choices = self.also.choices = [(key, measure.name) for key, measure in known.items()]

    def validate_scale(self, field: Any) -> None:
        chosen = self.known.get(self.measure.data or "")
        if chosen and field.data == "ratio" and chosen.scale != "ratio":
            raise ValidationError(
                f"{chosen.name} can’t be said in percent; "
                f"choose its own unit, and give the worth in {chosen.judged_unit}."
            )

    def validate_sown(self, field: Any) -> None:
        keys = [self.measure.data or "", *(self.also.data or [])]
        if field.number is None and any(self.known[key].kind == "proportion" for key in keys if key in self.known):
            raise ValidationError("Say how many seeds are sown in each unit.")

    def validate_worth(self, field: Any) -> None:
        if field.number is not None and field.number <= 0:
            raise ValidationError("The smallest difference worth having is above 0; leave it empty if any would do.")
        if field.number is None and not field.errors and self.aim.data == "no worse":
            raise ValidationError("“No worse” needs a margin: by how much may it be worse before you would mind?")

    @property
    def start(self) -> date:
        return parse_date(self.start_on.data or "")


class TreatmentForm(Form):
    name = StringField("Name", [InputRequired("Name it."), Length(max=60)])
    role = SelectField("Role", choices=list(ROLE_NAMES.items()))
    how = StringField("Strength and way of use", [Length(max=200)])
    rung = NumberField("Rung", 0, 20, whole=True, optional=True)
    recipe = SelectField("Recipe", validate_choice=False)
    water_parts = NumberField("Parts of water", 0, 5000, optional=True)


class TreatmentsForm(FlaskForm):
    treatments = FieldList(FormField(TreatmentForm), min_entries=2, max_entries=len(LETTERS))
    amount = NumberField("Amount for each unit", 0.001, 100_000)
    amount_unit = SelectField("Unit", choices=["mL", "L", "g", "kg", "handful"])
    pour_every = NumberField("Again every … days (empty: once)", 1, MOST_DAYS, whole=True, optional=True)
    batches = NumberField("Batches brewed, or bags bought", 1, 50, whole=True)
    blind = BooleanField("Tags do not name the treatment (blind)")

    def validate_treatments(self, field: Any) -> None:
        names = [(entry.form.name.data or "").strip().lower() for entry in field]
        for entry, name in zip(field, names, strict=True):
            if name and names.count(name) > 1:
                entry.form.name.errors = [*entry.form.name.errors, "Two treatments have this name; tell them apart."]
                raise ValidationError("Two treatments have the same name.")


class GroundForm(FlaskForm):
    places = HiddenField()
    auto = HiddenField()
    proposal = HiddenField()
    dealing = SelectField("How the lots fall", choices=list(DEALINGS.items()))
    units_each = NumberField("Units of each wanted", 1, 100, whole=True)
    guard_cm = NumberField("Guard between two units", 0, 1000, optional=True)
    least_width_cm = NumberField("Smallest unit, width", 1, 5000)
    least_length_cm = NumberField("Smallest unit, length", 1, 5000)
    edge_guards = BooleanField("Leave the outermost as guards")
    sizes = TextAreaField("A first measurement of every pot, in order", [Length(max=4000)])
    site: Site

    def validate_places(self, field: Any) -> None:
        try:
            drawn = json.loads(field.data or "{}")
            self.site = site_from(drawn if isinstance(drawn, dict) else {})
        except json.JSONDecodeError as error:
            raise ValidationError("The drawing did not arrive whole; draw it again.") from error
        except GroundError as error:
            raise ValidationError(str(error)) from error

    def validate_sizes(self, field: Any) -> None:
        try:
            self.pot_sizes = [parse_number(each) for each in (field.data or "").replace(";", " ").split()]
        except NumberError as error:
            raise ValidationError(f"{error}; one number for each pot, with spaces between.") from error


class ChanceForm(FlaskForm):
    noise = NumberField("Noise from unit to unit", 0.0001, optional=True)
    minutes = NumberField("Minutes that you have for a round", 1, 600)


class DaysForm(FlaskForm):
    weekdays = SelectMultipleField(
        "Days that suit you", choices=list(enumerate(WEEKDAYS)), coerce=int,
        widget=ListWidget(prefix_label=False), option_widget=CheckboxInput(),
    )  # fmt: skip
    rounds = StringField("Rounds on days", [Length(max=500)])
    pulls = StringField("Plants are pulled on days", [Length(max=200)])

    def validate_weekdays(self, field: Any) -> None:
        if not field.data:
            raise ValidationError("Choose at least one day of the week.")

    def validate_rounds(self, field: Any) -> None:
        self.round_list = _days(field)

    def validate_pulls(self, field: Any) -> None:
        self.pull_list = _days(field)


class RulesForm(FlaskForm):
    crops = StringField("Crops, with commas between", [Length(max=200)])
    seeds = NumberField("Seeds or plants set in each unit", 1, 1000, whole=True, optional=True)
    plants = NumberField("Plants kept in each unit", 1, 200, whole=True)
    thin_on = NumberField("Thinned on day", 0, MOST_DAYS, whole=True, optional=True)
    replace_until = NumberField("Failures replaced up to day (empty: never)", 0, MOST_DAYS, whole=True, optional=True)
    handling = TextAreaField("Done to every unit alike", [Length(max=600)])

    @property
    def crop_list(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(each.strip()[:40] for each in (self.crops.data or "").split(",") if each.strip()))

    def validate_crops(self, field: Any) -> None:
        if len(self.crop_list) > MOST_CROPS:
            raise ValidationError(f"{len(self.crop_list)} crops are too many for one trial; up to {MOST_CROPS}.")

    def validate_plants(self, field: Any) -> None:
        if field.number and self.seeds.number and field.number > self.seeds.number:
            raise ValidationError("More plants kept than set: sow more, or keep fewer.")


def _days(field: Any) -> list[int]:
    """Day numbers as typed, with spaces or commas between."""
    try:
        days = [int(each) for each in (field.data or "").replace(",", " ").split()]
    except ValueError as error:
        raise ValidationError("Write the days as whole numbers: 0 7 14 21 28.") from error
    if any(not 0 <= day <= MOST_DAYS for day in days):
        raise ValidationError(f"Days run from 0 to {MOST_DAYS}.")
    return days


STEPS: dict[str, type[FlaskForm]] = {
    "claim": ClaimForm,
    "measure": MeasureForm,
    "treatments": TreatmentsForm,
    "ground": GroundForm,
    "chance": ChanceForm,
    "days": DaysForm,
    "rules": RulesForm,
}
TITLES = {
    "claim": "Claim",
    "measure": "Measure",
    "treatments": "Treatments",
    "ground": "Ground",
    "chance": "Chance",
    "days": "Days",
    "rules": "Rules",
    "deal": "Deal the lots",
}
