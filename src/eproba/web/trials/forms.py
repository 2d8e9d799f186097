"""Forms about a trial that is planned or runs."""

from typing import Any

from wtforms import BooleanField, HiddenField, RadioField, SelectField, StringField, TextAreaField, ValidationError
from wtforms.validators import InputRequired

from eproba.core.trial.days import MOST_DAYS
from eproba.web.ui.fields import NumberField, at_most
from eproba.web.ui.form import OurForm


class ReasonForm(OurForm):
    reason = StringField("Why?", [InputRequired("Say why: it belongs in the record."), at_most(300)])


class NoteForm(OurForm):
    """The trial's note; `seen` is the note that it was written over."""

    note = TextAreaField("Note", [at_most(5000)])
    seen = HiddenField()

    @property
    def text(self) -> str:
        return _lines(self.note.data)

    @property
    def seen_text(self) -> str:
        return _lines(self.seen.data)


def _lines(text: str | None) -> str:
    """Line ends as browsers send them, as we keep them."""
    return (text or "").replace("\r\n", "\n")


class SureForm(OurForm):
    sure = BooleanField("Yes, delete it for good", [InputRequired("Tick the box if you are sure.")])


class SpareForm(OurForm):
    letter = SelectField("Treatment")
    fared = RadioField("How did it fare?", choices=[("well", "Came through"), ("badly", "Suffered")], default="well")
    note = StringField("What was seen", [InputRequired("Say in a few words what was seen."), at_most(300)])


class AmendForm(ReasonForm):
    """One change to a declared plan."""

    what = RadioField("What changes", choices=[
        ("worth", "The worth or margin"), ("decision day", "The decision day"),
        ("treatments", "How a treatment is given, or what it is brewed by"),
    ])  # fmt: skip
    worth = NumberField("New worth", optional=True)
    decision_day = NumberField("New decision day", 1, MOST_DAYS, whole=True, optional=True)
    letter = SelectField("Treatment", validate_choice=False)
    how = StringField("How it is given from now on", [at_most(200)])
    recipe = SelectField("Brewed by", validate_choice=False, default="")

    def validate_worth(self, field: Any) -> None:
        if self.what.data == "worth" and not field.errors and (field.number is None or field.number <= 0):
            raise ValidationError("Give the new worth, above 0.")

    def validate_decision_day(self, field: Any) -> None:
        if self.what.data == "decision day" and field.number is None and not field.errors:
            raise ValidationError("Give the new decision day.")

    def validate_letter(self, field: Any) -> None:
        if self.what.data == "treatments" and field.data not in dict(field.choices):
            raise ValidationError("Choose the treatment.")

    def validate_how(self, field: Any) -> None:
        if self.what.data == "treatments" and not (field.data or "").strip():
            raise ValidationError("Say how it is given from now on.")
