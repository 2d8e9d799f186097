"""Pages in the household's units: our own sentences have metric amounts, which are told as the household has them."""

import re

from flask import Response
from jinja2 import pass_context
from sqlalchemy.exc import SQLAlchemyError

from eproba.core.quantities import System, conversion, in_words_of
from eproba.web.ui.session import system

# What is typed or somebody's own words, and tags with their attributes, stay as they are.
KEPT = re.compile(
    r"<(textarea|script|style|pre|code|option)\b.*?</\1>|<(\w+)\b[^>]*\bdata-own\b[^>]*>.*?</\2>|<[^>]*>", re.S
)


def local_answer(response: Response) -> Response:
    """Every page, and every part of one, in the household's units."""
    if response.mimetype != "text/html" or response.is_streamed:
        return response
    try:
        here = system()
    except SQLAlchemyError:  # the page that says so is shown all the same
        return response
    if here != "metric":
        response.set_data(_local_page(response.get_data(as_text=True), here))
    return response


def _local_page(page: str, here: System) -> str:
    """A page with its amounts as the household has them."""
    told, end = [], 0
    for kept in KEPT.finditer(page):
        told += [in_words_of(page[end : kept.start()], here), kept[0]]
        end = kept.end()
    return "".join([*told, in_words_of(page[end:], here)])


@pass_context  # or Jinja would settle it when the page is compiled
def unit(_context: object, kept: str) -> str:
    """The household's unit for a metric one."""
    return conversion(kept, system()).unit


def local(text: str) -> str:
    """A sentence of ours in the household's units."""
    return in_words_of(text, system())
