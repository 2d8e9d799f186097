"""Doses against what their recipes give, and against units of other sizes."""

from collections.abc import Mapping, Sequence

from eproba.core.brewing.recipe import Recipe
from eproba.core.planning.advice import Advice, on_rate, on_unlike_units
from eproba.core.planning.cutter import unlike
from eproba.core.planning.dosing import Dosed, size_words
from eproba.core.quantities import METRIC, Amount, Dimension, QuantityError, Units, in_base
from eproba.core.trial.ground import Cut
from eproba.core.words import lower_first

RATED: Mapping[str, tuple[Dimension, float]] = {"L": ("volume", 1.0), "kg": ("mass", 1000.0)}  # in litres and grams


def on_rates(doses: Dosed, cuts: Sequence[Cut], recipes: Mapping[str, Recipe], units: Units = METRIC) -> list[Advice]:
    """Doses that are not within what their recipes give to a square metre."""
    advice: list[Advice] = []
    surface = sum(cut.ground_m2 for cut in cuts) / len(cuts)
    for treatment in doses.treatments:
        recipe = recipes.get(treatment.recipe)
        if recipe is None or treatment.amount is None or recipe.family == "controls":
            continue
        given = _in_unit_of(recipe, treatment.amount, treatment.amount_unit)
        if given is not None:
            on_a_m2 = given if treatment.per == "m2" else given / surface
            advice += on_rate(treatment.name, on_a_m2, recipe.rate, recipe.rate_unit, units)
    return advice


def _in_unit_of(recipe: Recipe, amount: float, unit: str) -> float | None:
    """An amount in the unit of a recipe's rate; None where it is measured otherwise."""
    kind, size = RATED.get(recipe.rate_unit.removesuffix("/m²"), ("count", 1.0))
    try:
        base, dimension = in_base(amount, unit)
    except QuantityError:
        return None
    return base / size if dimension == kind else None


def on_unlike(doses: Dosed, cuts: Sequence[Cut], units: Units = METRIC) -> list[Advice]:
    """Units of several sizes that all get the same amount."""
    if not unlike(cuts):
        return []
    sizes = sorted(cut.ground_m2 for cut in cuts)
    by_unit = [treatment for treatment in doses.treatments if treatment.amount and treatment.per == "unit"]
    spans = [
        units(Amount(_two((t.amount or 0.0) / sizes[-1]), t.amount_unit, "m²", _two((t.amount or 0.0) / sizes[0])))
        for t in by_unit
    ]
    names = [lower_first(treatment.name) for treatment in by_unit]
    return on_unlike_units(size_words(cuts, units), names, list(dict.fromkeys(spans)))


def _two(number: float) -> float:
    """Two figures are enough to see what differs."""
    return float(f"{number:.2g}")
