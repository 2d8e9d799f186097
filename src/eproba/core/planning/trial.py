"""A trial as the rest of the core sees it: plan and records, frozen."""

from dataclasses import dataclass
from datetime import date, timedelta
from typing import Literal

from eproba.core.judging.series import Scale
from eproba.core.judging.summaries import Summary
from eproba.core.measuring.measures import Measure
from eproba.core.planning.ground import Ground
from eproba.core.planning.lots import Dealing

Role = Literal["test", "water control", "untreated", "ingredient control", "killed brew", "reference"]
Stage = Literal["planned", "running", "finished", "ended early"]
ROLES: dict[Role, str] = {
    "test": "What is being tested.",
    "water control": "Plain water, same volume, same days: is it more than the water?",
    "untreated": "Nothing but the same handling: does any of it do anything?",
    "ingredient control": "The ingredient alone, as strong as in the brew: is it the sugar or the microbes?",
    "killed brew": "The brew, boiled and cooled: does it have to be alive?",
    "reference": "A known good thing: could this trial have seen a difference at all?",
}


def stage_of(
    start_on: date, decision_on: date, ended_on: date | None, started: bool, closed: bool, today: date
) -> Stage:
    """Where a trial stands. It is finished when the decision day is there and the last round is in."""
    if ended_on is not None:
        return "ended early"
    if today < start_on and not started:
        return "planned"
    return "finished" if today >= decision_on and closed else "running"


@dataclass(frozen=True)
class Treatment:
    """One treatment: its letter on the plan, name, role and how it is given; `amount` per unit, None: nothing."""

    id: int
    letter: str
    name: str
    role: Role
    how: str
    amount: float | None
    amount_unit: str


@dataclass(frozen=True)
class Unit:
    """One unit with its lot and its place."""

    id: int
    code: str
    letter: str
    block: str | None
    row: int
    column: int
    walk: int
    x_cm: float
    y_cm: float
    lost_on: date | None
    lost_reason: str


@dataclass(frozen=True)
class Asked:
    """A measure of the trial: readings per unit and round, seeds sown per unit for proportions."""

    measure: Measure
    per_unit: int
    sown: int | None


@dataclass(frozen=True)
class Round:
    """One round: its planned day, whether readings are in, its note."""

    id: int
    day: int
    done: bool
    note: str


@dataclass(frozen=True)
class Pour:
    """One application of one treatment: planned day, what became of it."""

    id: int
    letter: str
    day: int
    status: Literal["due", "poured", "skipped"]
    done_on: date | None
    amount: str
    note: str
    by: str


@dataclass(frozen=True)
class Reading:
    """One reading (or its reason for being skipped)."""

    id: int
    round_id: int
    unit_id: int
    measure_key: str
    replicate: int
    value: float | None
    skip_reason: str
    by: str
    version: int


@dataclass(frozen=True)
class Trial:
    """The whole plan; `asked[0]` is the first measure, which carries the verdict."""

    id: int
    name: str
    claim: str
    note: str
    asked: tuple[Asked, ...]
    worth: float | None
    scale: Scale
    lower_is_better: bool
    summary: Summary
    start_on: date
    decision_day: int
    dealing: Dealing
    seed: str
    deals: int
    ground: Ground
    control: str
    treatments: tuple[Treatment, ...]
    units: tuple[Unit, ...]
    rounds: tuple[Round, ...]
    pours: tuple[Pour, ...]
    ended_on: date | None
    ended_reason: str

    @property
    def decision_on(self) -> date:
        return self.start_on + timedelta(days=self.decision_day)

    @property
    def block_size(self) -> int:
        return 1 if self.dealing == "completely random" else len(self.treatments)

    @property
    def started(self) -> bool:
        """Whether anything is on record: from then on the lots stay as they are."""
        return any(r.done for r in self.rounds) or any(p.status != "due" for p in self.pours)

    def day_of(self, on: date) -> int:
        return (on - self.start_on).days

    def date_of(self, day: int) -> date:
        return self.start_on + timedelta(days=day)

    def stage(self, today: date) -> Stage:
        return stage_of(self.start_on, self.decision_on, self.ended_on, self.started, self.closed, today)

    @property
    def closed(self) -> bool:
        """The last round is in, or put down as missed."""
        return self.rounds[-1].done

    def sealed(self, today: date) -> bool:
        """Whether the envelope is shut: names hidden in charts, no verdict."""
        return self.stage(today) in ("planned", "running")

    def treatment(self, letter: str) -> Treatment:
        return next(each for each in self.treatments if each.letter == letter)

    def unit(self, unit_id: int) -> Unit:
        return next(each for each in self.units if each.id == unit_id)

    def asked_in(self, round_: Round) -> tuple[Asked, ...]:
        """The measures of a round: what destroys the plant is measured in the last one only."""
        last = round_.day == self.rounds[-1].day
        return tuple(each for each in self.asked if last or not each.measure.destructive)

    def living(self, on: date) -> tuple[Unit, ...]:
        """Units not lost by that day, in walking order."""
        kept = (unit for unit in self.units if unit.lost_on is None or unit.lost_on > on)
        return tuple(sorted(kept, key=lambda unit: unit.walk))
