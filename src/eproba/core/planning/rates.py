"""Doses against what their recipes give, how often, and what they bring to the ground; and against other sizes.

One rule for the planner, the lots and the mixing desk: `on_recipes`.
"""

from collections.abc import Callable, Mapping, Sequence

from eproba.core.applying.comparing import SAFE_C, SMALL_C, added, carbon_warnings
from eproba.core.applying.desk import want_for
from eproba.core.brewing.ingredients import RecipeError
from eproba.core.brewing.mixing import Mix, MixError, mix
from eproba.core.brewing.recipe import Ground, Recipe, stirred
from eproba.core.planning.advice import Advice, merged, on_germs, on_intervals, on_rate, on_unlike_units
from eproba.core.planning.cutter import unlike
from eproba.core.planning.dosing import Dosed, size_words
from eproba.core.quantities import METRIC, Amount, Dimension, QuantityError, Units, in_base
from eproba.core.trial.doses import Dose, dose_of
from eproba.core.trial.ground import Cut
from eproba.core.trial.model import PlannedTreatment
from eproba.core.words import lower_first, plural

RATED: Mapping[str, tuple[Dimension, float]] = {"L": ("volume", 1.0), "kg": ("mass", 1000.0)}  # in litres and grams


MUCH_C = 3 * SAFE_C  # grams of easy carbon a square metre over a whole trial: Eproba's own cautious guess


def on_recipes(
    treatments: Sequence[PlannedTreatment], days: Sequence[Sequence[int]], cuts: Sequence[Cut],
    recipes: Mapping[str, Recipe], ground_on: Callable[[int], Ground], units: Units = METRIC,
) -> list[Advice]:  # fmt: skip
    """Each treatment against its recipe: how much at once, how often, how much easy carbon a pour and over the trial.

    `days`: those on which each is given its own dose; `ground_on`: what the ground is like on a day of the trial.
    """
    advice: list[Advice] = []
    for treatment, given_on in zip(treatments, days, strict=True):
        recipe = recipes.get(treatment.recipe)
        if recipe is None or treatment.amount is None or recipe.family == "controls":
            continue
        advice += _rate(treatment, recipe, cuts, units)
        advice += on_interval(treatment, recipe, given_on, ground_on)
        advice += _load(treatment, recipe, cuts, len(given_on), units)
    return merged(advice)


def on_interval(
    treatment: PlannedTreatment, recipe: Recipe, days: Sequence[int], ground_on: Callable[[int], Ground]
) -> list[Advice]:
    """Does it come as rarely as its recipe wants?"""
    return on_intervals(
        treatment.name, days, [recipe.fewest_days(day, ground_on(day)) for day in days], recipe.interval
    )


def on_harvest(
    treatment: PlannedTreatment, recipe: Recipe | None, days: Sequence[int], decision_day: int
) -> list[Advice]:
    """What was poured last before something is cut to be eaten."""
    germs = "" if recipe is None else recipe.germs
    return on_germs(treatment.name, germs, days[-1], decision_day) if germs and days else []


def _rate(treatment: PlannedTreatment, recipe: Recipe, cuts: Sequence[Cut], units: Units) -> list[Advice]:
    given = _in_unit_of(recipe, treatment.amount or 0.0, treatment.amount_unit)
    if given is None:
        return []
    surface = sum(cut.ground_m2 for cut in cuts) / len(cuts)
    on_a_m2 = given if treatment.per == "m2" else given / surface
    return on_rate(treatment.name, on_a_m2, recipe.rate, recipe.rate_unit, units)


def _load(treatment: PlannedTreatment, recipe: Recipe, cuts: Sequence[Cut], times: int, units: Units) -> list[Advice]:
    """Easy carbon at once, and over all applications."""
    mixed = mixed_for(recipe, dose_of(treatment), cuts, treatment)
    if mixed is None or mixed.loads is None:
        return []
    once = added("", treatment.name, mixed, times, {}, 0.0)
    lines = [Advice(True, line.removeprefix(f"{once.name}: "), once.name) for line in carbon_warnings(once, units)]
    total = once.easy_carbon_g * times
    if times > 1 and (total > SAFE_C or once.easy_carbon_g >= SMALL_C):
        each, all_ = (units(Amount(round(grams), "g", "m²")) for grams in (once.easy_carbon_g, total))
        text = f"{plural(times, 'time')} {each} of easy carbon make {all_} over the trial."
        much = " So much feeds the microbes, not the plants: they may turn pale." if total > MUCH_C else ""
        lines.append(Advice(total > MUCH_C, text + much, treatment.name))
    return lines


def mixed_for(recipe: Recipe, dose: Dose | None, cuts: Sequence[Cut], treatment: PlannedTreatment | None) -> Mix | None:
    """What units get in one application, mixed; None where nothing is, or it can't be."""
    parts, times = (None, 1.0) if treatment is None else (treatment.water_parts, treatment.times)
    try:
        return mix(stirred(recipe, times), want_for(dose, cuts, recipe, parts))
    except (MixError, RecipeError, QuantityError):
        return None


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
