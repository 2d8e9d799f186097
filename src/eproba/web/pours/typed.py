"""One day's applications as typed: amounts, exceptions, batches, circumstances; wrong ones get a sentence."""

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, time
from typing import Any

from eproba.core.applying.at_the_pour import MOISTURES
from eproba.core.brewing.batches import Batch, BatchError, why_not_pour
from eproba.core.errors import EprobaError
from eproba.core.quantities import celsius
from eproba.core.trial.doses import amount, exceptions, given_on
from eproba.core.trial.model import Pour, Treatment, Trial
from eproba.core.words import parse_date, parse_number

CANS = {"own": "from its own can", "first": "control first, same can", "after": "same can, after the brew"}
MOST_TEXT = 300


class PourError(EprobaError):
    """Something about an application that can't be; the message says what to write."""


@dataclass(frozen=True)
class PourRowShown:
    """One treatment of the day: what stands in the form, typed or on record or as planned."""

    pour: Pour
    treatment: Treatment
    codes: tuple[str, ...]
    status: str
    amount: str
    exceptions: str
    batch: str
    override: str
    done_on: str
    note: str

    @property
    def mark(self) -> str:
        """Changes with whatever stands on record of it, so that a form tells what it was made from."""
        return hashlib.sha256(repr(self.pour).encode()).hexdigest()[:16]

    @property
    def planned(self) -> str:
        t = self.treatment
        return f"{t.amount:g} {t.amount_unit} each" if t.amount else ""


@dataclass(frozen=True)
class DayTyped:
    """What holds for all units of the day, as typed."""

    soil_c: str
    moisture: str
    alike: str
    can: str


def row_of(trial: Trial, pour: Pour, typed: Mapping[str, str], today: date) -> PourRowShown:
    """What stands in the form for one treatment."""
    treatment = trial.treatment(pour.letter)
    here = [unit for unit in trial.units if unit.letter == pour.letter and unit.lost_on is None]
    each = pour.amount_each if pour.amount_each is not None else treatment.amount
    standing = {
        "status": pour.status if pour.status != "due" else "poured",
        "amount": "" if each is None else f"{each:g} {treatment.amount_unit} each",
        "exceptions": ", ".join(f"{code} {amount:g}" for code, amount in pour.unit_amounts.items()),
        "batch": "" if pour.batch is None else str(pour.batch),
        "override": pour.override,
        "done_on": (pour.done_on or today).isoformat(),
        "note": pour.note,
    }
    filled = {name: typed.get(f"{name}-{pour.id}", usual).strip()[:MOST_TEXT] for name, usual in standing.items()}
    codes = tuple(unit.code for unit in sorted(here, key=lambda unit: unit.walk))
    return PourRowShown(pour, treatment, codes, **filled)


def circumstances(pours: list[Pour], typed: Mapping[str, str]) -> DayTyped:
    """What stands in the form for the day: typed, else on record."""
    known = next((pour for pour in pours if pour.status != "due"), None)
    if typed:
        return DayTyped(
            typed.get("soil_c", ""), typed.get("moisture", ""), typed.get("alike", "no"), typed.get("can", "own")
        )
    if known is None:
        return DayTyped("", "", "yes", "own")
    soil = "" if known.soil_c is None else f"{known.soil_c:g}"
    return DayTyped(soil, known.moisture, "no" if known.alike is False else "yes", known.can or "own")


def values_of(trial: Trial, row: PourRowShown, day: DayTyped, batch: Batch | None, today: date) -> dict[str, Any]:
    """The columns to keep.

    Raises
    ------
    EprobaError
        With the sentence for what is wrong; errors of numbers, dates and temperatures come as they are.
    """
    if row.status not in ("poured", "skipped"):
        raise PourError("Say for each treatment whether it was poured or skipped.")
    if row.status == "skipped" and not row.note:
        raise PourError(f"Say in the note why {row.treatment.name} was skipped.")
    done_on = given_on(trial, parse_date(row.done_on), today)
    soil_c = celsius(parse_number(day.soil_c)) if day.soil_c else None
    if day.moisture and day.moisture not in MOISTURES:
        raise PourError(f"The soil is {', '.join(MOISTURES[:-1])} or {MOISTURES[-1]}.")
    common = {
        "status": row.status, "done_on": done_on, "note": row.note, "soil_c": soil_c, "moisture": day.moisture,
        "alike": day.alike == "yes", "can": day.can if day.can in CANS else "", "amount_each": None, "amount": "",
        "unit_amounts": {}, "batch_id": None, "override": "",
    }  # fmt: skip
    if row.status == "skipped":
        return common
    each, others = _amounts(row)
    override = _override(row, batch, done_on)
    return common | {
        "amount_each": each, "amount": f"{each:g} {row.treatment.amount_unit} each", "unit_amounts": others,
        "batch_id": None if batch is None else batch.id, "override": override,
    }  # fmt: skip


def _amounts(row: PourRowShown) -> tuple[float, dict[str, float]]:
    """What each unit got, and the units that got another amount."""
    unit = row.treatment.amount_unit
    try:
        return amount(row.amount, unit), exceptions(row.exceptions, row.codes, unit)
    except EprobaError as error:
        raise PourError(f"{row.treatment.name}: {error}") from error


def _override(row: PourRowShown, batch: Batch | None, done_on: date) -> str:
    """Nothing where the batch is good; else the reason for pouring it all the same, or an error that asks for one."""
    if batch is None:
        return ""
    when = datetime.combine(done_on, time(23, 59)).astimezone()
    try:
        why = why_not_pour(batch, when)
    except BatchError as error:
        raise PourError(f"{row.treatment.name}: {error}") from error
    if batch.id == row.pour.batch:
        return row.pour.override  # on record already: a correction is no new pour
    if why and not row.override:
        text = f"{row.treatment.name}: {why} Choose another batch, or say why you pour it all the same; it is put on"
        raise PourError(f"{text} record and stands in the verdict.")
    return f"{row.override} ({why.rstrip('.')})" if why else ""
