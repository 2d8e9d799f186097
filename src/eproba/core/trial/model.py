"""A trial as the rest of the core sees it: plan and records, frozen."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from functools import cached_property
from typing import Any, Literal

from eproba.core.measuring.measures import Measure
from eproba.core.stats.series import Scale
from eproba.core.stats.summaries import Summary
from eproba.core.trial.days import is_asked, period_of_pour, pulled
from eproba.core.trial.ground import Cut, Site, UnitKind, UnitNoun, unit_noun
from eproba.core.trial.lots import Dealing, in_blocks
from eproba.core.trial.stage import Stage, is_sealed, opened_on, stage_of
from eproba.core.trial.worth import Worth, kept_worth, worth_unit

Role = Literal["test", "water control", "untreated", "ingredient control", "killed brew", "reference"]
PourStatus = Literal["due", "poured", "skipped"]
Sharing = Literal["shared", "fresh", "parallel"]
Per = Literal["unit", "m2"]
Compared = Literal["drench", "dry", "mulch", "media", "way"]
PourWhat = Literal["dose", "water"]
Carried = Literal["", "lasted", "again"]
CROSSED = ("", "1", "2", "12")  # two things at once: the control, the first, the second, both
ROLES: dict[Role, str] = {
    "test": "What is being tested.",
    "water control": "Plain water, same volume, same days: is it more than the water?",
    "untreated": "Nothing but the same handling: does any of it do anything?",
    "ingredient control": "The ingredient alone, as strong as in the brew: is it the sugar or the microbes?",
    "killed brew": "The brew, boiled and cooled: does it have to be alive?",
    "reference": "A known good thing: could this trial have seen a difference at all?",
}


@dataclass(frozen=True)
class PlannedTreatment:
    """What a treatment is, planned or dealt: name, role, how it is given; `amount` for each unit, or (`per`) for each
    square metre of its ground; None: nothing.

    `rung` is its score on a ladder of strengths (the control's is 0); None where it is on none. `recipe` is the key of
    what is brewed (empty: none of the recipes), `water_parts` its N of 1 + N where that is not the recipe's own;
    `times`: how many times as strong as the recipe it is stirred; `label`: price and claims of what was bought;
    `things`: of two things at once, which it gets; `sharing`: one brew shared while it keeps, a fresh one for each
    pour, or two in parallel, dealt to the blocks; `each_watering`: it is given at every watering, in place of plain
    water.
    """

    name: str
    role: Role
    how: str = ""
    amount: float | None = None
    amount_unit: str = ""
    rung: float | None = None
    recipe: str = ""
    water_parts: float | None = None
    sharing: Sharing = "shared"
    per: Per = "unit"
    label: str = ""
    times: float = 1.0
    things: str = ""
    each_watering: bool = False


@dataclass(frozen=True)
class Treatment(PlannedTreatment):
    """A treatment of a trial, with its letter on the plan."""

    id: int = 0
    letter: str = ""


def is_laddered(treatments: Sequence[PlannedTreatment]) -> bool:
    """The control and two rungs or more of one strength."""
    return sum(treatment.rung is not None for treatment in treatments) > 2


def is_crossed(treatments: Sequence[PlannedTreatment]) -> bool:
    """Whether they are two things at once: each alone, both, and a control."""
    return len(treatments) == len(CROSSED) and {treatment.things for treatment in treatments} == set(CROSSED)


@dataclass(frozen=True)
class Unit:
    """One unit with its lot and its ground."""

    id: int
    letter: str
    cut: Cut
    lost_on: date | None = None
    lost_reason: str = ""

    @property
    def code(self) -> str:
        return self.cut.code

    @property
    def block(self) -> str | None:
        return self.cut.block

    @property
    def walk(self) -> int:
        return self.cut.walk


@dataclass(frozen=True)
class Rules:
    """What is settled before sowing, so that nobody decides it by looking.

    `seeds` a unit, thinned to `plants` by day `thin_on`; what fails is replaced up to day `replace_until` (None:
    never). `handling` is done to all units alike. `crops` share the blocks out in turn. `pulls`: days on which a plant
    of each unit is pulled, by lot (empty: the decision day). `repeats`: the share of units that each round asks again.
    `level`: what is to be reached, where the day of reaching it counts. `carried`: the units and lots are those of an
    earlier trial, named `after` by its key: to see whether what it showed lasted, or to give the same again.
    """

    seeds: int | None = None
    plants: int = 1
    thin_on: int | None = None
    replace_until: int | None = None
    handling: str = ""
    crops: tuple[str, ...] = ()
    pulls: tuple[int, ...] = ()
    repeats: float = 0.0
    level: float | None = None
    carried: Carried = ""
    after: str = ""


@dataclass(frozen=True)
class SpareRun:
    """A spare plant that got a treatment before the trial: recorded, not judged."""

    letter: str
    on: date
    came_through: bool
    note: str
    by: str


@dataclass(frozen=True)
class Amendment:
    """A change to a declared plan, with its reason."""

    on: date
    what: str
    old: str
    new: str
    reason: str
    by: str


@dataclass(frozen=True)
class Declared:
    """The plan as it was declared: when, its facts, and their fingerprint."""

    at: datetime
    facts: Mapping[str, Any] = field(hash=False)
    fingerprint: str


@dataclass(frozen=True)
class EarlyLook:
    """The envelope opened before the decision day: when, by whom and why, judged on what was read by that day."""

    id: int
    day: int
    at: datetime
    by: str
    reason: str


@dataclass(frozen=True)
class Asked:
    """A measure of the trial: readings per unit and round, seeds sown per unit for proportions, the planned days of the
    rounds that ask it (None: all)."""

    measure: Measure
    per_unit: int
    sown: int | None
    days: tuple[int, ...] | None = None


@dataclass(frozen=True)
class RoundTime:
    """When on its day a round is read: `at` a clock's hour (“18:30”) or “dusk”, or `after_hours` after a pour; `within`
    so many hours around it."""

    at: str = ""
    after_hours: int | None = None
    within: float | None = None


@dataclass(frozen=True)
class Round:
    """One round: its planned day, its note, and whether it is closed (`done`), missed, or neither: open.

    `key` names it wherever numbers of the database can't (on a phone); `pull`: what destroys is read on its day;
    `time`: its hour (None: any).
    """

    id: int
    day: int
    done: bool
    note: str
    key: str = ""
    missed: bool = False
    closed_at: datetime | None = None
    pull: bool = False
    time: RoundTime | None = None


@dataclass(frozen=True)
class Pour:
    """One application of one treatment: planned day, what became of it.

    `what`: its own dose, or plain water that makes up for what others get; `planned`: how much, where that is not the
    treatment's amount (litres, where it is water), and `per` what, where that is not the treatment's. `amount_each`
    really given to each unit, in the treatment's unit; `unit_amounts` by code where some got another amount; `batch`
    the brew, `other_batch` that of every second block where two are brewed in parallel; `override` why it was poured
    against its signs, `otherwise` what went into it otherwise than its recipe says; `alike`: every unit got the same
    handling; `can`: "own", "first" (the control before the brew, from the same can) or "after". `entered_at`: when it
    came on record, `done_at` its own day and hour (None: in a garden that did not keep them).
    """

    id: int
    letter: str
    day: int
    status: PourStatus
    done_on: date | None
    amount: str
    note: str
    by: str
    amount_each: float | None = None
    unit_amounts: Mapping[str, float] = field(default_factory=dict, hash=False)
    batch: int | None = None
    override: str = ""
    soil_c: float | None = None
    moisture: str = ""
    alike: bool | None = None
    can: str = ""
    entered_at: datetime | None = None
    done_at: datetime | None = None
    other_batch: int | None = None
    otherwise: str = ""
    what: PourWhat = "dose"
    planned: float | None = None
    per: Per | None = None


@dataclass(frozen=True, slots=True)
class Reading:
    """One reading (or its reason for being skipped; neither: taken back).

    `read_at`: its own day and hour, in the gardener's time (None: as planned); `came_at`: when it came on record;
    `typed`: as it was typed; `sure`: he was asked and said yes; `source`: till, form or file (empty: not kept then);
    `saw`: in a blind trial, whether the device that it was read with shows who got what; `meter`: what gave it.
    """

    id: int
    round_id: int
    unit_id: int
    measure_key: str
    replicate: int
    value: float | None
    skip_reason: str
    by: str
    version: int
    read_at: datetime | None = None
    came_at: datetime | None = None
    typed: str = ""
    sure: bool = False
    source: str = ""
    saw: bool = False
    meter: str = ""

    def __hash__(self) -> int:
        """Quick, since what was judged is looked up by hundreds of readings."""
        return hash((self.id, self.version))

    @property
    def blank(self) -> bool:
        """Taken back: nothing stands here, only its history."""
        return self.value is None and not self.skip_reason


@dataclass(frozen=True)
class Trial:
    """The whole plan; `asked[0]` is the first measure, which carries the verdict.

    `key` names it wherever numbers of the database can't; `started_on` is the day of its first record, `closed_at` when
    its last round was closed; `compared`: what kind of thing is compared, `ranked`: the question is who is ahead of
    whom; `made_at`, `made_by`: when it was laid down, and who did (None: not kept then);
    `changed_files`: what of the file that it was taken in from had been changed after it was written; `garden`: which
    one it stands in, where a household looks after several.
    """

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
    algorithm: str
    dealt_at: datetime
    deals: int
    site: Site
    guard_cm: float
    control: str
    treatments: tuple[Treatment, ...]
    units: tuple[Unit, ...]
    rounds: tuple[Round, ...]
    pours: tuple[Pour, ...]
    ended_on: date | None = None
    ended_reason: str = ""
    no_worse: bool = False
    ranked: bool = False
    compared: Compared = "drench"
    blind: bool = False
    batches: int = 1
    rules: Rules = field(default_factory=Rules)
    declared: Declared | None = None
    amendments: tuple[Amendment, ...] = ()
    spare_runs: tuple[SpareRun, ...] = ()
    looks: tuple[EarlyLook, ...] = ()
    key: str = ""
    started_on: date | None = None
    closed_at: datetime | None = None
    made_at: datetime | None = None
    made_by: str = ""
    changed_files: tuple[str, ...] = ()
    garden: str = ""

    def __hash__(self) -> int:
        """Quick, since what was judged is looked up by the whole trial."""
        return hash((self.id, self.key, self.closed_at, self.ended_on))

    @property
    def decision_on(self) -> date:
        return self.start_on + timedelta(days=self.decision_day)

    @property
    def kind(self) -> UnitKind:
        """What its units are; of several kinds the first."""
        return self.units[0].cut.kind

    @property
    def noun(self) -> UnitNoun:
        """What its units are called."""
        return unit_noun([unit.cut.kind for unit in self.units])

    @property
    def in_blocks(self) -> bool:
        return in_blocks(self.dealing)

    @property
    def worth_kept(self) -> float | None:
        """The worth as it is on record: a difference in the unit of the record, a share on the ratio scale."""
        return kept_worth(self.worth, self.scale, self.summary, self.asked[0].measure)

    @property
    def summary_of_others(self) -> Summary:
        """What counts of the other measures: a level is only that of the first."""
        return "last" if self.summary == "time_to" else self.summary

    @property
    def worth_unit(self) -> str:
        """The unit that the worth is typed in, where it is no percent."""
        return worth_unit(self.asked[0].measure.judged_unit, self.summary)

    @property
    def wanted(self) -> Worth:
        """The worth or margin with its scale."""
        return Worth(self.worth, self.scale)

    @property
    def crossed(self) -> bool:
        """Two things at once: each alone, both, neither."""
        return is_crossed(self.treatments)

    @property
    def laddered(self) -> bool:
        """A ladder of strengths: the control and two rungs or more."""
        return is_laddered(self.treatments)

    @property
    def last_day(self) -> int:
        """The last day of which anything counts: the decision day, or that of an early end."""
        return self.decision_day if self.ended_on is None else self.day_of(self.ended_on)

    def fell_away(self, day: int) -> bool:
        """Whether what was planned for a day is not to be done any more, since the trial was ended before."""
        return self.ended_on is not None and day > self.last_day

    @property
    def turns(self) -> bool:
        """Two places take turns: each unit is one place in one period."""
        return self.dealing == "on and off"

    @property
    def periods(self) -> int:
        """How many periods it has; one where nothing takes turns."""
        return len(self.units) // 2 if self.turns else 1

    @property
    def period_days(self) -> int:
        return self.decision_day // self.periods

    @property
    def laid_out(self) -> tuple[Unit, ...]:
        """Its units as they lie on the ground: of places that take turns those of the first period."""
        return tuple(unit for unit in self.units if not self.turns or unit.block == "1")

    def period_read(self, day: int) -> int:
        """The period that a round of a day reads: on its last day it is still that one."""
        return min(max(1, -(-day // self.period_days)), self.periods)

    def period_given(self, day: int) -> int:
        """The period that an application of a day belongs to: on a day of change it is the new one."""
        return period_of_pour(day, self.period_days, self.periods)

    def given_to(self, letter: str, what: PourWhat = "dose", day: int | None = None) -> tuple[Unit, ...]:
        """The units that an application of a treatment goes to: its own; of two things at once also those that get
        both; of two places that take turns the one whose turn it is on that `day`. Plain water that makes up for what
        is lacking is for its own alone."""
        things = self.treatment(letter).things
        letters = {letter}
        if self.crossed and what == "dose" and len(things) == 1:
            letters |= {treatment.letter for treatment in self.treatments if things in treatment.things}
        mine = tuple(unit for unit in self.units if unit.letter in letters)
        if self.turns and day is not None:
            return tuple(unit for unit in mine if unit.block == str(self.period_given(day)))
        return mine

    @property
    def pulls(self) -> tuple[int, ...]:
        """The days on which plants are pulled."""
        return tuple(round_.day for round_ in self.rounds if round_.pull)

    @property
    def destructive(self) -> bool:
        return any(asked.measure.destructive for asked in self.asked)

    def crop_of(self, unit: Unit) -> str:
        """The crop of a unit: whole blocks take the crops in turn."""
        crops = self.rules.crops
        if not crops:
            return ""
        return crops[0] if unit.block is None else crops[(int(unit.block) - 1) % len(crops)]

    def batch_of(self, unit: Unit) -> int:
        """The batch or bag that a unit gets: whole blocks take them in turn."""
        return 1 if unit.block is None else (int(unit.block) - 1) // max(1, len(self.rules.crops)) % self.batches + 1

    def pulled(self, unit: Unit) -> dict[int, int]:
        """Which plant of a unit is pulled on which day, by lot."""
        return pulled(self.seed, unit.code, self.rules.plants, self.pulls) if self.destructive else {}

    @property
    def started(self) -> bool:
        """Whether anything was ever on record: from then on the lots stay as they are."""
        return self.started_on is not None

    def day_of(self, on: date) -> int:
        return (on - self.start_on).days

    def date_of(self, day: int) -> date:
        return self.start_on + timedelta(days=day)

    def stage(self, today: date) -> Stage:
        return stage_of(
            start_on=self.start_on,
            decision_on=self.decision_on,
            ended_on=self.ended_on,
            started=self.started,
            closed=self.closed,
            today=today,
        )

    @property
    def closed(self) -> bool:
        """The last round is in."""
        return self.closed_at is not None

    @property
    def goes_on(self) -> bool:
        """Neither ended early nor closed by its last round: rounds and pours can be due."""
        return self.ended_on is None and not self.closed

    def sealed(self, today: date) -> bool:
        """Whether the envelope is shut."""
        return is_sealed(self.stage(today))

    @property
    def opened_on(self) -> date | None:
        """The day on which the envelope opens, as far as it is settled."""
        return opened_on(self.decision_on, self.ended_on, self.closed_at)

    @cached_property
    def by_code(self) -> dict[str, Unit]:
        """The units by the code on their tags."""
        return {unit.code: unit for unit in self.units}

    def treatment(self, letter: str) -> Treatment:
        return next(treatment for treatment in self.treatments if treatment.letter == letter)

    def unit(self, unit_id: int) -> Unit:
        return next(unit for unit in self.units if unit.id == unit_id)

    def asked_in(self, round_: Round) -> tuple[Asked, ...]:
        """The measures of a round: what destroys the plant is measured on the days of pulling only."""
        return tuple(asked for asked in self.asked if is_asked(asked.measure, round_.day, round_.pull, asked.days))

    def asked_on(self, day: int) -> tuple[Unit, ...]:
        """All units, lost ones too; of places that take turns those of the day's period."""
        now = str(self.period_read(day))
        return tuple(unit for unit in self.units if not self.turns or unit.block == now)

    def living(self, on: date) -> tuple[Unit, ...]:
        """Units not lost by that day, in walking order; of places that take turns those of the day's period."""
        every = self.asked_on(self.day_of(on))
        kept = (unit for unit in every if unit.lost_on is None or unit.lost_on > on)
        return tuple(sorted(kept, key=lambda unit: unit.walk))
