"""Readings: each entry judged alone, saved once however often it is sent, changed only over the version seen."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from sqlalchemy import insert
from sqlalchemy.exc import DataError, IntegrityError
from sqlmodel import Session, col, select

from eproba.core.measuring.measures import Measure
from eproba.core.trial.model import Reading, Round, Trial
from eproba.core.trial.readings import Entry, Ruling, rule
from eproba.core.trial.rounds import Place
from eproba.store.commands.findings import forget_finding
from eproba.store.commands.locks import Gone, lock_trial
from eproba.store.commands.rounds import UNKNOWN_ROUND, UNKNOWN_TRIAL, settle_round
from eproba.store.commands.trials import declare_once, mark_started
from eproba.store.findings import finding_of
from eproba.store.mapping import reading_from
from eproba.store.tables import CorrectionRow, ReadingRow, RepeatRow
from eproba.store.trials import trial_with_key

Status = Literal["saved", "conflict", "doubted", "refused"]


@dataclass(frozen=True)
class Sent:
    """One entry as it is sent: `trial` and `round` by their keys, `seen` the version that was seen in its place (0:
    none), `replaces` the id of the sender's own earlier entry there, `undo`: take back what stands there, `again`: a
    second reading, beside the one that counts."""

    id: str
    trial: str
    round: str
    entry: Entry
    read_at: datetime | None
    seen: int = 0
    replaces: str = ""
    undo: bool = False
    again: bool = False


@dataclass(frozen=True)
class Sender:
    """Who writes, when, from where (till, form, file), and whether he could know who got what."""

    who: str
    now: datetime
    source: str
    saw: bool = False


@dataclass(frozen=True)
class EntryAnswer:
    """What became of an entry, and what stands in its place now."""

    id: str
    status: Status
    there: Reading | None = None
    why: str = ""
    field: str = ""


def take_entries(session: Session, sent: Sequence[Sent], sender: Sender) -> list[EntryAnswer]:
    """Take entries of any trials, one answer each, in the order sent. One that can't be taken holds up no other.

    The trials are locked one after the other in an order of their own, so that two devices never wait for each other.
    """
    answers: dict[int, EntryAnswer] = {}
    by_trial: dict[str, list[int]] = {}
    for i, entry in enumerate(sent):
        by_trial.setdefault(entry.trial, []).append(i)
    known = {key: trial_with_key(session, key) for key in by_trial}
    for key in sorted(by_trial, key=lambda trial_id: known[trial_id] or 0):
        entries = [sent[i] for i in by_trial[key]]
        answers.update(zip(by_trial[key], _of_one_trial(session, known[key], entries, sender), strict=True))
    return [answers[i] for i in range(len(sent))]


def _of_one_trial(session: Session, trial_id: int | None, sent: Sequence[Sent], sender: Sender) -> list[EntryAnswer]:
    try:
        if trial_id is None:
            raise Gone(UNKNOWN_TRIAL)
        trial = lock_trial(session, trial_id)
    except Gone as error:
        return [EntryAnswer(entry.id, "refused", why=str(error)) for entry in sent]
    writing = Writing(session, trial, sender)
    answers = [writing.take(entry) for entry in sent]
    writing.settle()
    return answers


class Writing:
    """One locked trial while entries are written into it."""

    def __init__(self, session: Session, trial: Trial, sender: Sender) -> None:
        self.session, self.trial, self.sender = session, trial, sender
        self.rounds = {round_.key: round_ for round_ in trial.rounds}
        self.measures = {asked.measure.key: asked.measure for asked in trial.asked}
        self.touched: dict[int, Round] = {}
        self.today = sender.now.astimezone().date()

    def take(self, sent: Sent) -> EntryAnswer:
        """One entry: saved, a conflict with what somebody else wrote there, doubted, or refused with why."""
        this = self.rounds.get(sent.round)
        if this is None:
            return EntryAnswer(sent.id, "refused", why=UNKNOWN_ROUND)
        try:
            with self.session.begin_nested():
                return self._taken(this, sent)
        except (DataError, IntegrityError):
            return EntryAnswer(sent.id, "refused", why="This entry can’t be kept as it is. Type it again.")

    def settle(self) -> None:
        """After the last entry: the trial has started, its rounds close where they are complete."""
        if not self.touched:
            return
        declare_once(self.session, self.trial, self.sender.now)
        mark_started(self.session, self.trial, self.today)
        forget_finding(self.session, self.trial.id)
        for this in self.touched.values():
            settle_round(self.session, self.trial, this, self.sender.now)

    def _taken(self, this: Round, sent: Sent) -> EntryAnswer:
        known = self._sent_before(sent.id)
        if known is not None and self._is_there(known, this, sent.entry):
            return EntryAnswer(sent.id, "saved", self._told(known))
        if known is not None:
            return EntryAnswer(sent.id, "refused", why="This entry bears the id of another. Type it again.")
        ruling = rule(self.trial, this, sent.entry, self.today)
        if sent.undo and ruling.unit is not None and self.trial.sealed(self.today):
            ruling = Ruling("taken", unit=ruling.unit, asked=ruling.asked)
        if ruling.outcome != "taken" or ruling.unit is None or ruling.asked is None:
            status: Status = "doubted" if ruling.outcome == "doubted" else "refused"
            return EntryAnswer(sent.id, status, why=_sentence(ruling.why), field=ruling.field)
        if sent.again:
            return self._repeated(this, (ruling.unit.id, ruling.asked.measure.key, sent.entry.replicate), sent, ruling)
        place: Place = (ruling.unit.id, ruling.asked.measure.key, sent.entry.replicate)
        row = self._in_place(this, place)
        if row is None and sent.undo:
            return EntryAnswer(sent.id, "saved")  # nothing is there to be taken back
        if row is None:
            row = self._added(this, place, sent, ruling)
        elif sent.seen != row.version and sent.replaces != row.client_id:
            same = (row.value, row.skip_reason) == (_kept(ruling), _skip(sent, ruling))
            return EntryAnswer(sent.id, "saved" if same else "conflict", self._told(row))
        else:
            self._change(row, sent, ruling)
        self.touched[this.id] = this
        self.session.flush()
        return EntryAnswer(sent.id, "saved", self._told(row))

    def _repeated(self, this: Round, place: Place, sent: Sent, ruling: Ruling) -> EntryAnswer:
        """A second reading of the same thing: one for each reader, his last word; what counts stays untouched."""
        unit_id, measure_key, replicate = place
        query = select(RepeatRow).where(
            RepeatRow.round_id == this.id,
            RepeatRow.unit_id == unit_id,
            RepeatRow.measure_key == measure_key,
            RepeatRow.replicate == replicate,
            RepeatRow.by == self.sender.who,
        )
        row = self.session.exec(query).first()
        if row is None:
            row = RepeatRow(
                trial_id=self.trial.id, round_id=this.id, unit_id=unit_id, measure_key=measure_key, replicate=replicate,
                at=self.sender.now, client_id=sent.id, version=0,
            )  # fmt: skip
        if row.client_id != sent.id or row.version == 0:
            self._fill(row, sent, ruling)
            row.client_id, row.version = sent.id, row.version + 1
        self.session.add(row)
        self.session.flush()
        return EntryAnswer(sent.id, "saved", self._told(row))

    def _told(self, row: ReadingRow | RepeatRow) -> Reading:
        """A reading as this household sees it."""
        return reading_from(row, self.measures)

    def _sent_before(self, client_id: str) -> ReadingRow | None:
        """The reading that this very entry wrote, perhaps changed by others since."""
        last = self.session.exec(select(ReadingRow).where(ReadingRow.client_id == client_id)).first()
        if last is not None:
            return last
        earlier = select(ReadingRow).join(CorrectionRow, col(CorrectionRow.reading_id) == col(ReadingRow.id))
        return self.session.exec(earlier.where(CorrectionRow.old_client_id == client_id)).first()

    def _is_there(self, row: ReadingRow, this: Round, entry: Entry) -> bool:
        """Whether a reading lies in the place that an entry names."""
        unit = self.trial.by_code.get(entry.unit.strip().upper())
        place = (this.id, unit.id if unit else 0, entry.measure, entry.replicate)
        return (row.round_id, row.unit_id, row.measure_key, row.replicate) == place

    def _in_place(self, this: Round, place: Place) -> ReadingRow | None:
        unit_id, measure_key, replicate = place
        query = select(ReadingRow).where(
            ReadingRow.round_id == this.id,
            ReadingRow.unit_id == unit_id,
            ReadingRow.measure_key == measure_key,
            ReadingRow.replicate == replicate,
        )
        return self.session.exec(query).first()

    def _added(self, this: Round, place: Place, sent: Sent, ruling: Ruling) -> ReadingRow:
        unit_id, measure_key, replicate = place
        row = ReadingRow(
            trial_id=self.trial.id,
            round_id=this.id,
            unit_id=unit_id,
            measure_key=measure_key,
            replicate=replicate,
            at=self.sender.now,
            client_id=sent.id,
            version=1,
        )
        self._fill(row, sent, ruling)
        self.session.add(row)
        self.session.flush()
        if not self.trial.sealed(self.today):
            self._remember(row, None, "", "", sent.entry.reason)
        return row

    def _change(self, row: ReadingRow, sent: Sent, ruling: Ruling) -> None:
        reason = sent.entry.reason or ("taken back" if sent.undo else "typed again")
        self._remember(row, row.value, row.skip_reason, row.client_id, reason)
        self._fill(row, sent, ruling)
        row.client_id, row.version = sent.id, row.version + 1
        self.session.add(row)

    def _fill(self, row: ReadingRow | RepeatRow, sent: Sent, ruling: Ruling) -> None:
        row.value, row.skip_reason = _kept(ruling), _skip(sent, ruling)
        row.typed, row.sure, row.read_at = sent.entry.typed, sent.entry.sure, sent.read_at
        row.meter = sent.entry.meter
        row.at, row.by, row.source, row.saw = self.sender.now, self.sender.who, self.sender.source, self.sender.saw

    def _remember(self, row: ReadingRow, value: float | None, skip: str, client_id: str, reason: str) -> None:
        """What stood there, for ever; with the envelope open also what the verdict was."""
        sealed = self.trial.sealed(self.today)
        before = [] if sealed else finding_of(self.session, self.trial.id) or []
        self.session.add(
            CorrectionRow(
                reading_id=row.id,
                old_value=value,
                old_skip_reason=skip,
                old_client_id=client_id,
                reason=reason,
                by=self.sender.who,
                at=self.sender.now,
                sealed=sealed,
                verdict_before="; ".join(line["headline"] for line in before),
            )
        )


def _kept(ruling: Ruling) -> float | None:
    """The value in the unit of the record."""
    if ruling.value is None or ruling.asked is None:
        return None
    return kept_value(ruling.asked.measure, ruling.value)


def kept_value(measure: Measure, value: float) -> float:
    """A value as it was typed or shown, in the unit of the record."""
    return measure.conversion.kept(value) if measure.kept_in else value


def _skip(sent: Sent, ruling: Ruling) -> str:
    return "" if ruling.value is not None or sent.undo else sent.entry.skip.strip()


def _sentence(why: str) -> str:
    """A reason as a sentence of its own."""
    return f"{why[:1].upper()}{why[1:]}".rstrip(".") + "."


def add_many(
    session: Session, trial_id: int, rows: Iterable[dict[str, object]], now: datetime, reason: str = ""
) -> None:
    """Add readings of places that hold none yet, in one go; `reason`: why they come after the envelope was opened.

    The rows are ruled on before. Raises IntegrityError where a place was taken meanwhile.
    """
    usual = {"trial_id": trial_id, "version": 1, "skip_reason": "", "typed": "", "sure": False, "source": "",
             "saw": False, "read_at": None, "meter": ""}  # fmt: skip
    values = [{**usual, **row} for row in rows]
    if not values:
        return
    trial = lock_trial(session, trial_id)
    measures = {asked.measure.key: asked.measure for asked in trial.asked}
    values = [{**row, "value": _kept_row(measures, row)} for row in values]
    if trial.sealed(now.astimezone().date()):
        session.connection().execute(insert(ReadingRow), values)
    else:
        _add_after_opening(session, trial_id, values, reason, now)
    declare_once(session, trial, now)
    mark_started(session, trial, now.astimezone().date())
    forget_finding(session, trial_id)
    touched = {row["round_id"] for row in values}
    for this in trial.rounds:
        if this.id in touched:
            settle_round(session, trial, this, now)


def _kept_row(measures: Mapping[str, Measure], row: Mapping[str, object]) -> float | None:
    value, measure = row.get("value"), measures.get(str(row.get("measure_key")))
    if not isinstance(value, (int, float)):
        return None
    return value if measure is None else kept_value(measure, value)


def _add_after_opening(
    session: Session, trial_id: int, values: Sequence[dict[str, object]], reason: str, now: datetime
) -> None:
    """Readings that come when the verdict is known, each with its history from the start."""
    said = "; ".join(line["headline"] for line in finding_of(session, trial_id) or [])
    ids = session.scalars(insert(ReadingRow).returning(col(ReadingRow.id)), values).all()
    usual: dict[str, object] = {
        "old_value": None,
        "old_skip_reason": "",
        "old_client_id": "",
        "reason": reason,
        "by": values[0]["by"],
        "at": now,
        "sealed": False,
        "verdict_before": said,
    }
    session.connection().execute(insert(CorrectionRow), [{"reading_id": id_, **usual} for id_ in ids])
