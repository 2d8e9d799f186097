"""A trial being planned: one part a step, each read and typed, None while it is wrong; and the plan that they make."""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Literal, TypeVar

from eproba.core.brewing.recipe import Ground, Recipe
from eproba.core.errors import EprobaError
from eproba.core.measuring.measures import Measure
from eproba.core.planning.asking import Grid, asked_rounds
from eproba.core.planning.cutter import Proposal, Wish, like_with_like, proposals
from eproba.core.planning.dosing import Course, Dosed, Wanted, dosed
from eproba.core.planning.plan import Layout, Plan, PlannedMeasure, check_batches, check_crops, control_index
from eproba.core.quantities import METRIC, Units
from eproba.core.stats.series import Scale
from eproba.core.stats.summaries import Summary
from eproba.core.trial.claim import Asking, compared_names
from eproba.core.trial.compared import COMPARED
from eproba.core.trial.days import Rhythm, checked_pulls, checked_rounds, on_weekdays, proposed_rounds, turned_rounds
from eproba.core.trial.ground import Cut, Site, row_of, site_entry
from eproba.core.trial.hours import ANY, hours_typed, usual_hours
from eproba.core.trial.lots import Dealing
from eproba.core.trial.model import Compared, Role, RoundTime, Rules, is_crossed, is_laddered
from eproba.core.trial.worth import Worth

StepName = Literal["claim", "measure", "treatments", "ground", "chance", "days", "rules"]
Aim = Literal["better", "no worse", "rank"]
AUTO_COLUMNS = 6
Part = TypeVar("Part")
COPIED = "copied"  # the key of the cut that a copied plan brings along
POT_CM, POT_GAP_CM = 25, 10


class DraftError(EprobaError):
    """A plan that does not hold together; the message says what would fit, `step` where."""

    def __init__(self, step: StepName, text: str) -> None:
        super().__init__(text)
        self.step = step


@dataclass(frozen=True)
class ClaimPart:
    """What is compared, tried and claimed."""

    compared: Compared
    thing: str
    against: Role
    claim: str
    name: str
    note: str


@dataclass(frozen=True)
class MeasurePart:
    """What carries the verdict, the question, the days; `worth` as in `Worth`; `typical`: what a unit usually gives."""

    measure: str
    aim: Aim
    worth: float | None
    scale: Scale
    lower_is_better: bool
    start_on: date
    decision_day: int
    per_unit: int
    sown: int | None
    also: tuple[str, ...]
    summary: Summary
    level: float | None = None
    typical: float | None = None

    @property
    def asked(self) -> tuple[str, ...]:
        """The measures asked, the first one first."""
        return (self.measure, *(key for key in self.also if key != self.measure))


@dataclass(frozen=True)
class TreatmentsPart:
    """The treatments with their own doses and days; `even`: plain water makes up differences."""

    wanted: tuple[Wanted, ...]
    batches: int
    blind: bool
    even: bool


@dataclass(frozen=True)
class Copied:
    """The cut of the trial that a plan was copied from, for as long as its ground is the same."""

    site: Site
    dealing: Dealing
    cuts: tuple[Cut, ...]


@dataclass(frozen=True)
class GroundPart:
    """The ground as drawn (None: as many pots as the plan needs), how it is to be cut, and the cut that was taken.

    `among`: the keys of the cuts that it was taken from; `sizes` a first measurement of every pot, in order.
    """

    site: Site | None
    units_each: int
    guard_cm: float | None
    least_width_cm: float
    least_length_cm: float
    edge_guards: bool
    dealing: Dealing | None
    sizes: tuple[float, ...]
    proposal: str
    among: tuple[str, ...]
    copied: Copied | None


@dataclass(frozen=True)
class ChancePart:
    """Noise from unit to unit as typed (a CV on the ratio scale), and the minutes that a round may take."""

    noise: float | None
    minutes: float


@dataclass(frozen=True)
class DaysPart:
    """Weekdays that suit (0: Monday), own rounds, days on which plants are pulled; of the grid of measures and rounds
    what was `offered` and what was `ticked`; the `hours` of rounds as typed in one line, or `at` as typed for each day
    (both empty: as usual)."""

    weekdays: tuple[int, ...]
    rounds: tuple[int, ...]
    pulls: tuple[int, ...]
    offered: tuple[str, ...] = ()
    ticked: tuple[str, ...] = ()
    hours: str = ""
    at: tuple[tuple[int, str], ...] = ()

    def hours_text(self, rounds: Collection[int]) -> str:
        """The hours of rounds in one line; of a table those whose round is still there."""
        rows = [f"{day} {hour}" for day, hour in self.at if day in rounds and hour.lower() not in ("", ANY)]
        return self.hours.strip() or (", ".join(rows) or ANY if self.at else "")


@dataclass(frozen=True)
class RulesPart:
    """What is settled before sowing."""

    crops: tuple[str, ...]
    seeds: int | None
    plants: int
    thin_on: int | None
    replace_until: int | None
    handling: str
    repeats: float = 0.0

    def too_late(self, decision_day: int) -> str:
        """What of them lies behind the decision, in a sentence; empty: nothing does."""
        for what, day in (("Thinned on", self.thin_on), ("Replaced up to", self.replace_until)):
            if day is not None and day > decision_day:
                return f"{what} day {day}, but the trial is decided on day {decision_day}: choose an earlier day."
        return ""


@dataclass(frozen=True)
class Known:
    """What a draft is read against: measures, recipes, what the ground is like on a day; how amounts are told."""

    measures: Mapping[str, Measure]
    recipes: Mapping[str, Recipe]
    ground_on: Callable[[date], Ground]
    units: Units = METRIC


@dataclass(frozen=True)
class Draft:
    """All parts; `rows` is the number of treatments typed so far, right or wrong."""

    claim: ClaimPart | None
    measure: MeasurePart | None
    treatments: TreatmentsPart | None
    ground: GroundPart | None
    chance: ChancePart | None
    days: DaysPart | None
    rules: RulesPart | None
    rows: int

    @property
    def crossed(self) -> bool:
        """Two things at once."""
        wanted = () if self.treatments is None else self.treatments.wanted
        return is_crossed([planned.treatment for planned in wanted])

    @property
    def laddered(self) -> bool:
        """A ladder of strengths."""
        wanted = () if self.treatments is None else self.treatments.wanted
        return is_laddered([planned.treatment for planned in wanted])

    @property
    def turns(self) -> bool:
        """Two places take turns."""
        return self.ground is not None and self.ground.dealing == "on and off"

    def units_read(self, cuts: Sequence[Cut]) -> int:
        """How many units a round reads: of places that take turns the two places."""
        return self.rows if self.turns else len(cuts)

    def units_given(self, cuts: Sequence[Cut]) -> int:
        """How many units of each treatment a visit gives to: of places that take turns the one that is on."""
        return 1 if self.turns else len(cuts) // self.rows

    @property
    def against(self) -> str:
        """The role of the control, as far as it was said."""
        return "" if self.claim is None else self.claim.against

    @property
    def compared(self) -> Compared:
        return "drench" if self.claim is None else self.claim.compared


def asking_of(draft: Draft, treatments: Sequence[tuple[str, Role]], known: Known) -> Asking | None:
    """What the trial asks, as far as it is planned; `treatments` with their roles, as named so far."""
    measure = draft.measure
    if measure is None or not treatments:
        return None
    tested, control = compared_names(treatments, control_index([role for _, role in treatments], draft.against))
    return Asking(
        tested, control, known.measures[measure.measure], Worth.from_typed(measure.worth, measure.scale),
        measure.decision_day, measure.aim == "no worse", measure.aim == "rank", measure.lower_is_better,
        measure.summary, measure.level, draft.turns,
    )  # fmt: skip


def site_of(draft: Draft, ground: GroundPart) -> Site:
    """The ground as drawn; while nobody has drawn, just as many pots as the plan needs."""
    if ground.site is not None:
        return ground.site
    if ground.dealing == "on and off":
        return Site((row_of("pots", POT_CM, POT_CM, POT_GAP_CM, 1, 2),))
    if ground.dealing == "Latin square":
        return Site((row_of("pots", POT_CM, POT_CM, POT_GAP_CM, draft.rows, draft.rows),))
    pots = draft.rows * ground.units_each
    return Site((row_of("pots", POT_CM, POT_CM, POT_GAP_CM, -(-pots // AUTO_COLUMNS), min(pots, AUTO_COLUMNS)),))


def advised_guard(draft: Draft, known: Known) -> float:
    """The guard that everything measured needs: the widest."""
    asked = () if draft.measure is None else draft.measure.asked
    return max((known.measures[key].guard_cm for key in asked if key in known.measures), default=0.0)


def guard_of(draft: Draft, ground: GroundPart, known: Known) -> float:
    """The guard as typed, else as what is measured needs."""
    return advised_guard(draft, known) if ground.guard_cm is None else ground.guard_cm


def proposed(draft: Draft, ground: GroundPart, known: Known) -> list[Proposal]:
    """What the cutter proposes, by size where sizes were given; the cut of a copied trial first.

    Raises
    ------
    GroundError
        Where nothing fits, saying what would.
    """
    guard, site = guard_of(draft, ground, known), site_of(draft, ground)
    wish = Wish(
        draft.rows, ground.units_each, guard, ground.least_width_cm, ground.least_length_cm, ground.edge_guards,
        ground.dealing, known.units,
    )  # fmt: skip
    of_the_ground = proposals(site, wish)
    if ground.sizes:
        source = next((proposal for proposal in of_the_ground if proposal.units_each > 1), of_the_ground[0])
        of_the_ground.insert(0, like_with_like(source, ground.sizes, draft.rows))
    return [*_copied(draft, ground, site), *of_the_ground[:3]]


def _copied(draft: Draft, ground: GroundPart, site: Site) -> list[Proposal]:
    kept = ground.copied
    if kept is None or site_entry(kept.site) != site_entry(site):
        return []
    units_each, rest = divmod(len(kept.cuts), draft.rows)
    title = "As in the trial that was copied"
    return [] if rest or not kept.cuts else [Proposal(COPIED, title, kept.dealing, units_each, kept.cuts, ())]


def chosen(draft: Draft, ground: GroundPart, known: Known) -> Proposal:
    """The proposal that was taken; the first where none was, or where a better one has come since."""
    of_the_ground = proposed(draft, ground, known)
    taken = next((proposal for proposal in of_the_ground if proposal.key == ground.proposal), None)
    came_since = bool(ground.among) and of_the_ground[0].key not in ground.among
    return of_the_ground[0] if taken is None or came_since else taken


def has_baseline(draft: Draft, known: Known) -> bool:
    """Whether anything can be read on day 0: the kind of trial has units then, and not all that is asked is a day."""
    asked = () if draft.measure is None else draft.measure.asked
    return COMPARED[draft.compared].baseline and any(known.measures[key].kind != "day" for key in asked)


def rounds_of(draft: Draft, known: Known) -> tuple[int, ...]:
    """Rounds as typed, else as proposed and moved to the days that suit; of places that take turns the last day of each
    period.

    Raises
    ------
    DraftError, DaysError
        Steps that are not right yet; days that can't be, saying what would fit.
    """
    measure, days = _right("measure", draft.measure), _right("days", draft.days)
    if draft.ground is not None and draft.turns:
        return turned_rounds(measure.decision_day, draft.ground.units_each, days.rounds)
    decision, baseline = measure.decision_day, has_baseline(draft, known)
    if days.rounds:
        return checked_rounds(days.rounds, decision, baseline)
    asked = [known.measures[key] for key in measure.asked]
    fixed = {0, decision} if baseline else {decision}
    rounds = [day for day in proposed_rounds(asked, decision, measure.typical) if day > 0 or baseline]
    return tuple(on_weekdays(rounds, measure.start_on, days.weekdays, fixed))


def doses_of(draft: Draft, cuts: tuple[Cut, ...], known: Known) -> Dosed:
    """Doses and days of all treatments over the cuts, moved to the days that suit.

    Raises
    ------
    DraftError, DoseProblem
        Steps that are not right yet; doses and days that can't be.
    """
    measure, treatments, days = _right("measure", draft.measure), _right("treatments", draft.treatments), draft.days
    course = Course(
        measure.decision_day, measure.start_on, known.recipes, known.ground_on,
        tuple(range(7)) if days is None else days.weekdays,
    )  # fmt: skip
    return dosed(treatments.wanted, cuts, course, treatments.even, known.units)


def plan_of(draft: Draft, known: Known) -> Plan:
    """The plan that a draft makes.

    Raises
    ------
    DraftError, DoseProblem, GroundError, DaysError, LotsError
        A step that is not right, or steps that do not fit together, saying what would.
    """
    claim, measure = _right("claim", draft.claim), _right("measure", draft.measure)
    treatments, ground = _right("treatments", draft.treatments), _right("ground", draft.ground)
    _right("chance", draft.chance)
    days, rules = _right("days", draft.days), _right("rules", draft.rules)
    cut = chosen(draft, ground, known)
    layout = Layout(site_of(draft, ground), guard_of(draft, ground, known), cut.dealing, cut.cuts)
    check_crops(rules.crops, layout, cut.units_each)
    check_batches(treatments.batches, layout, cut.units_each)
    rounds, doses = rounds_of(draft, known), doses_of(draft, cut.cuts, known)
    grid = grid_of(draft, rounds, doses, known)
    plan = Plan(
        name=claim.name,
        claim=claim.claim,
        note=claim.note,
        measures=planned_measures(measure, known, grid, rounds),
        worth=Worth.from_typed(measure.worth, measure.scale).size,
        scale=measure.scale,
        lower_is_better=measure.lower_is_better,
        summary=measure.summary,
        start_on=measure.start_on,
        rhythm=Rhythm(measure.decision_day, rounds, tuple(sorted({pour.day for pour in doses.pours}))),
        treatments=doses.treatments,
        control=control_index([treatment.role for treatment in doses.treatments], draft.against),
        layout=layout,
        no_worse=measure.aim == "no worse",
        ranked=measure.aim == "rank",
        compared=claim.compared,
        blind=treatments.blind,
        batches=treatments.batches,
        rules=Rules(
            seeds=rules.seeds,
            plants=rules.plants,
            thin_on=rules.thin_on,
            replace_until=rules.replace_until,
            repeats=rules.repeats,
            handling=rules.handling,
            crops=rules.crops,
            level=measure.level if measure.summary == "time_to" else None,
        ),
        hours=hours_of(draft, rounds, grid, doses, known),
        pours=doses.pours,
    )
    if any(known.measures[measure.key].destructive for measure in plan.measures):
        plan = replace(plan, rules=replace(plan.rules, pulls=checked_pulls(days.pulls, rounds, rules.plants)))
    return plan


def grid_of(draft: Draft, rounds: Sequence[int], doses: Dosed, known: Known) -> Grid:
    """Which measure is asked in which round.

    Raises
    ------
    DraftError, DaysError
        Steps that are not right yet; a measure that no round asks.
    """
    measure, days = _right("measure", draft.measure), _right("days", draft.days)
    asked = [known.measures[key] for key in measure.asked]
    pulls = days.pulls or (measure.decision_day,)
    poured = sorted({pour.day for pour in doses.pours})
    return asked_rounds(asked, rounds, pulls, poured, days.offered, days.ticked)


def hours_of(draft: Draft, rounds: Sequence[int], grid: Grid, doses: Dosed, known: Known) -> Mapping[int, RoundTime]:
    """The hours of rounds as typed, else as the measures need them. Raises DaysError."""
    if typed := _right("days", draft.days).hours_text(rounds):
        return hours_typed(typed, rounds)
    return needed_hours(draft, grid, doses, known)


def needed_hours(draft: Draft, grid: Grid, doses: Dosed, known: Known) -> Mapping[int, RoundTime]:
    """The hours of rounds as the measures need them."""
    measure, poured = _right("measure", draft.measure), {pour.day for pour in doses.pours}
    return usual_hours([known.measures[key] for key in measure.asked], grid, poured)


def planned_measures(
    measure: MeasurePart, known: Known, grid: Grid | None = None, rounds: Sequence[int] = ()
) -> tuple[PlannedMeasure, ...]:
    """What is asked in the trial, the first measure as often as was wished, each in its rounds of the `grid`."""
    planned = []
    for place, key in enumerate(measure.asked):
        asked = known.measures[key]
        days = None if grid is None or asked.destructive or len(grid[key]) == len(rounds) else grid[key]
        sown = measure.sown if asked.kind == "proportion" else None
        planned.append(PlannedMeasure(key, measure.per_unit if place == 0 else 1, sown, days))
    return tuple(planned)


def _right(step: StepName, part: Part | None) -> Part:
    if part is None:
        raise DraftError(step, "Fill in what’s marked below.")
    return part
