"""One day's applications as typed: amounts, exceptions, batches, circumstances; wrong ones get a sentence."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, time
from typing import Any

from eproba.core.applying.at_the_pour import MOISTURES
from eproba.core.brewing.batches import Batch, BatchError, why_not_pour
from eproba.core.measuring.numbers import parse_number
from eproba.core.quantities import celsius
from eproba.core.trial.model import Pour, Treatment, Trial
from eproba.exchange.readings_csv import parse_date

CANS = {"own": "from its own can", "first": "control first, same can", "after": "same can, after the brew"}
MOST_TEXT = 300


class PourError(ValueError):
    """Something about an application that can't be; the message says what to write."""


@dataclass(frozen=True)
class Row:
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
    def planned(self) -> str:
        t = self.treatment
        return f"{t.amount:g} {t.amount_unit} each" if t.amount else ""


@dataclass(frozen=True)
class Circumstances:
    """What holds for all units of the day, as typed."""

    soil_c: str
    moisture: str
    alike: str
    can: str


def row_of(trial: Trial, pour: Pour, typed: Mapping[str, str], today: date) -> Row:
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
    return Row(pour, treatment, codes, **filled)


def circumstances(pours: list[Pour], typed: Mapping[str, str]) -> Circumstances:
    """What stands in the form for the day: typed, else on record."""
    known = next((pour for pour in pours if pour.status != "due"), None)
    if typed:
        return Circumstances(
            typed.get("soil_c", ""), typed.get("moisture", ""), typed.get("alike", "no"), typed.get("can", "own")
        )
    if known is None:
        return Circumstances("", "", "yes", "own")
    soil = "" if known.soil_c is None else f"{known.soil_c:g}"
    return Circumstances(soil, known.moisture, "no" if known.alike is False else "yes", known.can or "own")


def values_of(row: Row, day: Circumstances, batch: Batch | None) -> dict[str, Any]:
    """The columns to keep.

    Raises
    ------
    PourError
        With the sentence for what is wrong; ValueErrors of numbers, dates and temperatures come as they are.
    """
    if row.status not in ("poured", "skipped"):
        raise PourError("Say for each treatment whether it was poured or skipped.")
    if row.status == "skipped" and not row.note:
        raise PourError(f"Say in the note why {row.treatment.name} was skipped.")
    done_on, soil_c = parse_date(row.done_on), celsius(parse_number(day.soil_c)) if day.soil_c else None
    if day.moisture and day.moisture not in MOISTURES:
        raise PourError(f"The soil is {', '.join(MOISTURES[:-1])} or {MOISTURES[-1]}.")
    common = {
        "status": row.status, "done_on": done_on, "note": row.note, "soil_c": soil_c, "moisture": day.moisture,
        "alike": day.alike == "yes", "can": day.can if day.can in CANS else "", "amount_each": None, "amount": "",
        "unit_amounts": {}, "batch_id": None, "override": "",
    }  # fmt: skip
    if row.status == "skipped":
        return common
    each = _each(row)
    override = _override(row, batch, done_on)
    return common | {
        "amount_each": each, "amount": f"{each:g} {row.treatment.amount_unit} each", "unit_amounts": _exceptions(row),
        "batch_id": None if batch is None else batch.id, "override": override,
    }  # fmt: skip


def _each(row: Row) -> float:
    found = re.fullmatch(r"\s*([\d.,]+)\s*([^\d\s]*)\s*(each)?\s*", row.amount)
    unit = row.treatment.amount_unit
    if found is None or found[2] not in ("", unit):
        raise PourError(f"{row.treatment.name}: write what each unit got as a number of {unit}, e.g. {row.planned}.")
    return parse_number(found[1])


def _exceptions(row: Row) -> dict[str, float]:
    """“P3 100, P7 0”: what single units got instead."""
    given = {}
    for part in filter(None, (each.strip() for each in re.split(r"[,;\n]", row.exceptions))):
        code, _, amount = part.partition(" ")
        if code.upper() not in row.codes:
            raise PourError(f"{row.treatment.name}: {code} is none of its units; they are {', '.join(row.codes)}.")
        given[code.upper()] = parse_number(amount.strip().rstrip(row.treatment.amount_unit) or "0")
    return given


def _override(row: Row, batch: Batch | None, done_on: date) -> str:
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
