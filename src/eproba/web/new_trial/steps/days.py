"""The days: rounds and applications on the weekdays that suit, with the minutes of each visit."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any

from wtforms import HiddenField, SelectMultipleField, StringField, ValidationError
from wtforms.widgets import CheckboxInput, ListWidget

from eproba.core.brewing.recipe import Ground
from eproba.core.errors import EprobaError
from eproba.core.measuring.measures import WHEN, Measure
from eproba.core.planning.advice import Advice, on_idle_turns, on_minutes, on_weekday
from eproba.core.planning.asking import cell
from eproba.core.planning.dosing import Dosed, DoseProblem
from eproba.core.planning.draft import (
    DaysPart,
    chosen,
    doses_of,
    grid_of,
    hours_of,
    needed_hours,
    planned_measures,
    rounds_of,
)
from eproba.core.planning.plan import LETTERS
from eproba.core.planning.rates import on_harvest, on_recipes
from eproba.core.planning.visits import Visit, visits
from eproba.core.trial.compared import COMPARED
from eproba.core.trial.days import MOST_DAYS, RHYTHMS, WEEKDAYS, DayLoad, DaysError, calendar
from eproba.core.trial.ground import Cut, GroundError
from eproba.core.trial.hours import ANY, hour_typed, hours_text
from eproba.core.trial.model import Trial
from eproba.web.new_trial.steps.step import Bench, PlannerStep, Typed, Walk
from eproba.web.pictures.weeks import WeekDay, WeekTask, weeks
from eproba.web.ui.fields import at_most
from eproba.web.ui.form import OurForm
from eproba.web.ui.units import sentence, units


class DaysForm(OurForm):
    weekdays = SelectMultipleField(
        "Days that suit you", choices=list(enumerate(WEEKDAYS)), coerce=int,
        widget=ListWidget(prefix_label=False), option_widget=CheckboxInput(),
    )  # fmt: skip
    rounds = StringField("Rounds on days", [at_most(500)])
    pulls = StringField("Plants are pulled on days", [at_most(200)])
    hours = StringField("At what hour", [at_most(300)])
    hour_on = SelectMultipleField("Days of the hours", validate_choice=False, choices=[], coerce=int)
    hour_at = SelectMultipleField("Their hours", validate_choice=False, choices=[])
    hour_usual = HiddenField()
    offered = HiddenField()
    asked = SelectMultipleField("What is asked when", validate_choice=False, choices=[])

    def validate_weekdays(self, field: Any) -> None:
        if not field.data:
            raise ValidationError("Choose at least one day of the week.")

    def validate_rounds(self, field: Any) -> None:
        self.round_list = day_list(field.data)

    def validate_pulls(self, field: Any) -> None:
        self.pull_list = day_list(field.data)


def _hours_in_table(form: DaysForm) -> tuple[tuple[int, str], ...]:
    """The hour typed for each round; nothing where all stand as they were offered, so that they follow the plan."""
    hours = [hour.strip() for hour in form.hour_at.data or ()]
    table = tuple(zip(form.hour_on.data or (), hours, strict=False))
    return () if "|".join(hours) == form.hour_usual.data else table


def day_list(text: str | None) -> tuple[int, ...]:
    """Day numbers as typed, with spaces or commas between. Raises ValidationError."""
    try:
        days = tuple(int(day) for day in (text or "").replace(",", " ").split())
    except ValueError as error:
        raise ValidationError("Write the days as whole numbers: 0 7 14 21 28.") from error
    if any(not 0 <= day <= MOST_DAYS for day in days):
        raise ValidationError(f"Days run from 0 to {MOST_DAYS}.")
    return days


@dataclass(frozen=True)
class GridRow:
    """A measure and its rounds: (day, name of the box, ticked); `fixed`: it follows the days of pulling."""

    name: str
    when: str
    fixed: bool
    cells: tuple[tuple[int, str, bool], ...]


@dataclass(frozen=True)
class DaysPage:
    """The calendar of the plan with its minutes, and how a visit goes; `problem`: why there is none yet."""

    problem: str = ""
    weeks: tuple[list[WeekDay], ...] = ()
    total: float = 0.0
    busiest: float = 0.0
    rounds: tuple[int, ...] = ()
    why: tuple[str, ...] = ()
    destructive: tuple[str, ...] = ()
    visits: tuple[Visit, ...] = ()
    grid: tuple[GridRow, ...] = ()
    minutes: tuple[tuple[int, float], ...] = ()
    at: Mapping[int, str] = field(default_factory=dict)
    usual_hours: str = ""


class DaysStep(PlannerStep[DaysForm, DaysPart]):
    name = "days"
    title = "Days"
    form = DaysForm

    def first(self, today: date) -> Typed:
        return {
            "weekdays": [str(day) for day in range(7)],
            "rounds": [""],
            "pulls": [""],
            "hours": [""],
            "offered": [""],
        }

    def again(self, trial: Trial, today: date) -> Typed:
        rounds = " ".join(str(round_.day) for round_ in trial.rounds)
        cells = {cell(asked.measure.key, round_.day) for asked in trial.asked for round_ in trial.rounds}
        asked = [cell(asked.measure.key, round_.day) for round_ in trial.rounds for asked in trial.asked_in(round_)]
        pulls = " ".join(map(str, trial.rules.pulls))
        hours = hours_text({round_.day: round_.time for round_ in trial.rounds if round_.time is not None})
        return {
            "rounds": [rounds],
            "pulls": [pulls],
            "hours": [hours],
            "offered": [" ".join(sorted(cells))],
            "asked": asked,
        }

    def read(self, form: DaysForm) -> DaysPart:
        offered = tuple((form.offered.data or "").split())
        return DaysPart(
            tuple(form.weekdays.data or ()), form.round_list, form.pull_list, offered, tuple(form.asked.data or ()),
            (form.hours.data or "").strip(), _hours_in_table(form),
        )  # fmt: skip

    def settled(self, part: DaysPart, bench: Bench) -> str:
        days = "any day" if len(part.weekdays) == 7 else " ".join(WEEKDAYS[day] for day in part.weekdays)
        return f"{len(part.rounds)} rounds, {days}" if part.rounds else days

    def wrong(self, walk: Walk) -> str:
        draft = walk.draft
        if draft.measure is None or draft.days is None:
            return ""
        try:
            rounds = rounds_of(draft, walk.known)
            if draft.ground is not None and draft.treatments is not None:
                doses = doses_of(draft, chosen(draft, draft.ground, walk.known).cuts, walk.known)
                grid = grid_of(draft, rounds, doses, walk.known)
                hours_of(draft, rounds, grid, doses, walk.known)
        except (DoseProblem, GroundError):
            return ""  # their own steps say it
        except DaysError as error:
            return sentence(error)
        return ""

    def page(self, walk: Walk) -> DaysPage:
        draft = walk.draft
        measure, ground, days = draft.measure, draft.ground, draft.days
        if measure is None or ground is None or days is None or draft.treatments is None or draft.rules is None:
            return DaysPage(problem="The steps before must be right first.")
        try:
            rounds = rounds_of(draft, walk.known)
            cuts = chosen(draft, ground, walk.known).cuts
            doses = doses_of(draft, cuts, walk.known)
            grid = grid_of(draft, rounds, doses, walk.known)
        except EprobaError as error:
            return DaysPage(problem=sentence(error))
        at, problem, usual = dict(days.at), "", needed_hours(draft, grid, doses, walk.known)
        try:
            at = {day: hour_typed(when) for day, when in hours_of(draft, rounds, grid, doses, walk.known).items()}
        except DaysError as error:
            problem = sentence(error)  # what was typed stays in its cell
        asked = [walk.known.measures[key] for key in measure.asked]
        per_unit = [(walk.known.measures[m.key], m.per_unit) for m in planned_measures(measure, walk.known)]
        units_each, known = draft.units_given(cuts), walk.known.recipes
        going = visits(doses.treatments, doses.pours, cuts, units_each, known, walk.bench.kit, units())
        poured = {day: visit.minutes for visit in going for day in visit.on}
        pulls = days.pulls or (measure.decision_day,)
        loads = calendar(rounds, poured, measure.start_on, per_unit, draft.units_read(cuts), pulls, grid)
        noun = COMPARED[draft.compared].noun
        tasks = [task for load in loads for task in _tasks(load, noun, doses)]
        return DaysPage(
            problem=problem,
            weeks=tuple(weeks(tasks, measure.start_on, loads[-1].on, list(days.weekdays))),
            total=sum(load.minutes for load in loads),
            busiest=max(load.minutes for load in loads),
            rounds=rounds,
            why=tuple(dict.fromkeys(RHYTHMS[measure.rhythm] for measure in asked)),
            destructive=tuple(measure.name for measure in asked if measure.destructive),
            visits=going,
            grid=tuple(_row(measure, rounds, grid[measure.key]) for measure in asked),
            minutes=tuple((load.day, load.minutes) for load in loads if load.round),
            at=at,
            usual_hours="|".join(hour_typed(usual[day]) if day in usual else ANY for day in rounds),
        )

    def advice(self, walk: Walk) -> list[Advice]:
        measure, days = walk.draft.measure, walk.draft.days
        if measure is None or days is None:
            return []
        counsel = on_weekday(measure.start_on, measure.decision_day, days.weekdays) + on_brews(walk)
        longest = max(self.page(walk).minutes, key=lambda of_day: of_day[1], default=None)
        chance = walk.draft.chance
        return counsel if longest is None or chance is None else counsel + on_minutes(*longest, chance.minutes)


def _row(measure: Measure, rounds: Sequence[int], asked: Sequence[int]) -> GridRow:
    cells = tuple((day, cell(measure.key, day), day in asked) for day in rounds)
    return GridRow(measure.name, WHEN[measure.when], measure.destructive, cells)


def _tasks(load: DayLoad, noun: str, doses: Dosed) -> list[WeekTask]:
    words = []
    if load.round:
        words.append(("round", "Baseline" if load.day == 0 else "Round"))
    if load.pull:
        words.append(("pull", "Pull, by lot"))
    if load.pour:
        letters = sorted({pour.letter for pour in doses.pours if pour.day == load.day})
        words.append(("pour", f"{noun.capitalize()} {' '.join(letters)}"))
    return [WeekTask(load.on, kind, text, load.minutes if i == 0 else 0.0) for i, (kind, text) in enumerate(words)]


def on_brews(walk: Walk) -> list[Advice]:
    """Whether the applications suit the recipes that they are brewed by."""
    draft, measure = walk.draft, walk.draft.measure
    if draft.ground is None or draft.treatments is None or measure is None:
        return []
    try:
        cuts = chosen(draft, draft.ground, walk.known).cuts
        doses = doses_of(draft, cuts, walk.known)
    except EprobaError:
        return []
    counsel = on_given(walk, doses, cuts)
    for treatment, days in zip(doses.treatments, dose_days(doses), strict=True):
        counsel += on_harvest(treatment, walk.known.recipes.get(treatment.recipe), days, measure.decision_day)
    return counsel


def on_given(walk: Walk, doses: Dosed, cuts: Sequence[Cut]) -> list[Advice]:
    """Each dose and its days against its recipe."""
    measure = walk.draft.measure
    start = walk.bench.today if measure is None else measure.start_on

    def ground_on(day: int) -> Ground:
        return walk.known.ground_on(start + timedelta(days=day))

    days, counsel = dose_days(doses), list[Advice]()
    if walk.draft.turns and measure is not None:
        periods = max(1, len(cuts) // walk.draft.rows)
        tried = [(t.name, of_one) for t, of_one in zip(doses.treatments, days, strict=True) if t.role == "test"]
        counsel = [
            line for name, of_one in tried for line in on_idle_turns(name, of_one, measure.decision_day, periods)
        ]
        length = measure.decision_day // periods  # what a place got while it was on: the next turn is the other's
        days = [[day for day in of_one if day < length] for of_one in days]
    return counsel + on_recipes(doses.treatments, days, cuts, walk.known.recipes, ground_on, units())


def dose_days(doses: Dosed) -> list[list[int]]:
    """The days on which each treatment is given its own dose."""
    letters = LETTERS[: len(doses.treatments)]
    return [[p.day for p in doses.pours if p.letter == letter and p.what == "dose"] for letter in letters]
