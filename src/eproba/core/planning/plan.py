"""A plan as typed and checked, and its way to dealt units and planned days."""

from dataclasses import dataclass
from datetime import date

from eproba.core.judging.series import Scale
from eproba.core.judging.summaries import Summary
from eproba.core.planning.days import Rhythm
from eproba.core.planning.ground import Ground, code, places
from eproba.core.planning.lots import Dealing, deal
from eproba.core.planning.trial import Role, Unit

LETTERS = "ABCDEFGH"


@dataclass(frozen=True)
class PlannedTreatment:
    """One treatment before it has an id."""

    name: str
    role: Role
    how: str
    amount: float | None
    amount_unit: str


@dataclass(frozen=True)
class PlannedMeasure:
    """A measure's key, readings per unit, seeds sown."""

    key: str
    per_unit: int
    sown: int | None


@dataclass(frozen=True)
class Plan:
    """Everything that a trial needs before the lots fall. `control` indexes the treatments."""

    name: str
    claim: str
    note: str
    measures: tuple[PlannedMeasure, ...]
    worth: float | None
    scale: Scale
    lower_is_better: bool
    summary: Summary
    start_on: date
    rhythm: Rhythm
    treatments: tuple[PlannedTreatment, ...]
    control: int
    dealing: Dealing
    units_each: int
    ground: Ground

    @property
    def letters(self) -> str:
        return LETTERS[: len(self.treatments)]

    @property
    def block_size(self) -> int:
        return 1 if self.dealing == "completely random" else len(self.treatments)


def dealt_units(plan: Plan, seed: str) -> list[Unit]:
    """Deal the lots over the ground (ids are given by the store)."""
    letters = deal(plan.dealing, plan.letters, plan.units_each, seed)
    laid = places(plan.ground, len(letters), plan.block_size)
    in_blocks = plan.dealing != "completely random"
    return [
        Unit(
            id=0,
            code=code(plan.ground.kind, i),
            letter=letter,
            block=str(i // plan.block_size + 1) if in_blocks else None,
            row=place.row,
            column=place.column,
            walk=place.walk,
            x_cm=place.x_cm,
            y_cm=place.y_cm,
            lost_on=None,
            lost_reason="",
        )
        for i, (letter, place) in enumerate(zip(letters, laid, strict=True))
    ]


def control_index(treatments: tuple[PlannedTreatment, ...]) -> int:
    """The control that the others are judged against: water first, then untreated, then what there is."""
    order: tuple[Role, ...] = ("water control", "untreated", "reference", "ingredient control", "killed brew")
    for role in order:
        for i, treatment in enumerate(treatments):
            if treatment.role == role:
                return i
    return 0
