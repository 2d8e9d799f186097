"""Amounts on a page: told in the units of the household that looks at it."""

from collections.abc import Sequence

from jinja2 import pass_context

from eproba.core.brewing.recipe import Portion, with_amounts
from eproba.core.catalogue import cautions
from eproba.core.quantities import Amount, Units, in_base, loosely, told
from eproba.web.ui.session import system, typed_system


def caution_texts() -> dict[str, str]:
    """All cautions by key."""
    return cautions(system())


def units() -> Units:
    """How this household is told amounts."""
    return Units(system())


def sentence(error: Exception) -> str:
    """The sentence of an error, its amounts as this household has them."""
    return told(error, units())


@pass_context  # or Jinja would settle it when the page is compiled
def amount(_context: object, low: float, unit: str, high: float | None = None) -> str:
    """A number of a kept unit as the household has it: 5|amount("cm"), 20|amount("g/m²", 60)."""
    return units()(Amount.of(low, unit, high))


@pass_context
def loose(_context: object, portion: Portion) -> str:
    """What a portion really is where hands or buckets measure it: “60 to 120 g”; empty where its measure has marks."""
    poured = portion.unit == "bucket"
    total = in_base(portion.amount, portion.unit)[0] if poured else portion.grams
    held = loosely(total, "L" if poured else "g", portion.unit)
    return units()(held) if held else ""


@pass_context
def step_words(_context: object, text: str, portions: Sequence[Portion]) -> str:
    """A step of a recipe with the amounts of a batch in it: step.do|step_words(recipe.portions)."""
    return with_amounts(text, portions, units())


@pass_context
def amount_of(_context: object, part: float, whole: float, unit: str) -> str:
    """What is left of something: 3.5|amount_of(5, "L")."""
    return units().out_of(Amount.of(part, unit), Amount.of(whole, unit))


@pass_context
def unit(_context: object, kept: str) -> str:
    """What a field of a kept unit is typed in: the units that its form was shown in."""
    return Units(typed_system()).unit(kept)
