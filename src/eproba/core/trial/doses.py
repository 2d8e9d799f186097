"""What a unit gets: volumes, whether they are alike, amounts as typed."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Protocol

from eproba.core.errors import EprobaError
from eproba.core.quantities import METRIC, Amount, System, Units, conversion, converted, is_convertible, number_typed
from eproba.core.trial.days import days_in_words
from eproba.core.trial.ground import Cut
from eproba.core.trial.model import Per, PlannedTreatment, Pour, PourWhat, Trial, Unit
from eproba.core.words import parse_number

LITRES: dict[str, float] = {"mL": 0.001, "L": 1.0}
SMALLER: Mapping[str, str] = {"L": "mL", "kg": "g"}
US_DOSES: Mapping[str, str] = {"fl oz": "mL", "gal": "L", "oz": "g", "lb": "kg"}  # typed → kept
PER_WORDS: Mapping[Per, str] = {"unit": " each", "m2": "/m²"}
UNEQUAL = 0.1  # of the most: a can's marks are read no better
ROUNDING = 1e-9
EARLIEST = timedelta(days=366)  # before day 0: an older day is a slip
MOST_EACH = 100_000.0  # in any unit: beyond is a slip


class DoseError(EprobaError):
    """An amount that can't be given; the message says what to write."""


def is_poured(unit: str) -> bool:
    """Whether an amount in this unit is poured, not spread."""
    return unit in LITRES


def litres(amount: float, unit: str) -> float | None:
    """Litres of what is poured; None for what is spread."""
    return amount * LITRES[unit] if is_poured(unit) else None


@dataclass(frozen=True)
class Dose:
    """How much of what, for each unit or for each square metre of its ground."""

    amount: float
    unit: str
    per: Per = "unit"

    def of(self, cut: Cut) -> float:
        """What one unit gets, in the dose's own unit."""
        return self.amount * size_of(self.per, cut)

    def said(self, units: Units = METRIC) -> str:
        """“250 mL each”, “2 L/m²”, as a household has it."""
        return said_of((self.amount,), self.unit, self.per, units)

    @property
    def words(self) -> str:
        """As the record keeps it."""
        return f"{self.amount:g} {self.unit}{PER_WORDS[self.per]}"


def said_of(amounts: Sequence[float], unit: str, per: Per, units: Units = METRIC) -> str:
    """One amount or a range of them: “1 to 1.5 L each”."""
    value = Amount(amounts[0], unit, "m²" if per == "m2" else "", amounts[-1])
    return units(value) + (" each" if per == "unit" else "")


def metric_dose(given: float | None, unit: str, square: str = "m²") -> tuple[float | None, str]:
    """An amount and its unit as they are kept: of US units the metric one, to four figures; given by the ground, of
    each `square` (“sq ft”)."""
    kept = US_DOSES.get(unit, unit)
    if given is None or (kept == unit and square == "m²"):
        return given, kept
    times = 1.0 if square == "m²" else converted(1.0, "m²", square)
    return float(f"{times * (given if kept == unit else converted(given, unit, kept)):.4g}"), kept


def typed_dose(dose: Dose, system: System) -> tuple[float, str]:
    """An amount and its unit as a household types them: the way back."""
    names = {kept: typed for typed, kept in US_DOSES.items()} if system == "US" else {}
    unit = names.get(dose.unit, dose.unit)
    amount = dose.amount if unit == dose.unit else converted(dose.amount, dose.unit, unit)
    if dose.per == "m2":
        amount /= conversion("m²", system).factor
    return float(f"{amount:.4g}"), unit


def size_of(per: Per, cut: Cut) -> float:
    """How many times the amount a unit gets: once, or as often as it has square metres."""
    return cut.ground_m2 if per == "m2" else 1.0


class Application(Protocol):
    """What is planned of an application: plain water or the dose, and its own amount where it has one."""

    @property
    def what(self) -> PourWhat: ...
    @property
    def planned(self) -> float | None: ...
    @property
    def per(self) -> Per | None: ...


def dose_of(treatment: PlannedTreatment, application: Application | None = None) -> Dose | None:
    """What a treatment gives, in an application that may have its own amount; None: nothing."""
    if application is not None and application.what == "water":
        per = application.per or treatment.per
        return None if application.planned is None else Dose(application.planned, "L", per)
    if treatment.amount is None:
        return None
    own = None if application is None else application.planned
    return Dose(treatment.amount if own is None else own, treatment.amount_unit, treatment.per)


def planned_dose(trial: Trial, pour: Pour) -> Dose | None:
    """What an application gives by the plan; None: nothing."""
    return dose_of(trial.treatment(pour.letter), pour)


def given_words(treatment: PlannedTreatment, days: Sequence[int], units: Units = METRIC) -> str:
    """What a treatment is given and when, as every page says it; `days`: those of its own dose."""
    if treatment.things == "12":
        return "what both others get"
    dose = dose_of(treatment)
    nothing = "nothing" if treatment.role == "untreated" else "no dose"
    if dose is None:
        return nothing
    when = [days_in_words(days)] if days else []
    return ", ".join([dose.said(units), *(["at every watering"] if treatment.each_watering else []), *when])


def each_in_words(dose: Dose, plots: Sequence[Unit], units: Units = METRIC) -> list[tuple[str, tuple[str, ...]]]:
    """What single units get, where that takes reckoning: ("530 mL", (codes)), in walking order."""
    units_by_words: dict[str, list[str]] = {}
    for plot in sorted(plots, key=lambda plot: plot.walk):
        units_by_words.setdefault(units(_handy(dose.of(plot.cut), dose.unit)), []).append(plot.code)
    return [(words, tuple(codes)) for words, codes in units_by_words.items()]


def _handy(amount: float, unit: str) -> Amount:
    """An amount as a can or a scale shows it."""
    if unit in SMALLER and amount < 1:
        amount, unit = 1000 * amount, SMALLER[unit]
    return Amount(float(f"{amount:.3g}"), unit)


def litres_a_m2(dose: Dose, trial: Trial, letter: str) -> float | None:
    """Litres on a square metre of a treatment's units; None for what is spread."""
    cuts = [unit.cut for unit in trial.units if unit.letter == letter]
    poured = litres(sum(dose.of(cut) for cut in cuts), dose.unit)
    return None if poured is None else poured / sum(cut.ground_m2 for cut in cuts)


def water_given(trial: Trial) -> dict[int, dict[str, float]]:
    """Litres on a square metre of each unit (by code), by planned day, from what was done: what was skipped, or is not
    on record, is nothing. Days without any water, and units to which the plan gives none, are left out."""
    done = {pour.day for pour in trial.pours if pour.status == "poured"}
    water: dict[int, dict[str, float]] = {}
    for pour in trial.pours:
        dose = planned_dose(trial, pour)
        if dose is None or pour.day not in done or not is_poured(dose.unit):
            continue
        of_day = water.setdefault(pour.day, {})
        for unit in trial.given_to(pour.letter, pour.what, pour.day):
            if unit.lost_on is None or unit.lost_on > trial.date_of(pour.day):
                poured = litres(given_amount(pour, dose, unit), dose.unit) or 0.0
                of_day[unit.code] = of_day.get(unit.code, 0.0) + poured / unit.cut.ground_m2
    return {day: units for day, units in water.items() if any(units.values())}


def given_amount(pour: Pour, dose: Dose, unit: Unit) -> float:
    """What one unit got in an application, in the unit of its `dose`: as planned where nobody said otherwise."""
    if pour.status != "poured":
        return 0.0
    if unit.code in pour.unit_amounts:
        return pour.unit_amounts[unit.code]
    return (dose if pour.amount_each is None else replace(dose, amount=pour.amount_each)).of(unit.cut)


def unequal(volumes: Sequence[float]) -> bool:
    """Whether the volumes differ by more than a can can be read: a gap may then be the watering alone. What rounding
    adds is no difference."""
    return bool(volumes) and max(volumes) - min(volumes) > UNEQUAL * max(volumes) * (1 + ROUNDING)


def amount(text: str, dose: Dose, system: System = "metric") -> float:
    """“250”, “250 mL”, “1,2 L each”, “2 L/m²”: what one unit, or a square metre, got, in the unit of the dose; a bare
    number is in the household's.

    Raises
    ------
    DoseError
        Another unit, no number, less than nothing, or more than any unit can get.
    """
    kept = dose.unit + ("/m²" if dose.per == "m2" else "")
    try:
        given = number_typed(text, kept, system) if is_convertible(kept) else _counted(text, dose.unit)
    except EprobaError as error:
        unit = Units(system).unit(kept)
        raise DoseError(f"“{text.strip()}” is no amount: write what each unit got as a number of {unit}.") from error
    if not 0 <= given <= MOST_EACH:
        fits = "{} for a unit doesn’t fit: give 0 to {}."
        raise DoseError(fits, Amount(given, dose.unit), Amount(MOST_EACH, dose.unit))
    return given


def _counted(text: str, unit: str) -> float:
    """“2” or “2 handful each”."""
    return parse_number(re.sub(rf"\s*{re.escape(unit)}s?(\s*each)?\s*$", "", text))


def exceptions(text: str, codes: Sequence[str], dose: Dose, system: System = "metric") -> dict[str, float]:
    """“P3 100, P7 1,5; P9 0”: what single units got instead of the others, by code.

    Raises
    ------
    DoseError
        A unit that is not among `codes`, a unit without its amount, a unit named twice.
    """
    given: dict[str, float] = {}
    for_a_unit = replace(dose, per="unit")
    for part in _parts(text):
        code, _, rest = part.partition(" ")
        if code.upper() not in codes:
            raise DoseError(f"{code} is none of its units; they are {', '.join(codes)}.")
        if not rest.strip():
            raise DoseError(f"{code.upper()}: say how much it got, e.g. {code.upper()} 100; 0 for nothing.")
        if code.upper() in given:
            raise DoseError(f"{code.upper()} stands there twice; write it once.")
        given[code.upper()] = amount(rest, for_a_unit, system)
    return given


def second_brew(units: Sequence[Unit]) -> frozenset[str]:
    """The codes of the units that the second of two brews side by side goes to: every second block, or where there
    are none every second unit, in walking order."""
    ordered = sorted(units, key=lambda unit: unit.walk)
    blocks = list(dict.fromkeys(unit.block for unit in ordered))
    if len(blocks) > 1:
        return frozenset(unit.code for unit in ordered if blocks.index(unit.block) % 2)
    return frozenset(unit.code for unit in ordered[1::2])


def given_on(trial: Trial, on: date, today: date) -> date:
    """The day of an application, where it can be one.

    Raises
    ------
    DoseError
        A day still to come, or long before the trial.
    """
    if on > today:
        raise DoseError(f"{on.isoformat()} is still to come: put an application on record when it is done.")
    if on < trial.start_on - EARLIEST:
        raise DoseError(f"{on.isoformat()} is long before the trial began: was it another year?")
    return on


def _parts(text: str) -> list[str]:
    """One part a unit. A comma parts units only where a code follows: in “H1 1,2” it is a decimal comma."""
    parts = re.split(r"[;\n]|,(?=\s*[A-Za-z])", text)
    return [part.strip(" ,") for part in parts if part.strip(" ,")]
