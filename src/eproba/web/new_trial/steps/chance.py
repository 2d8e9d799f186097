"""The chance of a clear answer, as a picture and a range, and what would help most."""

import copy
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import date
from itertools import pairwise
from statistics import median
from typing import TYPE_CHECKING, Any

from eproba.core.errors import EprobaError
from eproba.core.planning.advice import lots_words
from eproba.core.planning.draft import (
    ChancePart,
    DraftError,
    MeasurePart,
    StepName,
    chosen,
    has_baseline,
    planned_measures,
    rounds_of,
)
from eproba.core.planning.plan import PlannedMeasure
from eproba.core.trial.days import DaysError, seconds_of_round, units_in
from eproba.core.trial.lots import Dealing
from eproba.core.trial.model import Trial
from eproba.core.trial.worth import as_kept, worth_unit
from eproba.core.words import parse_number
from eproba.web.new_trial.following import follow
from eproba.web.new_trial.steps.step import Answers, Bench, PlannerStep, Typed, Walk, first_of
from eproba.web.ui.fields import NumberField
from eproba.web.ui.form import OurForm
from eproba.web.ui.units import sentence

if TYPE_CHECKING:  # the statistics are heavy: fetched only where they are needed
    from eproba.core.planning.outlook import Help, Noise, Outlook
    from eproba.core.planning.prospect import Prospect
    from eproba.web.pictures.hundred import Hundred

TAKEN: tuple[tuple[str, StepName, str], ...] = (("units", "ground", "units_each"), ("worth", "measure", "worth"))


class ChanceForm(OurForm):
    noise = NumberField("Noise from unit to unit", 0.0001, optional=True)
    minutes = NumberField("Minutes that you have for a round", 1, 600)


@dataclass(frozen=True)
class Time:
    """What reading takes: minutes a round and in all, and how many of each can be read in the minutes there are."""

    round: float
    all: float
    most_units: int
    minutes: float


@dataclass(frozen=True)
class ChancePage:
    """The outlook of the plan, or of what was moved on the page; `problem`: why there is none; `lots`: what shuffling
    can say at best."""

    problem: str = ""
    seen: "Outlook | None" = None
    unit: str = ""
    pictures: "tuple[Hundred, ...]" = ()
    time: Time | None = None
    lots: str = ""


class ChanceStep(PlannerStep[ChanceForm, ChancePart]):
    name = "chance"
    title = "Chance"
    form = ChanceForm

    def first(self, today: date) -> Typed:
        return {"noise": [""], "minutes": ["20"]}

    def again(self, trial: Trial, today: date) -> Typed:
        return {}

    def read(self, form: ChanceForm) -> ChancePart:
        return ChancePart(form.noise.number, form.minutes.number or 20.0)

    def settled(self, part: ChancePart, bench: Bench) -> str:
        return f"{part.minutes:g} min a round"

    def act(self, walk: Walk, before: Typed, go: str) -> StepName | None:
        """Units, worth and noise as set here become the plan's; a help does the same with what would help."""
        if go.startswith("help-"):
            return _helped(walk.answers, go.removeprefix("help-"), walk.bench)
        if go == "take" or (go == "next" and _moved(walk)):
            return _take(walk.answers, {key: first_of(walk.answers["chance"], key) for key, _, _ in TAKEN})
        if go.startswith("take-"):  # a place in the table
            return _take(walk.answers, dict(zip(("units", "worth"), go.split("-")[1:], strict=False)))
        return None

    def page(self, walk: Walk, moved: Mapping[str, str] | None = None) -> ChancePage:
        from eproba.core.planning.outlook import outlook
        from eproba.web.pictures.hundred import hundred

        measure, ground = walk.draft.measure, walk.draft.ground
        if measure is None or ground is None:
            return ChancePage("Measure and ground must be right first: look at those steps.")
        unit = worth_unit(walk.known.measures[measure.measure].judged_unit, measure.summary)
        try:
            prospect, noise, help_with = planned_chance(walk, moved)
            seen = outlook(prospect, noise, help_with)
        except EprobaError as error:
            return ChancePage(sentence(error))
        chance = walk.draft.chance or UNTYPED
        pictures = tuple(hundred(seen.chances.shares[truth], truth, prospect) for truth in seen.chances.shares)
        dealing: Dealing = "on and off" if prospect.turns else "blocks" if prospect.blocks else "completely random"
        best = seen.chances.best_p
        lots = "" if best is None else lots_words(dealing, prospect.units, best)
        return ChancePage("", seen, unit, pictures, _time(walk, measure, chance, prospect.units), lots)


UNTYPED = ChancePart(None, 20.0)


def planned_chance(walk: Walk, moved: Mapping[str, str] | None = None) -> "tuple[Prospect, Noise, tuple[Help, ...]]":
    """The plan as far as its chances go (or what was `moved` on the page), its noise, and what would help.

    Raises
    ------
    EprobaError
        Steps that are not right yet, or a noise that nobody knows.
    """
    from eproba.core.planning.outlook import Noise, helps, prospect_of

    draft, known = walk.draft, walk.known
    measure, ground = draft.measure, draft.ground
    if measure is None or ground is None:
        raise DraftError("measure", "Measure and ground must be right first.")
    cut, noise = chosen(draft, ground, known), noise_for(walk, measure, draft.chance or UNTYPED)
    wanted = _wanted(measure, moved or {})
    if "noise" in wanted:
        noise = Noise(wanted["noise"], "as set here", wanted["noise"], wanted["noise"])
    prospect = prospect_of(
        measure, draft.rows, cut, noise.value, draft.crossed, draft.laddered, known.measures[measure.measure]
    )
    if prospect.square and wanted.get("units", prospect.units) != prospect.units:
        wanted = {"blocks": True} | wanted | {"square": False}
    prospect = replace(prospect, **wanted)
    baseline = has_baseline(draft, known) or not known.measures[measure.measure].has_start
    return prospect, noise, helps(prospect, measure, dict(known.measures), baseline)


def noise_for(walk: Walk, measure: MeasurePart, chance: ChancePart) -> "Noise":
    """Typed, else from the catalogue and the gardener's own trials."""
    from eproba.core.planning.outlook import noise_of

    typed = None if chance.noise is None else as_kept(chance.noise, measure.scale)
    first = walk.known.measures[measure.measure]
    own = walk.bench.own_noise(first, measure.scale)
    return noise_of(
        first, measure.scale, typed, own, measure.summary, measure.decision_day, measure.typical, measure.per_unit,
        measure.sown, _days_apart(walk) if first.kind == "day" else 0.0,
    )  # fmt: skip


def _days_apart(walk: Walk) -> float:
    """The usual days between two rounds, as far as they are planned."""
    try:
        rounds = rounds_of(walk.draft, walk.known)
    except EprobaError:
        return 0.0
    return float(median(later - earlier for earlier, later in pairwise(rounds))) if len(rounds) > 1 else 0.0


def _wanted(measure: MeasurePart, typed: Mapping[str, str]) -> dict[str, Any]:
    """Units, noise, worth and blocks as moved on the page; empty ones stay as planned."""
    wanted: dict[str, Any] = {}
    for key in ("units", "noise", "worth"):
        if text := typed.get(key, "").strip():
            number = parse_number(text)
            wanted[key] = int(number) if key == "units" else as_kept(number, measure.scale)
    if typed.get("blocks") in ("yes", "no"):
        wanted["blocks"] = typed["blocks"] == "yes"
    return wanted


def _moved(walk: Walk) -> bool:
    """Whether units or worth stand elsewhere on the chance page than in the plan."""
    measure, ground, typed = walk.draft.measure, walk.draft.ground, walk.answers["chance"]
    if measure is None or ground is None:
        return False
    try:
        plan = {"units": chosen(walk.draft, ground, walk.known).units_each, "worth": measure.worth}
        seen = {key: parse_number(first_of(typed, key)) for key in plan if first_of(typed, key)}
    except EprobaError:
        return False
    return any(value is not None and abs(value - seen[key]) > 1e-9 for key, value in plan.items() if key in seen)


def _take(answers: Answers, wanted: Mapping[str, str]) -> StepName:
    """So many units of each, and such a worth."""
    for key, step, field in TAKEN:
        if wanted.get(key):
            answers[step][field] = [wanted[key]]
    answers["ground"]["proposal"] = [""]
    return "ground"


def _helped(answers: Answers, key: str, bench: Bench) -> StepName | None:
    """Do what would help: more units or readings, another measure; a treatment less is chosen by the gardener."""
    kind, _, value = key.partition("-")
    if kind == "units" and value.isdigit():
        answers["ground"] |= {"units_each": [value], "proposal": [""], "auto": ["1"] if _as_needed(answers) else [""]}
        return "ground"
    if kind == "readings" and value.isdigit():
        answers["measure"]["per_unit"] = [value]
        return "chance"
    if kind == "measure" and value in bench.known.measures:
        before = copy.deepcopy(answers)
        answers["measure"]["measure"] = [value]
        follow(before, answers, bench.known)
        return "measure"
    return "treatments" if kind == "treatments" else "days" if kind == "baseline" else None


def _as_needed(answers: Answers) -> bool:
    return first_of(answers["ground"], "auto") == "1"


def _time(walk: Walk, measure: MeasurePart, chance: ChancePart, units: int) -> Time:
    planned: tuple[PlannedMeasure, ...] = planned_measures(measure, walk.known)
    asked = [(walk.known.measures[planned_measure.key], planned_measure.per_unit) for planned_measure in planned]
    total, rounds = walk.draft.rows * (1 if walk.draft.turns else units), _rounds(walk)
    every = seconds_of_round(asked, total, pull=False) / 60
    last = seconds_of_round(asked, total, pull=True) / 60
    return Time(every, every * (rounds - 1) + last, units_in(chance.minutes, asked, walk.draft.rows), chance.minutes)


def _rounds(walk: Walk) -> int:
    """How many rounds the days step plans; two (baseline and decision) while it is not right."""
    days = walk.draft.days
    try:
        return 2 if days is None else len(rounds_of(walk.draft, walk.known))
    except DaysError:
        return 2
