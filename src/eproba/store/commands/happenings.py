"""What happened to units put down, and samples for a laboratory: taken, sent, read."""

from collections.abc import Sequence
from datetime import date, datetime

from sqlalchemy import update
from sqlmodel import Session, col

from eproba.core.trial.happenings import HappeningError, UnitEventWhat, check_event, round_for
from eproba.core.trial.model import Asked, Round, Trial, Unit
from eproba.core.trial.readings import Entry
from eproba.core.trial.samples import Sample, SampleError, check_sample, next_code, readings_of_result
from eproba.core.words import listed
from eproba.store.commands.locks import lock_trial
from eproba.store.commands.readings import Sender, Sent, take_entries
from eproba.store.commands.trials import mark_started
from eproba.store.happenings import samples_of
from eproba.store.readings import all_readings
from eproba.store.tables import SampleRow, UnitEventRow


def put_down(
    session: Session, trial: Trial, units: Sequence[Unit], what: UnitEventWhat, on: date, count: int | None, note: str,
    by: str, now: datetime,
) -> None:  # fmt: skip
    """Put an event of some units on record. Raises HappeningError, see `check_event`."""
    today = now.astimezone().date()
    check_event(trial, units, what, on, count, today)
    lock_trial(session, trial.id)
    session.add_all(
        UnitEventRow(trial_id=trial.id, unit_id=unit.id, on=on, what=what, count=count, note=note, by=by, at=now)
        for unit in units
    )
    mark_started(session, trial, today)


def happened_on(
    session: Session, trial: Trial, asked: Asked, units: Sequence[Unit], at: datetime, sender: Sender
) -> None:
    """Something that is read once happened on a day: a reading of the next round that asks it, with its own day.

    Raises
    ------
    HappeningError
        No round asks it from that day on; or a reading is refused.
    """
    this, key = round_for(trial, asked, at.date()), asked.measure.key
    if this is None:
        raise HappeningError(f"No round from that day on asks {asked.measure.name.lower()}: put it into its round.")
    if not units:
        raise HappeningError("Say to which units it happened.")
    known = {
        reading.unit_id for reading in all_readings(session, trial.id) if reading.measure_key == key and reading.value
    }
    if codes := [unit.code for unit in units if unit.id in known]:
        raise HappeningError(f"{listed(codes)}: on record with a day already; correct it in the table of readings.")
    refused = [a for a in take_entries(session, _entries(trial, this, asked, units, at), sender) if a.status != "saved"]
    if refused:
        raise HappeningError(refused[0].why or "Somebody put something else there meanwhile: look at the readings.")


def _entries(trial: Trial, this: Round, asked: Asked, units: Sequence[Unit], at: datetime) -> list[Sent]:
    key = asked.measure.key
    name = f"happened-{this.key}-{key[:16]}-{at.date():%y%m%d}"
    entries = [(unit, Entry(unit.code, key, 1, "1", at.date())) for unit in units]
    return [Sent(f"{name}-{unit.code}", trial.key, this.key, entry, at) for unit, entry in entries]


def take_back(session: Session, trial_id: int, event_id: int) -> bool:
    """An event was a mistake; the row stays. False where there is none that still counts."""
    where = (col(UnitEventRow.id) == event_id, col(UnitEventRow.trial_id) == trial_id)
    counting = col(UnitEventRow.taken_back).is_(False)
    return session.exec(update(UnitEventRow).where(*where, counting).values(taken_back=True)).rowcount > 0


def take_sample(
    session: Session, trial: Trial, this: Round, asked: Asked, units: Sequence[Unit], hidden: bool, **facts: object
) -> str:
    """A new sample from some units in a round; returns its code. Raises SampleError, see `check_sample`."""
    lock_trial(session, trial.id)
    known = samples_of(session, trial.id)
    same = [reading for reading in known if reading.round_id == this.id and reading.measure_key == asked.measure.key]
    check_sample(units, {code for sample in same for code in sample.units}, hidden)
    code = next_code({unit.code for unit in known})
    row = SampleRow.model_validate(
        {
            "trial_id": trial.id, "round_id": this.id, "measure_key": asked.measure.key, "code": code,
            "units": [unit.code for unit in units], **facts,
        }
    )  # fmt: skip
    session.add(row)
    session.flush()
    return code


def change_sample(session: Session, trial_id: int, sample_id: int, **facts: object) -> None:
    """When it was sent, to whom."""
    where = (col(SampleRow.id) == sample_id, col(SampleRow.trial_id) == trial_id)
    session.exec(update(SampleRow).where(*where).values(**facts))


def result_came(session: Session, trial: Trial, sample: Sample, result: str, sender: Sender) -> None:
    """The laboratory's number: a reading of the sample's first unit; its others say in which sample they are.

    Raises
    ------
    SampleError
        A reading is refused, or somebody typed another number there.
    """
    this = next(round_ for round_ in trial.rounds if round_.id == sample.round_id)
    name = f"sample-{this.key}-{sample.measure_key[:16]}-{sample.code}"
    today = sender.now.astimezone().date()
    first = Entry(sample.units[0], sample.measure_key, 1, result, today, sure=True, reason="came from the laboratory")
    skips = [
        Entry(code, sample.measure_key, 1, "", today, skip=why, reason=first.reason)
        for code, why in readings_of_result(sample).items()
    ]
    taken_at = datetime.combine(sample.taken_on, datetime.min.time()).astimezone()
    sent = [Sent(f"{name}-{code.unit}-{result[:12]}", trial.key, this.key, code, taken_at) for code in (first, *skips)]
    refused = [entry for entry in take_entries(session, sent, sender) if entry.status != "saved"]
    if refused:
        raise SampleError(refused[0].why or "Another number stands there: correct it in the table of readings.")
    change_sample(session, trial.id, sample.id, result=result, came_on=today)
