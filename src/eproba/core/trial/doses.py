"""What a unit gets: volumes, whether they are alike, amounts as typed."""

import re
from collections.abc import Mapping, Sequence
from datetime import date, timedelta

from eproba.core.errors import EprobaError
from eproba.core.trial.model import Trial
from eproba.core.words import parse_number

LITRES: Mapping[str, float] = {"mL": 0.001, "L": 1.0}
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


def unequal(volumes: Sequence[float]) -> bool:
    """Whether the volumes differ by more than a can can be read: a gap may then be the watering alone."""
    return bool(volumes) and max(volumes) - min(volumes) > UNEQUAL * max(volumes)


def amount(text: str, unit: str) -> float:
    """“250”, “250 mL”, “1,2 L each”: what one unit got, in the treatment's own unit.

    Raises
    ------
    DoseError, NumberError
        Another unit, no number, less than nothing, or more than any unit can get.
    """
    found = re.fullmatch(r"\s*([^\s\d]?[\d.,eE+]+)\s*([^\d\s]*)\s*(each)?\s*", text)
    if found is None or found[2].lower() not in ("", unit.lower()):
        raise DoseError(f"“{text.strip()}” is no amount: write what each unit got as a number of {unit}.")
    given = parse_number(found[1])
    if not 0 <= given <= MOST_EACH:
        raise DoseError(f"{given:g} {unit} for a unit can't be: from 0 to {MOST_EACH:g} {unit} fits.")
    return given


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
