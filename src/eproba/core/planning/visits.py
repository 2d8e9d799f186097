"""How a day of applications goes: who gets what in which order, from how many cans, in how many minutes; and what the
kit can't measure."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

from eproba.core.brewing.kitchen import Can, Kit, cans, measured
from eproba.core.brewing.mixing import Mix
from eproba.core.brewing.recipe import Recipe
from eproba.core.planning.advice import Advice
from eproba.core.planning.plan import LETTERS, PlannedPour, control_index
from eproba.core.planning.rates import mixed_for
from eproba.core.quantities import METRIC, Amount, Units
from eproba.core.trial.days import CAN_MINUTES, POUR_SECONDS, days_in_words
from eproba.core.trial.doses import Dose, dose_of, is_poured
from eproba.core.trial.ground import Cut
from eproba.core.trial.model import PlannedTreatment
from eproba.core.words import figure_or_whole, lower_first, plural

OFF = 0.1  # more than this off is told
LARGER = " times as much"  # what the kitchen says where only a larger amount can be measured
STEP_DOWN = 10  # one part of a stock to so many in all


@dataclass(frozen=True)
class VisitLine:
    """One treatment of a visit: its letter, name, dose, and the cans that it takes."""

    letter: str
    name: str
    words: str


@dataclass(frozen=True)
class Visit:
    """Visits that go alike: on which days, what in which order, how many minutes each."""

    on: tuple[int, ...]
    days: str
    lines: tuple[VisitLine, ...]
    minutes: float


def visits(
    treatments: Sequence[PlannedTreatment], pours: Sequence[PlannedPour], cuts: Sequence[Cut], units_each: int,
    recipes: Mapping[str, Recipe], kit: Kit, units: Units = METRIC,
) -> tuple[Visit, ...]:  # fmt: skip
    """All visits of a plan, those that go alike together; the control first, since a can carries over."""
    control = LETTERS[control_index([treatment.role for treatment in treatments])]
    by_day: dict[int, list[PlannedPour]] = {}
    for pour in sorted(pours, key=lambda p: (p.letter != control, p.letter, p.what)):
        by_day.setdefault(pour.day, []).append(pour)
    alike: dict[tuple[tuple[str, str, float | None], ...], list[int]] = {}
    for day, todo in sorted(by_day.items()):
        alike.setdefault(tuple((p.letter, p.what, p.planned) for p in todo), []).append(day)
    visits_all = []
    for days in alike.values():
        lines = [_line(pour, treatments, cuts[:units_each], recipes, kit, units) for pour in by_day[days[0]]]
        minutes = sum(CAN_MINUTES * count for _, count in lines) + POUR_SECONDS * units_each * len(lines) / 60
        visits_all.append(Visit(tuple(days), days_in_words(days), tuple(line for line, _ in lines), minutes))
    return tuple(visits_all)


def _line(
    pour: PlannedPour, treatments: Sequence[PlannedTreatment], cuts: Sequence[Cut], recipes: Mapping[str, Recipe],
    kit: Kit, units: Units,
) -> tuple[VisitLine, int]:  # fmt: skip
    treatment = treatments[LETTERS.index(pour.letter)]
    dose = dose_of(treatment, pour)
    words = "" if dose is None else dose.said(units)
    plain = pour.what == "water" or treatment.role == "water control"
    recipe = recipes["plain-water"] if plain else recipes.get(treatment.recipe)
    can = None if recipe is None else _cans(recipe, dose, cuts, None if plain else treatment, kit)
    if can is not None:
        words += f", {plural(can.count, 'can')} of {units(Amount(can.litres, 'L'))}{_filled(can)}"
    name = f"{treatment.name}: plain water" if pour.what == "water" else treatment.name
    return VisitLine(pour.letter, name, words), 1 if can is None else can.count


def _filled(can: Can) -> str:
    """What goes into each can, as the kitchen measures it; nothing where only one thing does."""
    return "" if can.really is None else f": {can.concentrate.text} of it, {can.water.text} of water"


def _cans(
    recipe: Recipe, dose: Dose | None, cuts: Sequence[Cut], treatment: PlannedTreatment | None, kit: Kit
) -> Can | None:
    mixed = mixed_for(recipe, dose, cuts, treatment)
    return None if mixed is None else cans(mixed, kit)


def on_measuring(
    treatments: Sequence[PlannedTreatment], cuts: Sequence[Cut], recipes: Mapping[str, Recipe], kit: Kit
) -> list[Advice]:
    """What the kit can't tell apart, or is more than a tenth off; each with a way that works."""
    shown: dict[str, tuple[str, str]] = {}
    lines = []
    for treatment in treatments:
        recipe = recipes.get(treatment.recipe)
        dose = dose_of(treatment)
        if recipe is None or dose is None or not is_poured(dose.unit):
            continue
        mixed = mixed_for(recipe, dose, cuts, treatment)
        can = None if mixed is None else cans(mixed, kit)
        if mixed is None or can is None:
            continue
        if mixed.water_litres and (LARGER in can.concentrate.text or abs(can.concentrate.error) > OFF):
            off = f"Your kit can’t measure so little {lower_first(treatment.name)}: {can.concentrate.text}"
            lines.append(Advice(False, f"{off}. {_stock(mixed)}"))
        shown[treatment.name] = (treatment.recipe, _measured_as(mixed, can, kit))
    for (one, how), (other, too) in combinations(shown.items(), 2):
        if how == too:
            text = f"{one} and {other} come out alike with your kit ({how[1]})"
            lines.append(
                Advice(True, f"{text}. Mix a larger lot, or make a stock of the stronger and dilute it by steps.")
            )
    return lines


def _measured_as(mixed: Mix, can: Can, kit: Kit) -> str:
    """What goes into a can, as the kit measures it; of what is not diluted its ingredients."""
    if mixed.water_litres:
        return can.concentrate.text
    return ", ".join(f"{measured(amount, kit).text} {lower_first(amount.ingredient.name)}" for amount in mixed.amounts)


def _stock(mixed: Mix) -> str:
    one, water = mixed.parts
    parts = water / one
    if parts < 2 * STEP_DOWN:
        return "Or mix several cans at once."
    rest = (1 + parts) / STEP_DOWN - 1
    return (
        f"Or make a stock of 1 + {STEP_DOWN - 1} first, and take 1 + {figure_or_whole(float(f'{rest:.3g}'))} of that:"
        f" the same strength, ten times as much to measure."
    )
