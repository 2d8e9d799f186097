"""A trial's treatments at the mixing desk: what each unit gets, mixed, and what it adds."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from eproba.core.applying.comparing import Added, added
from eproba.core.brewing.ingredients import RecipeError
from eproba.core.brewing.kitchen import Can, Kit, cans
from eproba.core.brewing.mixing import Alone, Mix, MixError, Want, ingredient_alone, mix
from eproba.core.brewing.recipe import Recipe
from eproba.core.quantities import in_base
from eproba.core.trial.days import POUR_SECONDS
from eproba.core.trial.doses import is_poured
from eproba.core.trial.model import Treatment, Trial

ROUND = 0.785  # of its square, for the surface of a pot


@dataclass(frozen=True)
class Mixed:
    """One treatment at the desk: its mix, its can, the ingredient alone where it is such a control; else why not."""

    treatment: Treatment
    units: int
    mixed: Mix | None
    can: Can | None
    alone: tuple[Alone, ...]
    boiled: bool
    why_not: str


def recipe_for(treatment: Treatment, trial: Trial, known: Mapping[str, Recipe]) -> Recipe | None:
    """What a treatment is mixed from: its own recipe; for controls of a brew, that of the first one tested."""
    if treatment.recipe in known:
        return known[treatment.recipe]
    if treatment.role == "water control":
        return known["plain-water"]
    if treatment.role in ("ingredient control", "killed brew"):
        tested = (t for t in trial.treatments if t.role == "test" and t.recipe in known)
        return next((known[t.recipe] for t in tested), None)
    return None


def unit_surface(trial: Trial) -> float:
    """The ground of one unit, m²; pots are taken as round."""
    cut = trial.units[0].cut
    square = cut.width_cm * cut.length_cm / 10_000
    return ROUND * square if cut.kind == "pot" else square


def want_for(treatment: Treatment, units: int, surface: float, recipe: Recipe) -> Want:
    """What a treatment's units get in one application.

    Raises
    ------
    MixError
        Nothing is given, or an amount that can't be mixed.
    """
    if treatment.amount is None:
        raise MixError("Nothing is given to these units.")
    parts = None if treatment.water_parts is None else (1.0, treatment.water_parts)
    if is_poured(treatment.amount_unit):
        litres = in_base(treatment.amount, treatment.amount_unit)[0]
        return Want(units=units, per_unit_litres=litres, unit_m2=surface, parts=parts)
    unit = recipe.portions[0].ingredient
    kilograms = unit.grams(treatment.amount, treatment.amount_unit) / 1000
    return Want(area_m2=units * surface, rate=kilograms / surface, parts=parts)


def at_the_desk(trial: Trial, known: Mapping[str, Recipe], kit: Kit) -> list[Mixed]:
    """All treatments of a trial, mixed for one application."""
    surface, found = unit_surface(trial), []
    for treatment in trial.treatments:
        units = sum(unit.letter == treatment.letter and unit.lost_on is None for unit in trial.units)
        blank = Mixed(treatment, units, None, None, (), treatment.role == "killed brew", "")
        recipe = recipe_for(treatment, trial, known)
        if treatment.amount is None or units == 0 or recipe is None:
            why = "Nothing is poured." if treatment.amount is None else "No recipe is named for it."
            found.append(replace(blank, why_not=why))
            continue
        try:
            mixed = mix(recipe, want_for(treatment, units, surface, recipe))
        except (MixError, RecipeError) as error:
            found.append(replace(blank, why_not=str(error)))
            continue
        alone = tuple(ingredient_alone(mixed)) if treatment.role == "ingredient control" else ()
        found.append(replace(blank, mixed=mixed, can=cans(mixed, kit), alone=alone))
    return found


def unlike(trial: Trial) -> list[str]:
    """What makes the handling of the units unequal, as far as the plan tells."""
    if trial.rules.handling:
        return []
    return ["No handling of all units alike is written down: rake, loosen and pre-water every unit, treated or not."]


def all_added(trial: Trial, desk: Sequence[Mixed], prices: Mapping[str, float]) -> list[Added]:
    """What each treatment adds to a square metre; nothing where nothing is poured. `prices` a kg by ingredient."""
    found = []
    for each in desk:
        pours = sum(pour.letter == each.treatment.letter for pour in trial.pours)
        pouring = POUR_SECONDS * each.units / 60
        letter, name = each.treatment.letter, each.treatment.name
        if each.mixed is not None:
            found.append(added(letter, name, each.mixed, pours, prices, pouring))
        elif each.treatment.amount is None:
            found.append(Added(letter, name, 0.0, 0.0, (0.0, 0.0), 0.0, 0.0, 1))
    return found
