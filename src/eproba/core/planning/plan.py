"""A plan as typed and checked, and its way to dealt units and planned days."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date

from eproba.core.planning.cutter import Wish, proposals
from eproba.core.stats.series import Scale
from eproba.core.stats.summaries import Summary
from eproba.core.trial.days import Rhythm
from eproba.core.trial.ground import Cut, PlaceKind, Site, row_of
from eproba.core.trial.lots import Dealing, LotsError, deal, in_blocks
from eproba.core.trial.model import Compared, Per, PlannedTreatment, PourWhat, Role, RoundTime, Rules, Unit, is_crossed

LETTERS = "ABCDEFGH"


@dataclass(frozen=True)
class PlannedPour:
    """One application to come, as in `Pour`."""

    letter: str
    day: int
    what: PourWhat = "dose"
    planned: float | None = None
    per: Per | None = None


@dataclass(frozen=True)
class PlannedMeasure:
    """A measure's key, readings per unit, seeds sown, the rounds that ask it (None: all)."""

    key: str
    per_unit: int
    sown: int | None
    days: tuple[int, ...] | None = None


@dataclass(frozen=True)
class Layout:
    """The ground cut for a trial: the design, and the cuts in dealing order (block by block, or row by row)."""

    site: Site
    guard_cm: float
    dealing: Dealing
    cuts: tuple[Cut, ...]


@dataclass(frozen=True)
class Plan:
    """Everything that a trial needs before the lots fall. `control` indexes the treatments; `hours` of rounds by day;
    `pours` None: all that get something get it on the rhythm's days."""

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
    layout: Layout
    no_worse: bool = False
    ranked: bool = False
    compared: Compared = "drench"
    blind: bool = False
    batches: int = 1
    rules: Rules = field(default_factory=Rules)
    hours: Mapping[int, RoundTime] = field(default_factory=dict, hash=False)
    pours: tuple[PlannedPour, ...] | None = None

    @property
    def letters(self) -> str:
        return LETTERS[: len(self.treatments)]

    @property
    def crossed(self) -> bool:
        """Two things at once."""
        return is_crossed(self.treatments)

    @property
    def units_each(self) -> int:
        return len(self.layout.cuts) // len(self.treatments)

    @property
    def applications(self) -> tuple[PlannedPour, ...]:
        """Every application to come."""
        if self.pours is not None:
            return self.pours
        given = [
            letter
            for letter, treatment in zip(self.letters, self.treatments, strict=True)
            if treatment.amount is not None
        ]
        return tuple(PlannedPour(letter, day) for letter in given for day in self.rhythm.pours)


def dealt_units(plan: Plan, seed: str) -> list[Unit]:
    """Deal the lots over the ground (ids are given by the store)."""
    letters = deal(plan.layout.dealing, plan.letters, plan.units_each, seed)
    return [Unit(0, letter, cut) for letter, cut in zip(letters, plan.layout.cuts, strict=True)]


def simple_layout(
    kind: PlaceKind, unit_cm: tuple[float, float], guard_cm: float, per_row: int, dealing: Dealing, treatments: int,
    units_each: int,
) -> Layout:  # fmt: skip
    """One place just large enough for so many equal units in rows."""
    rows = -(-treatments * units_each // per_row)
    place = row_of(kind, *unit_cm, guard_cm, rows, per_row)
    wish = Wish(treatments, units_each, guard_cm, *unit_cm, dealing=dealing)
    proposal_ = next(proposal for proposal in proposals(Site((place,)), wish) if proposal.units_each == units_each)
    return Layout(Site((place,)), guard_cm, dealing, proposal_.cuts)


def check_crops(crops: Sequence[str], layout: Layout, blocks: int) -> None:
    """Several crops are blocks, never replicates.

    Raises
    ------
    LotsError
        Crops without blocks, or more crops than blocks.
    """
    if len(crops) < 2:
        return
    if not in_blocks(layout.dealing):
        raise LotsError(
            f"{len(crops)} crops need blocks, one crop to a block: choose blocks or pairs, or one crop.", step="rules"
        )
    if blocks % len(crops):
        text = f"{blocks} blocks can't be shared out alike among {len(crops)} crops"
        raise LotsError(
            f"{text}: take {len(crops) * max(1, blocks // len(crops))} blocks, or other crops.", step="rules"
        )


def check_batches(batches: int, layout: Layout, blocks: int) -> None:
    """Several batches or bags are a level of their own: each goes to whole blocks.

    Raises
    ------
    LotsError
        Batches without blocks, or more batches than blocks.
    """
    if batches < 2:
        return
    if not in_blocks(layout.dealing):
        raise LotsError(
            f"{batches} batches need blocks, so that each meets its own control: choose blocks or pairs.",
            step="treatments",
        )
    if batches > blocks:
        raise LotsError(
            f"{batches} batches for {blocks} blocks: take at most {blocks} batches, one for each block.",
            step="treatments",
        )


def control_index(roles: Sequence[Role], against: str = "") -> int:
    """The control that the others are judged against: that `against` which the trial is, then water, then untreated,
    then what there is."""
    order = (against, "water control", "untreated", "reference", "ingredient control", "killed brew")
    return next((i for role in order for i, given in enumerate(roles) if given == role != "test"), 0)
