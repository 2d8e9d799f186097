"""The brews that a plan will ask for, before its lots fall."""

from collections.abc import Callable, Mapping
from datetime import date, datetime, timedelta

from eproba.core.applying.schedule import Pouring
from eproba.core.brewing.mixing import concentrate
from eproba.core.brewing.recipe import Recipe
from eproba.core.planning.plan import Plan
from eproba.core.trial.doses import dose_of

UNDEALT = 0  # the trial that is not yet one


def pours_ahead(
    plan: Plan, recipes: Mapping[str, Recipe], units_given: int, when: Callable[[date], datetime]
) -> list[tuple[Recipe, Pouring]]:
    """What each application takes of its brew, in litres (or what is spread, in its recipe's unit); `units_given`: how
    many units get it at a time."""
    cuts = plan.layout.cuts[:units_given]
    ahead = []
    for application in plan.applications:
        treatment = plan.treatments[plan.letters.index(application.letter)]
        recipe, dose = recipes.get(treatment.recipe), dose_of(treatment, application)
        if application.what != "dose" or recipe is None or dose is None or recipe.family == "controls":
            continue
        litres = sum(concentrate(recipe, dose.of(cut), dose.unit, treatment.water_parts) for cut in cuts)
        at = when(plan.start_on + timedelta(days=application.day))
        pouring = Pouring(
            UNDEALT, plan.name, application.letter, at, litres, application.day, treatment.sharing,
            each_watering=treatment.each_watering,
        )  # fmt: skip
        ahead.append((recipe, pouring))
    return ahead
