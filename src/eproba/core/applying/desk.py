"""A trial's treatments at the mixing desk: what each unit gets, mixed, and what it adds."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from eproba.core.applying.comparing import Added, added
from eproba.core.brewing.ingredients import RecipeError
from eproba.core.brewing.kitchen import Can, Kit, as_measured, cans
from eproba.core.brewing.mixing import IngredientControl, Mix, MixError, Want, in_batch_unit, ingredient_alone, mix
from eproba.core.brewing.recipe import Recipe, stirred
from eproba.core.quantities import in_base
from eproba.core.trial.days import POUR_SECONDS
from eproba.core.trial.doses import Dose, dose_of, is_poured
from eproba.core.trial.ground import Cut
from eproba.core.trial.model import Role, Treatment, Trial

OF_A_BREW: tuple[Role, ...] = ("ingredient control", "killed brew")
KILLED = (
    "Boil as much of the strained brew for ten minutes at a rolling boil, covered; fill it up to its mark with the same"
    " water, since some has gone as steam; let it cool under its lid to the warmth of the other cans. Boiling leaves"
    " spores, sugar and minerals: the comparison tells what the living part does."
)


@dataclass(frozen=True)
class Mixed:
    """One treatment at the desk: its mix, the same as the kit measures it, its can, the ingredient alone where it is
    such a control; else why not."""

    treatment: Treatment
    units: int
    mixed: Mix | None
    really: Mix | None
    can: Can | None
    alone: IngredientControl | None
    boiled: bool
    why_not: str


def recipe_for(treatment: Treatment, trial: Trial, known: Mapping[str, Recipe]) -> Recipe | None:
    """What a treatment is mixed from: its own recipe; for controls of a brew, that of the first one tested."""
    if treatment.recipe in known:
        return stirred(known[treatment.recipe], treatment.times)
    if treatment.role == "water control":
        return known["plain-water"]
    if treatment.role in OF_A_BREW:
        tested = (t for t in trial.treatments if t.role == "test" and t.recipe in known)
        return next((stirred(known[t.recipe], t.times) for t in tested), None)
    return None


def strength_of(treatment: Treatment, trial: Trial) -> float | None:
    """Its parts of water: its own; controls of a brew are as strong as the treatment that they stand for."""
    if treatment.water_parts is not None or treatment.role not in OF_A_BREW:
        return treatment.water_parts
    return next((t.water_parts for t in trial.treatments if t.role == "test" and t.recipe), None)


def want_for(dose: Dose | None, cuts: Sequence[Cut], recipe: Recipe, water_parts: float | None = None) -> Want:
    """What units get in one application, at 1 + `water_parts` (None: as the recipe); of units of several sizes the
    middle one stands for all.

    Raises
    ------
    MixError
        Nothing is given, or an amount that can't be mixed.
    """
    if dose is None:
        raise MixError("Nothing is given to these units.")
    parts, units = None if water_parts is None else (1.0, water_parts), len(cuts)
    surface = sum(cut.ground_m2 for cut in cuts) / units
    amount = sum(dose.of(cut) for cut in cuts) / units
    if recipe.liquid and is_poured(dose.unit):
        litres = in_base(amount, dose.unit)[0]
        return Want(units=units, per_unit_litres=litres, unit_m2=surface, parts=parts)
    in_unit = in_batch_unit(recipe, amount, dose.unit)
    return Want(area_m2=units * surface, rate=in_unit / surface, parts=parts)


def at_the_desk(trial: Trial, known: Mapping[str, Recipe], kit: Kit) -> list[Mixed]:
    """All treatments of a trial, mixed for one application."""
    desk = []
    for treatment in trial.treatments:
        cuts = [unit.cut for unit in trial.given_to(treatment.letter, day=0) if unit.lost_on is None]
        units = len(cuts)
        blank = Mixed(treatment, units, None, None, None, None, treatment.role == "killed brew", "")
        recipe = recipe_for(treatment, trial, known)
        if treatment.amount is None or units == 0 or recipe is None:
            why = "Nothing is poured." if treatment.amount is None else "No recipe is named for it."
            desk.append(replace(blank, why_not=why))
            continue
        try:
            mixed = mix(recipe, want_for(dose_of(treatment), cuts, recipe, strength_of(treatment, trial)))
        except (MixError, RecipeError) as error:
            desk.append(replace(blank, why_not=str(error)))
            continue
        alone = ingredient_alone(mixed) if treatment.role == "ingredient control" else None
        desk.append(replace(blank, mixed=mixed, really=as_measured(mixed, kit), can=cans(mixed, kit), alone=alone))
    return desk


def unlike(trial: Trial) -> list[str]:
    """What makes the handling of the units unequal, as far as the plan tells."""
    if trial.rules.handling:
        return []
    return ["No handling of all units alike is written down: rake, loosen and pre-water every unit, treated or not."]


def all_added(trial: Trial, desk: Sequence[Mixed], prices: Mapping[str, float]) -> list[Added]:
    """What each treatment adds to a square metre; nothing where nothing is poured. `prices` a kg by ingredient."""
    loads = []
    for place in desk:
        pours = sum(pour.letter == place.treatment.letter and pour.what == "dose" for pour in trial.pours)
        pouring = POUR_SECONDS * place.units / 60
        letter, name = place.treatment.letter, place.treatment.name
        if place.really is not None:
            loads.append(added(letter, name, place.really, pours, prices, pouring))
        elif place.treatment.amount is None:
            loads.append(Added(letter, name, 0.0, 0.0, (0.0, 0.0), 0.0, 0.0, 1))
    return loads
