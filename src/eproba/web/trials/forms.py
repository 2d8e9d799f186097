"""Forms about a trial that runs."""

from flask_wtf import FlaskForm
from wtforms import BooleanField, StringField, TextAreaField
from wtforms.validators import InputRequired, Length


class ReasonForm(FlaskForm):
    reason = StringField("Why?", [InputRequired("Say why: it belongs in the record."), Length(max=300)])


class NoteForm(FlaskForm):
    note = TextAreaField("Note", [Length(max=5000)])


class SureForm(FlaskForm):
    sure = BooleanField("Yes, delete it for good", [InputRequired("Tick the box if you are sure.")])
