"""The steps of a new trial. Each holds exactly what was typed, right or wrong."""

from collections.abc import Mapping
from datetime import date
from typing import Any

from flask_wtf import FlaskForm
from wtforms import (
    FieldList,
    Form,
    FormField,
    RadioField,
    SelectField,
    SelectMultipleField,
    StringField,
    TextAreaField,
    ValidationError,
)
from wtforms.validators import InputRequired, Length
from wtforms.widgets import CheckboxInput, ListWidget

from eproba.core.judging.summaries import SUMMARIES
from eproba.core.measuring.measures import Measure
from eproba.core.planning.days import MOST_DAYS
from eproba.core.planning.plan import LETTERS
from eproba.core.planning.trial import ROLES
from eproba.exchange.readings_csv import parse_date
from eproba.web.numbers import NumberField

KINDS = {"pot": "Pots", "patch": "Patches of a bed", "cell": "Tray cells", "strip": "Strips", "bed": "Whole beds"}
DEALINGS = {
    "blocks": "Blocks: one of each side by side, so that like stands with like",
    "pairs": "Pairs: two neighbours, one of each (for two treatments)",
    "completely random": "Anywhere: all places alike",
}
ROLE_NAMES = {
    "test": "Test",
    "water control": "Plain water, same volume",
    "untreated": "Untreated",
    "ingredient control": "Ingredient alone",
    "killed brew": "Brew killed by boiling",
    "reference": "Known good thing",
}
assert set(ROLE_NAMES) == set(ROLES)


class ClaimForm(FlaskForm):
    claim = TextAreaField("The claim, in one sentence", [InputRequired("Say what is claimed."), Length(max=500)])
    name = StringField("A short name", [InputRequired("Give the trial a short name."), Length(max=80)])
    note = TextAreaField("Note", [Length(max=5000)])


class MeasureForm(FlaskForm):
    measure = RadioField("First measure", [InputRequired("Choose what carries the verdict.")])
    worth = NumberField("Smallest difference worth having", optional=True)
    scale = RadioField("Said as", choices=[("ratio", "percent"), ("difference", "the measure’s own unit")])
    better = RadioField("Better is", choices=[("higher", "more"), ("lower", "less")])
    start_on = StringField("Day 0 (baseline, first application)", [InputRequired("Choose the first day.")])
    decision_day = NumberField("Decision day, days after day 0", 1, MOST_DAYS, whole=True)
    round_every = NumberField("A round every … days", 1, MOST_DAYS, whole=True)
    per_unit = NumberField("Readings per unit and round", 1, 9, whole=True)
    sown = NumberField("Seeds sown in each unit", 1, 10_000, whole=True, optional=True)
    also = SelectMultipleField("Also seen", widget=ListWidget(prefix_label=False), option_widget=CheckboxInput())
    summary = RadioField("What counts", choices=list(SUMMARIES.items()))

    def validate_start_on(self, field: Any) -> None:
        try:
            parse_date(field.data or "")
        except ValueError as error:
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

    @property
    def start(self) -> date:
        return parse_date(self.start_on.data or "")


class TreatmentForm(Form):
    name = StringField("Name", [InputRequired("Name it."), Length(max=60)])
    role = SelectField("Role", choices=list(ROLE_NAMES.items()))
    how = StringField("Strength and way of use", [Length(max=200)])


class TreatmentsForm(FlaskForm):
    treatments = FieldList(FormField(TreatmentForm), min_entries=2, max_entries=len(LETTERS))
    amount = NumberField("Amount for each unit", 0.001, 100_000)
    amount_unit = SelectField("Unit", choices=["mL", "L", "g", "kg", "handful"])
    pour_every = NumberField("Again every … days (empty: once)", 1, MOST_DAYS, whole=True, optional=True)

    def validate_treatments(self, field: Any) -> None:
        names = [(entry.form.name.data or "").strip().lower() for entry in field]
        for entry, name in zip(field, names, strict=True):
            if name and names.count(name) > 1:
                entry.form.name.errors = [*entry.form.name.errors, "Two treatments have this name; tell them apart."]
                raise ValidationError("Two treatments have the same name.")


class UnitsForm(FlaskForm):
    kind = RadioField("What is one unit?", choices=list(KINDS.items()))
    units_each = NumberField("Units of each treatment", 1, 100, whole=True)
    dealing = RadioField("How the lots fall", choices=list(DEALINGS.items()))
    width_cm = NumberField("Width of one, cm", 1, 5000)
    length_cm = NumberField("Length of one, cm", 1, 5000)
    guard_cm = NumberField("Guard between two, cm", 0, 1000)
    per_row = NumberField("Units in a row", 1, 100, whole=True)


STEPS: dict[str, type[FlaskForm]] = {
    "claim": ClaimForm,
    "measure": MeasureForm,
    "treatments": TreatmentsForm,
    "units": UnitsForm,
}
TITLES = {"claim": "Claim", "measure": "Measure", "treatments": "Treatments", "units": "Units", "deal": "Deal the lots"}
