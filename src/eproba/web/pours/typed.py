"""One day's applications as typed: amounts, exceptions, batches, circumstances; wrong ones get a sentence."""

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from eproba.core.applying.at_the_pour import MOISTURES
from eproba.core.brewing.batches import why_not_pour
from eproba.core.brewing.events import CLOCKS_DIFFER, Batch, BatchError
from eproba.core.brewing.mixing import differs
from eproba.core.errors import EprobaError
from eproba.core.quantities import Units, celsius, number_typed, told
from eproba.core.trial.doses import Dose, amount, each_in_words, exceptions, given_on, planned_dose
from eproba.core.trial.model import Pour, Treatment, Trial
from eproba.store.brewing import when
from eproba.web.ui.fields import exact_text, moment_of, shown_text, written
from eproba.web.ui.session import typed_system
from eproba.web.ui.units import units

CANS = {"own": "from its own can", "first": "control first, same can", "after": "same can, after the brew"}
MOST_TEXT = 300


class PourError(EprobaError):
    """Something about an application that can't be; the message says what to write."""


@dataclass(frozen=True)
class PourRowShown:
    """One treatment of the day: what stands in the form, typed or on record or as planned."""

    pour: Pour
    treatment: Treatment
    dose: Dose | None
    given: Dose | None
    each: tuple[tuple[str, tuple[str, ...]], ...]
    codes: tuple[str, ...]
    status: str
    amount: str
    exceptions: str
    batch: str
    other_batch: str
    override: str
    done_at: str
    note: str

    @property
    def mark(self) -> str:
        """Changes with whatever stands on record of it, so that a form tells what it was made from."""
        return hashlib.sha256(repr(self.pour).encode()).hexdigest()[:16]

    @property
    def planned(self) -> str:
        return "" if self.dose is None else self.dose.said(units())

    @property
    def unit(self) -> str:
        return "" if self.dose is None else self.dose.unit

    @property
    def typed_in(self) -> str:
        """The unit of a bare number among the exceptions."""
        return Units(typed_system()).unit(self.unit)

    @property
    def plain(self) -> bool:
        """Plain water that makes up for what other treatments get."""
        return self.pour.what == "water"


@dataclass(frozen=True)
class DayTyped:
    """What holds for all units of the day, as typed."""

    soil_c: str
    moisture: str
    alike: str
    can: str


def row_of(trial: Trial, pour: Pour, typed: Mapping[str, str], now: datetime) -> PourRowShown:
    """What stands in the form for one treatment."""
    treatment = trial.treatment(pour.letter)
    units_given = [unit for unit in trial.given_to(pour.letter, pour.what, pour.day) if unit.lost_on is None]
    dose = planned_dose(trial, pour)
    given = dose if dose is None or pour.amount_each is None else replace(dose, amount=pour.amount_each)
    standing = {
        "status": pour.status if pour.status != "due" else "poured",
        "amount": "" if given is None else given.said(units()),
        "exceptions": _told(pour.unit_amounts, "" if dose is None else dose.unit),
        "batch": "" if pour.batch is None else str(pour.batch),
        "other_batch": "" if pour.other_batch is None else str(pour.other_batch),
        "override": pour.override,
        "done_at": written(pour.done_at or (when(pour.done_on) if pour.done_on else now)),
        "note": pour.note,
    }
    filled = {name: typed.get(f"{name}-{pour.id}", usual).strip()[:MOST_TEXT] for name, usual in standing.items()}
    codes = tuple(unit.code for unit in sorted(units_given, key=lambda unit: unit.walk))
    words = () if dose is None or dose.per == "unit" else tuple(each_in_words(dose, units_given, units()))
    return PourRowShown(pour, treatment, dose, given, words, codes, **filled)


def _told(amounts: Mapping[str, float], unit: str) -> str:
    """What single units got, as it is typed."""
    return ", ".join(f"{code} {exact_text(amount, unit)}" for code, amount in amounts.items())


def circumstances(pours: list[Pour], typed: Mapping[str, str]) -> DayTyped:
    """What stands in the form for the day: typed, else on record."""
    known = next((pour for pour in pours if pour.status != "due"), None)
    if typed:
        return DayTyped(
            typed.get("soil_c", ""), typed.get("moisture", ""), typed.get("alike", "no"), typed.get("can", "own")
        )
    if known is None:
        return DayTyped("", "", "yes", "own")
    soil = "" if known.soil_c is None else shown_text(f"{known.soil_c:g}", "°C")
    return DayTyped(soil, known.moisture, "no" if known.alike is False else "yes", known.can or "own")


def values_of(trial: Trial, row: PourRowShown, day: DayTyped, brews: Sequence[Batch], now: datetime) -> dict[str, Any]:
    """The columns to keep; `brews` it was poured from, two where they were brewed side by side.

    Raises
    ------
    EprobaError
        With the sentence for what is wrong; errors of numbers, dates and temperatures come as they are.
    """
    if row.status not in ("poured", "skipped"):
        raise PourError("Say for each treatment whether it was poured or skipped.")
    if row.status == "skipped" and not row.note:
        raise PourError(f"Say in the note why {row.treatment.name} was skipped.")
    done_at = moment_of(row.done_at, now)
    done_on = given_on(trial, done_at.date(), now.astimezone().date())
    if done_at > now + CLOCKS_DIFFER:
        raise PourError(f"{row.treatment.name}: {done_at:%H:%M} is still to come: put it on record when it is done.")
    soil_c = soil_temperature(day)
    if day.moisture and day.moisture not in MOISTURES:
        raise PourError(f"The soil is {', '.join(MOISTURES[:-1])} or {MOISTURES[-1]}.")
    common = {
        "status": row.status, "done_on": done_on, "done_at": done_at, "note": row.note, "soil_c": soil_c,
        "moisture": day.moisture, "alike": day.alike == "yes", "can": day.can if day.can in CANS else "",
        "amount_each": None, "amount": "", "unit_amounts": {}, "batch_id": None, "other_batch_id": None, "override": "",
        "otherwise": "",
    }  # fmt: skip
    if row.status == "skipped":
        return common
    amount_each, others = _amounts(row)
    override = _override(row, brews, done_at)
    return common | {
        "amount_each": amount_each, "unit_amounts": others,
        "amount": replace(row.dose, amount=amount_each).words if row.dose else "",
        "batch_id": brews[0].id if brews else None, "other_batch_id": brews[1].id if len(brews) > 1 else None,
        "override": override,
        "otherwise": "; ".join(line for b in brews for line in differs(b.recipe, b.amounts, b.litres)),
    }  # fmt: skip


def soil_temperature(day: DayTyped) -> float | None:
    """As typed. Raises NumberError, QuantityError."""
    return celsius(number_typed(day.soil_c, "°C", typed_system())) if day.soil_c else None


def _amounts(row: PourRowShown) -> tuple[float, dict[str, float]]:
    """What each unit got, and the units that got another amount."""
    dose, typed_in = row.dose or Dose(0.0, ""), typed_system()
    untouched = row.given is not None and row.amount == row.given.said(Units(typed_in))  # said shorter than it is
    try:
        amount_each = row.given.amount if row.given and untouched else amount(row.amount, dose, typed_in)
        others = exceptions(row.exceptions, row.codes, dose, typed_in)
    except EprobaError as error:
        raise PourError(f"{row.treatment.name}: {told(error, units())}") from error
    if amount_each == 0 and not any(others.values()):
        raise PourError(f"{row.treatment.name}: 0 {row.unit} is no pour: choose “skipped”, and say why.")
    return amount_each, others


def _override(row: PourRowShown, brews: Sequence[Batch], done_at: datetime) -> str:
    """Nothing where the batches are good at the pour’s own hour; else the reason for pouring them all the same, or an
    error that asks for one."""
    try:
        against = [why for brew in brews if (why := why_not_pour(brew, done_at))]
    except BatchError as error:
        raise PourError(f"{row.treatment.name}: {error}") from error
    if brews and brews[0].id == row.pour.batch:
        return row.pour.override  # on record already: a correction is no new pour
    why = " ".join(against)
    if why and not row.override:
        text = f"{row.treatment.name}: {why} Choose another batch, or say why you pour it all the same; it is put on"
        raise PourError(f"{text} record and stands in the verdict.")
    return f"{row.override} ({why.rstrip('.')})" if why else ""
