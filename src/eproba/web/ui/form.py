"""The form that all of ours are: what its library says of a field is said in our words."""

from typing import Any

from flask_wtf import FlaskForm
from wtforms import Form

SAID = {
    "Not a valid choice.": "Choose one of those that are offered.",
    "'%(value)s' is not a valid choice for this field.": "“%(value)s” is not offered here: choose again.",
    "'%(value)s' are not valid choices for this field.": "“%(value)s” are not offered here: choose again.",
    "This field is required.": "This is needed.",
    "Invalid Choice: could not coerce.": "Choose one of those that are offered.",
    "Invalid choice(s): one or more data inputs could not be coerced.": "Choose one of those that are offered.",
}


class OurWords:
    """Where the library looks for its sentences in another language."""

    def gettext(self, text: str) -> str:
        return SAID.get(text, text)

    def ngettext(self, one: str, many: str, count: int) -> str:
        text = one if count == 1 else many
        return SAID.get(text, text)


class OurRow(Form):
    """A row of fields within a form."""

    class Meta:
        def get_translations(self, form: Any) -> OurWords:
            return OurWords()


class OurForm(FlaskForm):
    """A form with a CSRF token and our words."""

    class Meta(FlaskForm.Meta):
        def get_translations(self, form: Any) -> OurWords:
            return OurWords()
