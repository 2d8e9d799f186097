"""The whole plan before the lots fall, and the dealing."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from eproba.core.errors import EprobaError
from eproba.core.measuring.measures import Measure
from eproba.core.planning.advice import Advice, merged
from eproba.core.planning.draft import advised_guard, chosen, plan_of
from eproba.core.planning.plan import LETTERS, Plan, dealt_units
from eproba.core.trial.doses import given_words
from eproba.core.trial.ground import borders
from eproba.core.trial.worth import worth_unit
from eproba.core.words import lower_first
from eproba.web.new_trial.steps.chance import planned_chance
from eproba.web.new_trial.steps.claim import asked
from eproba.web.new_trial.steps.ground import cut_advice
from eproba.web.new_trial.steps.step import Walk
from eproba.web.pictures.ground_plan import GroundPlan, ground_plan
from eproba.web.ui.looks import Look, looks
from eproba.web.ui.units import sentence, units

if TYPE_CHECKING:  # the statistics are heavy: fetched only where they are needed
    from eproba.core.planning.outlook import Help


@dataclass(frozen=True)
class DealPage:
    """The plan in words and as a picture; `doses` by letter; `neighbours`: borders that a drench may cross; `room`:
    units of each that the ground holds, where the help is more."""

    plan: Plan
    sentence: str
    measures: Mapping[str, Measure]
    worth_unit: str
    looks: Mapping[str, Look]
    ground: GroundPlan
    doses: Mapping[str, str]
    neighbours: int
    chance: str
    help: "Help | None"
    room: int | None
    advice: tuple[Advice, ...]


def deal_page(walk: Walk) -> DealPage:
    """Everything before the lots fall.

    Raises
    ------
    EprobaError
        Steps that do not fit together; the message says what would, its `step` where.
    """
    plan = plan_of(walk.draft, walk.known)
    preview = dealt_units(plan, "only a preview")
    chance, help_ = _chance(walk)
    advice = [line for step in walk.steps.values() for line in step.advice(walk)] + _of_the_cut(walk)
    return DealPage(
        plan=plan,
        sentence=_sentence(walk),
        measures=walk.known.measures,
        worth_unit=worth_unit(walk.known.measures[plan.measures[0].key].judged_unit, plan.summary),
        looks=looks([(letter, t.name, t.role) for letter, t in zip(plan.letters, plan.treatments, strict=True)]),
        ground=ground_plan(plan.layout.site, [(unit.cut, None) for unit in preview], {}, household=units()),
        doses={letter: _dose(plan, letter) for letter in plan.letters},
        neighbours=0 if walk.draft.turns else borders([(c, "") for c in plan.layout.cuts], "", plan.layout.guard_cm)[1],
        chance=chance,
        help=help_,
        room=_room(walk, None if help_ is None else help_.units),
        advice=tuple(merged(advice)),
    )


def _chance(walk: Walk) -> "tuple[str, Help | None]":
    """How often this plan shows what is wanted, and the cheapest way to more; or why nobody can say."""
    from eproba.core.planning.outlook import reach_of

    measure = walk.draft.measure
    if measure is None:
        return "", None
    try:
        reach = reach_of(*planned_chance(walk))
    except EprobaError as error:
        return f"Nobody can say how often this plan would show it: {lower_first(sentence(error))}", None
    if reach is None:
        return "With one unit of each this plan shows nothing: two places always differ a little.", None
    return reach.words(worth_unit(walk.known.measures[measure.measure].judged_unit, measure.summary)), reach.help


def _room(walk: Walk, wanted: int | None) -> int | None:
    """The units of each that the ground as it is drawn holds; None where it holds all that are wanted."""
    ground = walk.draft.ground
    if wanted is None or ground is None:
        return None
    holds = chosen(walk.draft, replace(ground, units_each=wanted), walk.known).units_each
    return holds if holds < wanted else None


def _sentence(walk: Walk) -> str:
    asking = asked(walk)
    return "" if asking is None else asking.sentence


def _of_the_cut(walk: Walk) -> list[Advice]:
    """On the ground’s own page it stands beside the cuts."""
    ground = walk.draft.ground
    if ground is None:
        return []
    return cut_advice(walk, chosen(walk.draft, ground, walk.known), ground, advised_guard(walk.draft, walk.known))


def _dose(plan: Plan, letter: str) -> str:
    days = [pour.day for pour in plan.applications if pour.letter == letter and pour.what == "dose"]
    return given_words(plan.treatments[LETTERS.index(letter)], days, units())
