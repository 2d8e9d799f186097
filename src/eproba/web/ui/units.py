"""Pages in the household's units: our own sentences have metric amounts, which are told as the household has them."""

import re

from jinja2 import pass_context
from markupsafe import Markup
from sqlalchemy.exc import SQLAlchemyError

from eproba.core.quantities import conversion, in_words_of
from eproba.web.ui.session import system

# What is typed or somebody's own words, and tags with their attributes, stay as they are.
KEPT = re.compile(
    r"<(textarea|script|style|pre|code|option)\b.*?</\1>|<(\w+)\b[^>]*\bdata-own\b[^>]*>.*?</\2>|<[^>]*>", re.S
)


def local_page(page: str) -> Markup:
    """A part of a page with its amounts as the household has them."""
    try:
        here = system()
    except SQLAlchemyError:  # the page that says so is shown all the same
        here = "metric"
    if here == "metric":
        return Markup(page)  # noqa: S704 (a page as it was rendered)
    told, end = [], 0
    for kept in KEPT.finditer(page):
        told += [in_words_of(page[end : kept.start()], here), kept[0]]
        end = kept.end()
    return Markup("".join([*told, in_words_of(page[end:], here)]))  # noqa: S704


@pass_context  # or Jinja would settle it when the page is compiled
def unit(_context: object, kept: str) -> str:
    """The household's unit for a metric one."""
    return conversion(kept, system()).unit


def local(text: str) -> str:
    """A sentence of ours in the household's units."""
    return in_words_of(text, system())
