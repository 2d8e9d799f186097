"""The tables. One noun a class; the database changes only through the migrations beside this file."""

from datetime import date, datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Column, DateTime, ForeignKey, Index, LargeBinary, UniqueConstraint, Uuid, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlmodel import AutoString, Field, SQLModel

from eproba.core.brewing.events import What
from eproba.core.brewing.water import WaterKind
from eproba.core.judging.challenge import Standing
from eproba.core.measuring.measures import Better, Kind, When
from eproba.core.practice.traps import Trap
from eproba.core.stats.series import Scale
from eproba.core.stats.summaries import Summary
from eproba.core.trial.ground import UnitKind
from eproba.core.trial.happenings import UnitEventWhat
from eproba.core.trial.label import Said
from eproba.core.trial.lots import Dealing
from eproba.core.trial.model import Compared, Per, PourStatus, PourWhat, Role, Sharing
from eproba.core.trial.stage import Stage

NAMING = {
    "ix": "ix_%(table_name)s_%(column_0_N_name)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}
SQLModel.metadata.naming_convention = NAMING


def _from_a_batch() -> Any:
    """A batch that something was poured from; it may be gone."""
    return Field(default=None, sa_column=Column(ForeignKey("batch.id", ondelete="SET NULL"), index=True))


def _of(target: str, index: bool = True) -> Any:
    """A foreign key that goes when its owner goes."""
    return Field(sa_column=Column(ForeignKey(target, ondelete="CASCADE"), nullable=False, index=index))


def _number() -> Any:
    """A primary key that the database gives."""
    return Field(default=None, primary_key=True)


def _word(**more: Any) -> Any:
    """One of a few words, kept as text."""
    return Field(sa_type=AutoString, **more)


def _moment() -> Any:
    return Field(sa_column=Column(DateTime(timezone=True), nullable=False))


def _maybe_moment() -> Any:
    return Field(default=None, sa_column=Column(DateTime(timezone=True)))


def _fresh() -> Any:
    """A name that was never given before."""
    return Field(sa_column=Column(Uuid(), nullable=False, server_default=text("gen_random_uuid()")))


class HouseholdRow(SQLModel, table=True):
    """The one household: its passcode, hashed, for the home network."""

    __tablename__ = "household"
    id: int = Field(default=1, primary_key=True)
    passcode_hash: str


class GardenRow(SQLModel, table=True):
    """This garden: the key that signs its packages; `store` names this very state of the data, anew after a restore;
    `time_zone` of the household (empty: that of the computer)."""

    __tablename__ = "garden"
    id: int = Field(default=1, primary_key=True)
    signing_key: bytes = Field(sa_column=Column(LargeBinary(), nullable=False))
    store: UUID = Field(sa_column=Column(Uuid(), nullable=False))
    time_zone: str = ""


class PasscodeTryRow(SQLModel, table=True):
    """A wrong passcode, to limit tries."""

    __tablename__ = "passcode_try"
    id: int = _number()
    address: str = Field(index=True)
    at: datetime = _moment()


class DeviceRow(SQLModel, table=True):
    """A device and who types on it; its `id` is the hash of what it bears. `pours`: in a blind trial it shows who gets
    what."""

    __tablename__ = "device"
    id: str = Field(primary_key=True)
    who: str
    pours: bool = False
    came_at: datetime = _moment()
    seen_at: datetime = _moment()


class InvitationRow(SQLModel, table=True):
    """A link that lets one device in without the passcode, once and soon."""

    __tablename__ = "invitation"
    token_hash: str = Field(primary_key=True)
    made_at: datetime = _moment()
    by: str = ""


class OwnMeasureRow(SQLModel, table=True):
    """A gardener's own measure; `noise`: a share on the ratio scale, else in its unit (null: a guess)."""

    __tablename__ = "own_measure"
    key: str = Field(primary_key=True)
    name: str
    unit: str
    low: float
    high: float
    decimals: int
    better: Better = _word()
    scale: Scale = _word()
    how: str = ""
    kind: Kind = _word(default="quantity")
    levels: list[str] = Field(default_factory=list, sa_column=Column(JSONB(), nullable=False))
    seconds: int = 20
    when: When = _word(default="every round")
    destructive: bool = False
    noise: float | None = None


class MeasurePictureRow(SQLModel, table=True):
    """A picture of how an own measure is done."""

    __tablename__ = "measure_picture"
    key: str = Field(sa_column=Column(ForeignKey("own_measure.key", ondelete="CASCADE"), primary_key=True))
    jpeg: bytes = Field(sa_column=Column(LargeBinary(), nullable=False))


class DraftRow(SQLModel, table=True):
    """A trial being planned: exactly what was typed, step by step, each step with its version. `taken_back`: the line
    that its trial leaves, where it was one and the draft is thrown away."""

    __tablename__ = "draft"
    id: int = _number()
    changed_at: datetime = _moment()
    answers: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSONB()))
    versions: dict[str, int] = Field(default_factory=dict, sa_column=Column(JSONB(), nullable=False))
    deals: int = 0  # how often its lots fell before it was taken back
    taken_back: dict[str, Any] | None = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))


class GoneTrialRow(SQLModel, table=True):
    """A trial that was deleted: how often its lots were dealt, where it stood, and which questions it asked."""

    __tablename__ = "gone_trial"
    id: int = _number()
    key: str
    name: str
    deals: int
    stage: Stage = _word()
    day: int
    on: date
    fingerprint: str = ""
    questions: list[str] = Field(default_factory=list, sa_column=Column(JSONB(), nullable=False))


class TrialRow(SQLModel, table=True):
    """A trial: claim, question, lots, ground. `key` names it where numbers of a database can't; `started_on` is the day
    of its first record, `closed_at` when its last round was closed; `came`: what of the file that it was taken in from
    was changed; `garden`: whose, or which garden it stands in, where a household looks after several."""

    __tablename__ = "trial"
    # Few of a garden's trials run, and every look at Today is about those.
    __table_args__ = (Index("ix_trial_goes_on", "id", postgresql_where=text("ended_on IS NULL AND closed_at IS NULL")),)
    id: int = _number()
    key: str = Field(unique=True)
    name: str
    claim: str
    note: str = ""
    worth: float | None = None
    scale: Scale = _word()
    lower_is_better: bool
    summary: Summary = _word()
    start_on: date
    decision_day: int
    dealing: Dealing = _word()
    seed: str
    algorithm: str
    deals: int = 1
    dealt_at: datetime = _moment()
    site: dict[str, Any] = Field(sa_column=Column(JSONB(), nullable=False))
    guard_cm: float
    control: str
    no_worse: bool = False
    ranked: bool = False
    compared: Compared = _word(default="drench")
    blind: bool = False
    batches: int = 1
    rules: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSONB(), nullable=False))
    declared_at: datetime | None = _maybe_moment()
    declaration: dict[str, Any] | None = Field(default=None, sa_column=Column(JSONB()))
    fingerprint: str = ""
    ended_on: date | None = None
    ended_reason: str = ""
    started_on: date | None = None
    closed_at: datetime | None = _maybe_moment()
    made_at: datetime | None = _maybe_moment()
    made_by: str = ""
    came: dict[str, Any] | None = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))
    garden: str = ""


class StampRow(SQLModel, table=True):
    """What a trial's plan and readings are known by: triggers give new ones with every change, whoever makes it."""

    __tablename__ = "stamp"
    trial_id: int = Field(sa_column=Column(ForeignKey("trial.id", ondelete="CASCADE"), primary_key=True))
    plan: UUID = _fresh()
    readings: UUID = _fresh()


class TreatmentRow(SQLModel, table=True):
    """One treatment of a trial; `alive` of its units live, on `ground` square metres."""

    __tablename__ = "treatment"
    __table_args__ = (UniqueConstraint("trial_id", "letter"),)
    id: int = _number()
    trial_id: int = _of("trial.id", index=False)
    letter: str
    name: str
    role: Role = _word()
    how: str = ""
    amount: float | None = None
    amount_unit: str = ""
    rung: float | None = None
    recipe: str = ""
    water_parts: float | None = None
    alive: int = 0
    ground: float = 0.0
    sharing: Sharing = _word(default="shared")
    per: Per = _word(default="unit")
    label: str = ""
    times: float = 1.0
    things: str = ""
    each_watering: bool = False


class UnitRow(SQLModel, table=True):
    """One unit with its lot and its place."""

    __tablename__ = "unit"
    __table_args__ = (UniqueConstraint("trial_id", "code"),)
    id: int = _number()
    trial_id: int = _of("trial.id", index=False)
    code: str
    letter: str
    block: str | None = None
    kind: UnitKind = _word()
    number: int
    place: int
    grid_row: int
    grid_column: int
    walk: int
    x_cm: float
    y_cm: float
    width_cm: float
    length_cm: float
    size: float | None = None
    lost_on: date | None = None
    lost_reason: str = ""


class TrialMeasureRow(SQLModel, table=True):
    """A measure of a trial; position 0 is the first measure. `days`: the rounds that ask it (null: all)."""

    __tablename__ = "trial_measure"
    __table_args__ = (UniqueConstraint("trial_id", "measure_key"),)
    id: int = _number()
    trial_id: int = _of("trial.id", index=False)
    position: int
    measure_key: str
    per_unit: int = 1
    sown: int | None = None
    days: list[int] | None = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))


class RoundRow(SQLModel, table=True):
    """A planned day of readings: open, `done` (closed) or `missed`; `pull`: what destroys is read on it. `at` an hour,
    or `after_hours` after a pour, `within` so many hours."""

    __tablename__ = "round"
    __table_args__ = (UniqueConstraint("trial_id", "day"),)
    id: int = _number()
    trial_id: int = _of("trial.id", index=False)
    day: int
    done: bool = False
    note: str = ""
    key: str = Field(unique=True)
    missed: bool = False
    closed_at: datetime | None = _maybe_moment()
    pull: bool = False
    at: str = ""
    after_hours: int | None = None
    within: float | None = None


class ReadingRow(SQLModel, table=True):
    """One reading, the reason why it was skipped, or (neither) a place from which one was taken back.

    `client_id` is the id of whatever wrote it last, against doubles; `read_at` its own day and hour, `at` when it came.
    """

    __tablename__ = "reading"
    __table_args__ = (
        UniqueConstraint("round_id", "unit_id", "measure_key", "replicate"),
        UniqueConstraint("client_id"),
        Index("ix_reading_trial_id_measure_key", "trial_id", "measure_key"),
    )
    id: int = _number()
    trial_id: int = _of("trial.id", index=False)
    round_id: int = _of("round.id", index=False)
    unit_id: int = _of("unit.id")
    measure_key: str
    replicate: int = 1
    value: float | None = None
    skip_reason: str = ""
    by: str = ""
    at: datetime = _moment()
    client_id: str
    version: int = 1
    read_at: datetime | None = _maybe_moment()
    typed: str = ""
    sure: bool = False
    source: str = ""
    saw: bool = False
    meter: str = ""


class RepeatRow(SQLModel, table=True):
    """A second reading of the same thing, by a second reader or asked again under way: it tells what readings differ
    by, and never counts for the verdict."""

    __tablename__ = "repeat"
    __table_args__ = (
        UniqueConstraint("round_id", "unit_id", "measure_key", "replicate", "by"),
        UniqueConstraint("client_id"),
    )
    id: int = _number()
    trial_id: int = _of("trial.id")
    round_id: int = _of("round.id", index=False)
    unit_id: int = _of("unit.id")
    measure_key: str
    replicate: int = 1
    value: float | None = None
    skip_reason: str = ""
    by: str = ""
    at: datetime = _moment()
    client_id: str
    version: int = 1
    read_at: datetime | None = _maybe_moment()
    typed: str = ""
    sure: bool = False
    source: str = ""
    saw: bool = False
    meter: str = ""


class PracticeRow(SQLModel, table=True):
    """A round in the practice garden: the scene by its trap and seed, and what was said of it (None: not yet)."""

    __tablename__ = "practice"
    id: int = _number()
    trap: Trap = _word()
    seed: int
    by: str = Field(default="", index=True)
    made_at: datetime = _moment()
    says: str = ""
    sure: int | None = None
    right: bool | None = None
    caught: bool | None = None


class MeterRow(SQLModel, table=True):
    """A meter whose values come in by themselves with a token of its own (null: it was revoked), or in logs whose
    `columns` are remembered.

    `measure`: what it gives (empty: whatever is asked in its unit); `doubt`, `doubt_share`: what it is off by.
    """

    __tablename__ = "meter"
    id: int = _number()
    name: str = Field(unique=True)
    measure: str = ""
    unit: str
    doubt: float = 0.0
    doubt_share: float = 0.0
    token_hash: str | None = Field(default=None, unique=True)
    columns: dict[str, str] = Field(default_factory=dict, sa_column=Column(JSONB(), nullable=False))
    made_at: datetime = _moment()
    by: str = ""


class MeterValueRow(SQLModel, table=True):
    """What a meter said at a moment, once."""

    __tablename__ = "meter_value"
    meter_id: int = Field(sa_column=Column(ForeignKey("meter.id", ondelete="CASCADE"), primary_key=True))
    at: datetime = Field(sa_column=Column(DateTime(timezone=True), primary_key=True))
    value: float


class PictureRow(SQLModel, table=True):
    """A picture of a unit, small and upright; without unit or round it waits to be sorted. `numbers`: cover, greenness
    and what else was found; `to_cm`: from its pixels onto the ground; `outline`: of the unit, in pixels; `kept`: yes or
    no was said to its mask (null: not yet)."""

    __tablename__ = "picture"
    __table_args__ = (UniqueConstraint("trial_id", "digest"),)
    id: int = _number()
    trial_id: int = _of("trial.id", index=False)
    unit_id: int | None = Field(sa_column=Column(ForeignKey("unit.id", ondelete="SET NULL"), index=True))
    round_id: int | None = Field(sa_column=Column(ForeignKey("round.id", ondelete="SET NULL"), index=True))
    taken_at: datetime | None = _maybe_moment()
    came_at: datetime = _moment()
    by: str = ""
    digest: str
    size: int
    jpeg: bytes = Field(sa_column=Column(LargeBinary(), nullable=False))
    numbers: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSONB(), nullable=False))
    to_cm: list[list[float]] | None = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))
    outline: list[list[float]] | None = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))
    kept: bool | None = None


class GuessRow(SQLModel, table=True):
    """Who took which unit for the control's by its pictures, among how many, before the envelope was open."""

    __tablename__ = "guess"
    trial_id: int = Field(sa_column=Column(ForeignKey("trial.id", ondelete="CASCADE"), primary_key=True))
    by: str = Field(primary_key=True)
    unit_id: int = _of("unit.id", index=False)
    among: int
    at: datetime = _moment()


class LabelAnswerRow(SQLModel, table=True):
    """What was said at the end of one promise of a treatment's label."""

    __tablename__ = "label_answer"
    trial_id: int = Field(sa_column=Column(ForeignKey("trial.id", ondelete="CASCADE"), primary_key=True))
    letter: str = Field(primary_key=True)
    words: str = Field(primary_key=True)
    said: Said = _word()
    by: str = ""
    at: datetime = _moment()


class UnitEventRow(SQLModel, table=True):
    """What happened to a unit on a day: sown, thinned, replaced …; `count` of how many seeds or plants. `taken_back`:
    it was a mistake."""

    __tablename__ = "unit_event"
    id: int = _number()
    trial_id: int = _of("trial.id")
    unit_id: int = _of("unit.id")
    on: date
    what: UnitEventWhat = _word()
    count: int | None = None
    note: str = ""
    by: str = ""
    at: datetime = _moment()
    taken_back: bool = False


class SampleRow(SQLModel, table=True):
    """Soil or plants for a laboratory: from which `units` (codes), how `mixed`, how deep; its `result` as typed."""

    __tablename__ = "sample"
    __table_args__ = (UniqueConstraint("trial_id", "code"),)
    id: int = _number()
    trial_id: int = _of("trial.id", index=False)
    round_id: int = _of("round.id")
    measure_key: str
    code: str
    units: list[str] = Field(sa_column=Column(JSONB(), nullable=False))
    mixed: str = ""
    depth_cm: float | None = None
    taken_on: date
    sent_on: date | None = None
    laboratory: str = ""
    result: str = ""
    came_on: date | None = None
    by: str = ""


class HelperRow(SQLModel, table=True):
    """A link by which somebody reads one round and sees nothing else; it ends with the round. `second`: beside what is
    read already."""

    __tablename__ = "helper"
    id: int = _number()
    trial_id: int = _of("trial.id")
    round_id: int = _of("round.id")
    token_hash: str = Field(unique=True)
    name: str
    made_at: datetime = _moment()
    by: str = ""
    second: bool = False


class SharedLinkRow(SQLModel, table=True):
    """A link by which anybody in the home network reads a trial’s report, and nothing else."""

    __tablename__ = "shared_link"
    trial_id: int = Field(sa_column=Column(ForeignKey("trial.id", ondelete="CASCADE"), primary_key=True))
    token_hash: str = Field(unique=True)
    made_at: datetime = _moment()
    by: str = ""


class CorrectionRow(SQLModel, table=True):
    """What a reading was before it was changed, and why; `verdict_before` where the envelope was open."""

    __tablename__ = "correction"
    id: int = _number()
    reading_id: int = _of("reading.id")
    old_value: float | None = None
    old_skip_reason: str = ""
    old_client_id: str = Field(default="", index=True)
    reason: str
    by: str = ""
    at: datetime = _moment()
    sealed: bool = True
    verdict_before: str = ""


class PourRow(SQLModel, table=True):
    """One application of one treatment: its dose, or plain water that makes up for what others get."""

    __tablename__ = "pour"
    __table_args__ = (UniqueConstraint("trial_id", "letter", "what", "day"),)
    id: int = _number()
    trial_id: int = _of("trial.id", index=False)
    letter: str
    day: int
    status: PourStatus = _word(default="due")
    done_on: date | None = None
    amount: str = ""
    note: str = ""
    by: str = ""
    amount_each: float | None = None
    unit_amounts: dict[str, float] = Field(default_factory=dict, sa_column=Column(JSONB(), nullable=False))
    batch_id: int | None = _from_a_batch()
    override: str = ""
    soil_c: float | None = None
    moisture: str = ""
    alike: bool | None = None
    can: str = ""
    entered_at: datetime | None = _maybe_moment()
    done_at: datetime | None = _maybe_moment()
    otherwise: str = ""
    what: PourWhat = _word(default="dose")
    planned: float | None = None
    per: Per | None = Field(default=None, sa_type=AutoString)
    other_batch_id: int | None = _from_a_batch()


class PourChangeRow(SQLModel, table=True):
    """What stood on record of an application before it was changed."""

    __tablename__ = "pour_change"
    id: int = _number()
    pour_id: int = _of("pour.id")
    was: dict[str, Any] = Field(sa_column=Column(JSONB(), nullable=False))
    by: str = ""
    at: datetime = _moment()
    sealed: bool = True


class SpareRunRow(SQLModel, table=True):
    """A spare plant that got a treatment first; recorded, not judged."""

    __tablename__ = "spare_run"
    id: int = _number()
    trial_id: int = _of("trial.id")
    letter: str
    on: date
    came_through: bool
    note: str = ""
    by: str = ""


class LookRow(SQLModel, table=True):
    """The envelope opened before the decision day; once a day."""

    __tablename__ = "look"
    __table_args__ = (UniqueConstraint("trial_id", "day"),)
    id: int = _number()
    trial_id: int = _of("trial.id")
    day: int
    at: datetime = _moment()
    by: str = ""
    reason: str = ""


class AmendmentRow(SQLModel, table=True):
    """A change to a declared plan, with its reason."""

    __tablename__ = "amendment"
    id: int = _number()
    trial_id: int = _of("trial.id")
    on: date
    what: str
    old: str
    new: str
    reason: str
    by: str = ""


class FeedRow(SQLModel, table=True):
    """A calendar feed's secret address; revoked ones are deleted."""

    __tablename__ = "feed"
    token_hash: str = Field(primary_key=True)
    made_at: datetime = _moment()
    alarm_minutes: int | None = None


class FindingRow(SQLModel, table=True):
    """What was found, kept so that the list of trials need not judge; forgotten when anything is corrected.

    `lines` tell of the first measure, `also` of the others (None: not kept then); `answers` are what it says to its
    questions, for trials of one question together.
    """

    __tablename__ = "finding"
    __table_args__ = (Index("ix_finding_answers", "answers", postgresql_using="gin"),)
    trial_id: int = Field(sa_column=Column(ForeignKey("trial.id", ondelete="CASCADE"), primary_key=True))
    lines: list[dict[str, str]] = Field(sa_column=Column(JSONB(), nullable=False))
    noise_sd: float | None = None
    also: list[dict[str, Any]] | None = Field(default=None, sa_column=Column(JSONB()))
    answers: list[dict[str, Any]] = Field(default_factory=list, sa_column=Column(JSONB(), nullable=False))


class LeftOutRow(SQLModel, table=True):
    """A treatment of a trial that does not count among others of its question, and why."""

    __tablename__ = "left_out"
    trial_id: int = Field(sa_column=Column(ForeignKey("trial.id", ondelete="CASCADE"), primary_key=True))
    letter: str = Field(primary_key=True)
    reason: str
    by: str = ""
    at: datetime = _moment()


class OwnRecipeRow(SQLModel, table=True):
    """One version of a gardener's own recipe; the newest is the current one; `put_away`: no longer offered."""

    __tablename__ = "own_recipe"
    __table_args__ = (UniqueConstraint("key", "version"),)
    id: int = _number()
    key: str
    version: int
    entry: dict[str, Any] = Field(sa_column=Column(JSONB(), nullable=False))
    made_at: datetime = _moment()
    put_away: bool = False


class BatchRow(SQLModel, table=True):
    """One brew, with the recipe as it was when it was made, in the way of a `school` where one was chosen."""

    __tablename__ = "batch"
    id: int = _number()
    recipe: str
    version: int
    entry: dict[str, Any] = Field(sa_column=Column(JSONB(), nullable=False))
    name: str = ""
    litres: float
    place: str = ""
    water: str = ""
    amounts: dict[str, float] = Field(default_factory=dict, sa_column=Column(JSONB(), nullable=False))
    school: str = ""


class BatchEventRow(SQLModel, table=True):
    """One dated event of a batch; what pours took stands in `taking`. `taken_back`: it was a mistake."""

    __tablename__ = "batch_event"
    id: int = _number()
    batch_id: int = _of("batch.id")
    at: datetime = _moment()
    what: What = _word()
    temperature: float | None = None
    seen: dict[str, str] = Field(default_factory=dict, sa_column=Column(JSONB(), nullable=False))
    litres: float | None = None
    note: str = ""
    by: str = ""
    photo: bytes | None = Field(default=None, sa_column=Column(LargeBinary()))
    taken_back: bool = False


class BatchChangeRow(SQLModel, table=True):
    """What stood on record of a batch before it was corrected. Never changed."""

    __tablename__ = "batch_change"
    id: int = _number()
    batch_id: int = _of("batch.id")
    what: str
    was: str
    now: str
    by: str = ""
    at: datetime = _moment()


class TakingRow(SQLModel, table=True):
    """Litres taken from a batch; below 0 put back, where the record of a pour was corrected. Never changed."""

    __tablename__ = "taking"
    id: int = _number()
    batch_id: int = _of("batch.id")
    pour_id: int | None = Field(default=None, sa_column=Column(ForeignKey("pour.id", ondelete="SET NULL"), index=True))
    litres: float
    by: str = ""
    at: datetime = _moment()


class TickRow(SQLModel, table=True):
    """An errand that is done and has no other record: water set out (`litres`), a plain watering. `key` is the errand’s
    own, which stays the same when its day moves."""

    __tablename__ = "tick"
    key: str = Field(primary_key=True)
    litres: float = 0.0
    by: str = ""
    at: datetime = _moment()


class WeatherRow(SQLModel, table=True):
    """One hour's weather, from a logger's file or as typed; `foretold`: from the later rows of a file."""

    __tablename__ = "weather"
    at: datetime = Field(sa_column=Column(DateTime(timezone=True), primary_key=True))
    temperature: float
    rain_mm: float
    humidity: float | None = None
    foretold: bool = False


class WeatherDayRow(SQLModel, table=True):
    """One day's weather as told whole, once as it was and once as foretold."""

    __tablename__ = "weather_day"
    on: date = Field(primary_key=True)
    foretold: bool = Field(primary_key=True)
    low: float
    high: float
    rain_mm: float


class ChallengeRow(SQLModel, table=True):
    """A challenge between gardens: `file` as it was written and signed; `called_here`: this garden called it;
    `token_hash`: of the link by which other gardens hand
    in what they send (empty: none); `opened_at`: when the joint envelope was opened here."""

    __tablename__ = "challenge"
    key: str = Field(primary_key=True)
    name: str
    opens_on: date
    file: bytes = Field(sa_column=Column(LargeBinary(), nullable=False))
    garden: str
    called_here: bool
    token_hash: str = ""
    made_at: datetime = _moment()
    opened_at: datetime | None = _maybe_moment()


class ChallengeGardenRow(SQLModel, table=True):
    """What a garden has sent to a challenge that was called here: that it takes part, has stopped, or its result, which
    lies unread until the envelope opens. `trial_key`: the trial of that result."""

    __tablename__ = "challenge_garden"
    challenge: str = Field(sa_column=Column(ForeignKey("challenge.key", ondelete="CASCADE"), primary_key=True))
    garden: str = Field(primary_key=True)
    standing: Standing = _word()
    units: int = 0
    came_at: datetime = _moment()
    trial_key: str = ""
    result: bytes | None = Field(default=None, sa_column=Column(LargeBinary()))


class PriceRow(SQLModel, table=True):
    """What a thing costs from a day on; no value: not known any more."""

    __tablename__ = "price"
    what: str = Field(primary_key=True)
    on: date = Field(primary_key=True)
    value: float | None = None


class KitRow(SQLModel, table=True):
    """What the household measures with, the currency of its prices, the water from its tap."""

    __tablename__ = "kit"
    id: int = Field(default=1, primary_key=True)
    kit: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSONB(), nullable=False))
    currency: str = ""
    water: WaterKind = _word(default="tap, not known")
    ground: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSONB(), nullable=False))
