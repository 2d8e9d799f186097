"""From doses and days as planned for each treatment to what each unit gets on which day, water evened out.

The control's water follows the wettest treatment on each day; plain water makes up for what a drier one lacks, so that
a gap is not the watering alone.
"""

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Literal

from eproba.core.brewing.recipe import DEFAULT_POT_SHARE, Ground, Recipe
from eproba.core.errors import EprobaError
from eproba.core.planning.plan import LETTERS, PlannedPour
from eproba.core.quantities import METRIC, Amount, Units, in_base
from eproba.core.trial.days import days_in_words, is_before_the_decision, on_weekdays, pour_days
from eproba.core.trial.doses import Dose, is_poured, litres, said_of, unequal
from eproba.core.trial.ground import Cut
from eproba.core.trial.model import Per, PlannedTreatment, Role
from eproba.core.words import listed

By = Literal["recipe", "unit", "m2", "pot", "like", "nothing"]
Often = Literal["recipe", "once", "every", "watering", "phases", "weekdays", "days", "like"]
BY: Mapping[By, str] = {
    "recipe": "as its recipe says", "m2": "for the ground it is on", "unit": "for each unit",
    "pot": "as a share of the pot", "like": "as much as the wettest, or as its brew", "nothing": "nothing",
}  # fmt: skip
OFTEN: Mapping[Often, str] = {
    "recipe": "as its recipe says", "once": "once, on day 0", "every": "every so many days",
    "watering": "at every watering, in place of plain water",
    "phases": "at first often, then rarely", "weekdays": "on days of the week", "days": "on these days of the trial",
    "like": "on the days of the others",
}  # fmt: skip
MOST_APPLICATIONS = 120
Water = dict[tuple[int, int], float]  # (treatment, day) → litres on a square metre


class DoseProblem(EprobaError):
    """A dose or days that can't be; `row` is the treatment's place, `field` what is wrong with it."""

    step = "treatments"

    def __init__(self, row: int, field: str, text: str) -> None:
        super().__init__(text)
        self.row, self.field = row, field


@dataclass(frozen=True)
class Given:
    """How much one treatment gets. `amount` in `unit`, for what `by` says; a share of the pot in percent of `pot_l`."""

    by: By
    amount: float | None = None
    unit: str = "mL"
    pot_l: float | None = None


@dataclass(frozen=True)
class DoseRhythm:
    """How often one treatment is given: `every` days, from day `until` on every `then` days; Monday is weekday 0."""

    often: Often
    every: int | None = None
    until: int | None = None
    then: int | None = None
    weekdays: tuple[int, ...] = ()
    days: tuple[int, ...] = ()


@dataclass(frozen=True)
class Wanted:
    """One treatment as it is planned; what it gets in the end comes of `given`."""

    treatment: PlannedTreatment
    given: Given
    rhythm: DoseRhythm

    @property
    def follows_the_wettest(self) -> bool:
        return self.treatment.role == "water control" and self.given.by == "like"

    def dosed(self, dose: Dose | None) -> PlannedTreatment:
        """The treatment with its dose."""
        if dose is None:
            return self.treatment
        waters = self.rhythm.often == "watering"
        return replace(self.treatment, amount=dose.amount, amount_unit=dose.unit, per=dose.per, each_watering=waters)


@dataclass(frozen=True)
class Course:
    """What the doses hang on besides themselves: the trial's days, the ground on a day, recipes, weekdays that suit."""

    decision_day: int
    start_on: date
    recipes: Mapping[str, Recipe]
    ground_on: Callable[[date], Ground]
    weekdays: tuple[int, ...] = tuple(range(7))

    def on(self, day: int) -> date:
        return self.start_on + timedelta(days=day)


@dataclass(frozen=True)
class Dosed:
    """All treatments with their doses, every application to come, and what was evened out, or was not, in words."""

    treatments: tuple[PlannedTreatment, ...]
    pours: tuple[PlannedPour, ...]
    evened: tuple[str, ...]
    uneven: tuple[str, ...]


def dosed(wanted: Sequence[Wanted], cuts: Sequence[Cut], course: Course, even: bool, units: Units = METRIC) -> Dosed:
    """Doses and days of all treatments over the units that they are dealt to; `even`: plain water makes up differences.

    Raises
    ------
    DoseProblem
        An amount without its unit, ground or pot; days that the trial does not have.
    """
    surface = sum(cut.ground_m2 for cut in cuts) / len(cuts)
    doses = [_dose(row, wanted, course) for row in range(len(wanted))]
    days = [_days(row, wanted, course) for row in range(len(wanted))]
    water = _water(wanted, [_on_a_m2(dose, cuts) for dose in doses], days)
    wettest = _wettest(water)
    like = _measured_like(doses)
    pours: list[PlannedPour] = []
    for row, treatment_planned in enumerate(wanted):
        follows = treatment_planned.follows_the_wettest and like is not None
        if follows and like is not None:
            doses[row], followed = _like_the_wettest(row, wettest, like, surface)
            pours += followed
        elif doses[row] is not None:
            pours += [PlannedPour(LETTERS[row], day) for day in days[row]]
        if (
            even
            and like is not None
            and not treatment_planned.follows_the_wettest
            and treatment_planned.treatment.role != "untreated"
        ):
            own = doses[row]
            pours += _made_up(row, wettest, water, like, "unit" if own is None else own.per, surface)
    treatments = tuple(planned.dosed(dose) for planned, dose in zip(wanted, doses, strict=True))
    evened, uneven = _told(wanted, treatments, pours, wettest, water, units)
    return Dosed(treatments, tuple(sorted(pours, key=lambda p: (p.day, p.letter, p.what))), evened, uneven)


def _water(wanted: Sequence[Wanted], volumes: Sequence[float], days: Sequence[Sequence[int]]) -> Water:
    """What each treatment brings to a square metre on each day; both of two things at once bring the water of each."""
    water = {(row, day): volume for row, volume in enumerate(volumes) if volume > 0 for day in days[row]}
    both = [row for row, planned in enumerate(wanted) if planned.treatment.things == "12"]
    alone = [(row, day) for row, day in water if wanted[row].treatment.things in ("1", "2")]
    for place in both:
        for row, day in alone:
            water[place, day] = water.get((place, day), 0.0) + water[row, day]
    return water


def _wettest(water: Water) -> dict[int, float]:
    """The most water on a square metre, by day."""
    most: dict[int, float] = {}
    for (_, day), volume in water.items():
        most[day] = max(volume, most.get(day, 0.0))
    return most


def _dose(row: int, wanted: Sequence[Wanted], course: Course) -> Dose | None:
    """What one treatment gets, by its own words; None: nothing, or what the wettest gets."""
    planned = wanted[row]
    given, recipe = planned.given, course.recipes.get(planned.treatment.recipe)
    if planned.treatment.things == "12":
        return None  # it gets the doses of the other two
    if given.by == "nothing" or planned.treatment.role == "untreated":
        return None
    if given.by == "like":
        return None if planned.follows_the_wettest else _dose(_brew_of(row, wanted), wanted, course)
    if given.by == "recipe":
        if recipe is None:
            text = "Without a recipe nothing says how much: give an amount for each unit, or for a square metre."
            raise DoseProblem(row, "dose", text)
        return Dose(recipe.rate[1], recipe.rate_unit.removesuffix("/m²"), "m2")
    if given.by == "pot":
        if given.pot_l is None:
            raise DoseProblem(row, "pot", "How much is in a pot? Give its litres of soil, or an amount for each unit.")
        percent = 100 * DEFAULT_POT_SHARE if given.amount is None else given.amount
        return Dose(float(f"{given.pot_l * percent / 100:.4g}"), "L")
    if given.amount is None:
        raise DoseProblem(row, "amount", f"How much {BY[given.by]}? Give a number.")
    return Dose(given.amount, given.unit, "m2" if given.by == "m2" else "unit")


def _brew_of(row: int, wanted: Sequence[Wanted]) -> int:
    """The brew that a control stands for: the first one tested."""
    tested = next(
        (i for i, planned in enumerate(wanted) if planned.treatment.role == "test" and planned.given.by != "like"), None
    )
    if tested is None:
        text = "Nothing is tested whose dose it could follow: give an amount of its own."
        raise DoseProblem(row, "dose", text)
    return tested


def _days(row: int, wanted: Sequence[Wanted], course: Course) -> tuple[int, ...]:
    """The days on which one treatment is given, by its own words."""
    planned = wanted[row]
    if planned.rhythm.often == "like":
        return () if planned.follows_the_wettest else _days(_brew_of(row, wanted), wanted, course)
    days = _days_as_typed(row, planned, course)
    if len(days) > MOST_APPLICATIONS:
        text = f"{len(days)} applications are more than anybody keeps up: up to {MOST_APPLICATIONS}."
        raise DoseProblem(row, "often", text)
    if planned.rhythm.often in ("weekdays", "days"):
        return tuple(days)
    moved = on_weekdays(days, course.start_on, course.weekdays, {0, course.decision_day})
    return tuple(day for day in moved if is_before_the_decision(day, course.decision_day))


def _days_as_typed(row: int, wanted: Wanted, course: Course) -> list[int]:
    rhythm, last = wanted.rhythm, course.decision_day
    match rhythm.often:
        case "recipe":
            recipe = course.recipes.get(wanted.treatment.recipe)
            if recipe is None:
                raise DoseProblem(row, "often", "Without a recipe nothing says how often: choose its days.")
            return _by_recipe(recipe, course)
        case "once":
            return [0]
        case "every" | "watering":
            return pour_days(last, _needed(row, "every", rhythm.every))
        case "phases":
            return _in_phases(row, rhythm, last)
        case "weekdays":
            days = [day for day in range(last) if course.on(day).weekday() in rhythm.weekdays]
            if not days:
                raise DoseProblem(row, "often", "Choose days of the week that the trial has before its decision day.")
            return days
    days = sorted(set(rhythm.days))
    if not days or not is_before_the_decision(days[-1], last):
        text = f"Write its days, from 0 to {last - 1}: the decision day {last} comes before anything is given."
        raise DoseProblem(row, "days", text)
    return days


def _in_phases(row: int, rhythm: DoseRhythm, last: int) -> list[int]:
    """At first often, then rarely."""
    every, until, then = (_needed(row, name, getattr(rhythm, name)) for name in ("every", "until", "then"))
    first = list(range(0, min(until, last), every))
    return first + list(range(first[-1] + then, last, then))


def _needed(row: int, field: str, number: int | None) -> int:
    if number is None:
        raise DoseProblem(row, field, "Give the number of days.")
    return number


def _by_recipe(recipe: Recipe, course: Course) -> list[int]:
    """The days that a recipe's phases ask for: the fewest days that it allows lie between two of them."""
    rows: list[int] = []
    day = 0.0
    while day < course.decision_day and len(rows) <= MOST_APPLICATIONS:
        rows.append(round(day))
        day += max(1.0, recipe.fewest_days(round(day), course.ground_on(course.on(round(day)))))
    return rows


def _on_a_m2(dose: Dose | None, cuts: Sequence[Cut]) -> float:
    """Litres that an application brings to a square metre of all units together; nothing for what is spread."""
    if dose is None or not is_poured(dose.unit):
        return 0.0
    return in_base(sum(dose.of(cut) for cut in cuts), dose.unit)[0] / sum(cut.ground_m2 for cut in cuts)


def _measured_like(doses: Sequence[Dose | None]) -> Dose | None:
    """The dose that water is measured like: by the ground, where anything poured is."""
    poured = [dose for dose in doses if dose is not None and is_poured(dose.unit)]
    return next((dose for dose in poured if dose.per == "m2"), poured[0] if poured else None)


def _like_the_wettest(
    row: int, wettest: Mapping[int, float], like: Dose, surface: float
) -> tuple[Dose, list[PlannedPour]]:
    """The water control: on each day as much as the wettest; its usual amount, and the days that need another one."""
    amounts = {day: _amount(volume, like, surface) for day, volume in wettest.items()}
    usual = Counter(amounts.values()).most_common(1)[0][0]
    pours = [PlannedPour(LETTERS[row], day, planned=None if a == usual else a) for day, a in amounts.items()]
    return Dose(usual, like.unit, like.per), pours


def _amount(volume: float, like: Dose, surface: float) -> float:
    """Litres a m² as an amount of a dose: rounded to what a can shows."""
    unit_litres = litres(1.0, like.unit) or 1.0
    return float(f"{volume * (1.0 if like.per == 'm2' else surface) / unit_litres:.4g}")


def _made_up(
    row: int, wettest: Mapping[int, float], water: Water, like: Dose, own: Per, surface: float
) -> list[PlannedPour]:
    """Plain water on the days on which others get more than a can can be misread by, measured as theirs is."""
    lacking = {day: volume - water.get((row, day), 0.0) for day, volume in wettest.items()}
    per = None if like.per == own else like.per
    return [
        PlannedPour(LETTERS[row], day, "water", _amount(volume, Dose(1.0, "L", like.per), surface), per)
        for day, volume in lacking.items()
        if unequal([wettest[day], wettest[day] - volume])
    ]


def _told(
    wanted: Sequence[Wanted], treatments: Sequence[PlannedTreatment], pours: Sequence[PlannedPour],
    wettest: Mapping[int, float], water: Water, units: Units,
) -> tuple[tuple[str, ...], tuple[str, ...]]:  # fmt: skip
    """What plain water makes up for, and what stays uneven with the question that it leaves open."""
    evened, uneven = [], []
    for i, (treatment_planned, treatment) in enumerate(zip(wanted, treatments, strict=True)):
        made_up = [pour for pour in pours if pour.letter == LETTERS[i] and pour.what == "water"]
        name = treatment_planned.treatment.name or f"Treatment {LETTERS[i]}"
        if made_up:
            amounts = sorted({pour.planned for pour in made_up if pour.planned is not None})
            span = said_of((amounts[0], amounts[-1]), "L", made_up[0].per or treatment.per, units)
            days = days_in_words([pour.day for pour in made_up])
            evened.append(f"{name}: also {span} of plain water, {days}.")
        elif _lacks(i, treatment_planned, wettest, water):
            uneven.append(name)
    roles = [planned.treatment.role for planned in wanted]
    watered = [planned for planned in wanted if planned.rhythm.often == "watering"]
    open_ones = [_open(uneven, roles)] if uneven else []
    for planned in watered:
        says = evened if "water control" in roles else open_ones
        says.append(_in_place_of_water(planned.treatment.name or "The treatment", "water control" in roles))
    return tuple(evened), tuple(open_ones)


def _in_place_of_water(name: str, has_water: bool) -> str:
    """What a treatment at every watering asks of the control."""
    if has_water:
        return f"{name} is given at every watering, plain water to the control. Give no other water to any unit."
    return (
        f"{name} is given at every watering, in place of plain water. Without a control that gets as much plain water "
        "at the same waterings, a gain may be the watering alone."
    )


def _lacks(row: int, planned: Wanted, wettest: Mapping[int, float], water: Water) -> bool:
    if planned.follows_the_wettest:
        return False
    return any(unequal([volume, water.get((row, day), 0.0)]) for day, volume in wettest.items())


def _open(names: Sequence[str], roles: Sequence[Role]) -> str:
    verb = "get" if len(names) > 1 else "gets"
    text = f"{listed(list(names))} {verb} less water than the wettest treatment"
    if "water control" in roles:
        return f"{text}: against plain water alone the question is fair; against {listed(list(names))} it is not."
    return f"{text}: a gap may be the watering alone, and this trial leaves that open."


def size_words(cuts: Sequence[Cut], units: Units = METRIC) -> str:
    """How large the units are, where they are not alike: “0.5 to 0.85 m²”."""
    sizes = sorted(cut.ground_m2 for cut in cuts)
    return units(Amount(float(f"{sizes[0]:.2g}"), "m²", high=float(f"{sizes[-1]:.2g}")))
