"""What a unit gets: volumes, whether they are alike, amounts as typed."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

from eproba.core.errors import EprobaError
from eproba.core.quantities import QuantityError, converted
from eproba.core.trial.ground import Cut
from eproba.core.trial.model import Per, Pour, Treatment, Trial, Unit
from eproba.core.words import figure_or_whole, parse_number

LITRES: Mapping[str, float] = {"mL": 0.001, "L": 1.0}
SMALLER: Mapping[str, str] = {"L": "mL", "kg": "g"}
US_DOSES: Mapping[str, str] = {"fl oz": "mL", "gal": "L", "oz": "g", "lb": "kg"}  # typed → kept
PER_WORDS: Mapping[Per, str] = {"unit": " each", "m2": "/m²"}
UNEQUAL = 0.1  # of the most: a can's marks are read no better
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

    @property
    def words(self) -> str:
        return f"{self.amount:g} {self.unit}{PER_WORDS[self.per]}"


def metric_dose(given: float | None, unit: str) -> tuple[float | None, str]:
    """An amount and its unit as they are kept: of US units the metric one, to four figures."""
    kept = US_DOSES.get(unit, unit)
    if given is None or kept == unit:
        return given, kept
    return float(f"{converted(given, unit, kept):.4g}"), kept


def size_of(per: Per, cut: Cut) -> float:
    """How many times the amount a unit gets: once, or as often as it has square metres."""
    return cut.ground_m2 if per == "m2" else 1.0


def dose_of(treatment: Treatment) -> Dose | None:
    """What a treatment gives; None: nothing."""
    return None if treatment.amount is None else Dose(treatment.amount, treatment.amount_unit, treatment.per)


def planned_dose(trial: Trial, pour: Pour) -> Dose | None:
    """What an application gives by the plan; None: nothing."""
    treatment = trial.treatment(pour.letter)
    if pour.what == "water":
        return None if pour.planned is None else Dose(pour.planned, "L", pour.per or treatment.per)
    dose = dose_of(treatment)
    return dose if dose is None or pour.planned is None else replace(dose, amount=pour.planned)


def each_in_words(dose: Dose, units: Sequence[Unit]) -> list[tuple[str, tuple[str, ...]]]:
    """What single units get, where that takes reckoning: ("530 mL", (codes)), in walking order."""
    found: dict[str, list[str]] = {}
    for unit in sorted(units, key=lambda each: each.walk):
        found.setdefault(_handy(dose.of(unit.cut), dose.unit), []).append(unit.code)
    return [(words, tuple(codes)) for words, codes in found.items()]


def _handy(amount: float, unit: str) -> str:
    """An amount as a can or a scale shows it."""
    if unit in SMALLER and amount < 1:
        amount, unit = 1000 * amount, SMALLER[unit]
    return f"{figure_or_whole(float(f'{amount:.3g}'))} {unit}"


def litres_a_m2(dose: Dose, trial: Trial, letter: str) -> float | None:
    """Litres on a square metre of a treatment's units; None for what is spread."""
    cuts = [unit.cut for unit in trial.units if unit.letter == letter]
    poured = litres(sum(dose.of(cut) for cut in cuts), dose.unit)
    return None if poured is None else poured / sum(cut.ground_m2 for cut in cuts)


def unequal(volumes: Sequence[float]) -> bool:
    """Whether the volumes differ by more than a can can be read: a gap may then be the watering alone."""
    return bool(volumes) and max(volumes) - min(volumes) > UNEQUAL * max(volumes)


def amount(text: str, unit: str) -> float:
    """“250”, “250 mL”, “1,2 L each”, “2 L/m²”: what one unit, or a square metre, got, in the treatment's own unit.

    Raises
    ------
    DoseError, NumberError
        Another unit, no number, less than nothing, or more than any unit can get.
    """
    found = re.fullmatch(r"\s*([^\s\d]?[\d.,eE+]+)\s*(.*?)\s*(each|(?:a|/)\s*m²)?\s*", text)
    if found is None or not _fits(found[2], unit):
        raise DoseError(f"“{text.strip()}” is no amount: write what each unit got as a number of {unit}.")
    given = parse_number(found[1])
    if found[2] and found[2].lower() != unit.lower():
        given = converted(given, found[2], unit)
    if not 0 <= given <= MOST_EACH:
        raise DoseError(f"{given:g} {unit} for a unit can't be: from 0 to {MOST_EACH:g} {unit} fits.")
    return given


def _fits(written: str, unit: str) -> bool:
    """Whether an amount in a unit as written can be told in another."""
    if written.lower() in ("", unit.lower()):
        return True
    try:
        return converted(1.0, written, unit) > 0
    except QuantityError:
        return False


def exceptions(text: str, codes: Sequence[str], unit: str) -> dict[str, float]:
    """“P3 100, P7 1,5; P9 0”: what single units got instead of the others, by code.

    Raises
    ------
    DoseError
        A unit that is not among `codes`, a unit without its amount, a unit named twice.
    """
    given: dict[str, float] = {}
    for part in _parts(text):
        code, _, rest = part.partition(" ")
        if code.upper() not in codes:
            raise DoseError(f"{code} is none of its units; they are {', '.join(codes)}.")
        if not rest.strip():
            raise DoseError(f"{code.upper()}: say how much it got, e.g. {code.upper()} 100; 0 for nothing.")
        if code.upper() in given:
            raise DoseError(f"{code.upper()} stands there twice; write it once.")
        given[code.upper()] = amount(rest, unit)
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
    return [each.strip(" ,") for each in parts if each.strip(" ,")]
