"""Whether the parts of a trial that came from outside fit together: letters, codes, days, numbers."""

import math
from collections.abc import Collection, Iterable, Iterator, Sequence
from datetime import date

from eproba.core.errors import EprobaError
from eproba.core.trial.model import Reading, Trial

MOST_DAYS = 10 * 366  # of one trial
MOST_UNITS = 2000
EARLIEST, LATEST = date(1990, 1, 1), date(2150, 1, 1)


class NotWhole(EprobaError):
    """Parts of a trial don't fit together; the message says which."""


def must_be_whole(trial: Trial, readings: Sequence[Reading] = ()) -> None:
    """Raise NotWhole with the first thing that does not fit."""
    problem = next(iter(_problems(trial, readings)), None)
    if problem is not None:
        raise NotWhole(problem)


def _problems(trial: Trial, readings: Sequence[Reading]) -> Iterator[str]:
    yield from _missing(trial)
    yield from _of_letters(trial)
    yield from _of_days(trial)
    yield from _of_numbers(trial, readings)
    yield from _of_readings(trial, readings)


def _missing(trial: Trial) -> Iterator[str]:
    for name, parts in (("units", trial.units), ("rounds", trial.rounds), ("measures", trial.asked)):
        if not parts:
            yield f"It has no {name}."
    if len(trial.treatments) < 2:
        yield "It has fewer than two treatments."
    if len(trial.units) > MOST_UNITS:
        yield f"It has more than {MOST_UNITS} units."


def _of_letters(trial: Trial) -> Iterator[str]:
    letters = [treatment.letter for treatment in trial.treatments]
    if any(len(letter) != 1 or not letter.isalpha() for letter in letters):
        yield "A treatment has no letter."
    yield from _twice("letter", letters)
    yield from _twice("unit", [unit.code for unit in trial.units])
    if trial.control not in letters:
        yield f"Its control, {trial.control or 'none'}, is no treatment of it."
    named = (*(unit.letter for unit in trial.units), *(pour.letter for pour in trial.pours))
    if strange := sorted(set(named) - set(letters)):
        yield f"Something in it is of treatment {strange[0] or 'none'}, which it does not have."
    if idle := sorted(set(letters) - {unit.letter for unit in trial.units}):
        yield f"No unit of it got treatment {idle[0]}."
    if (trial.in_blocks or trial.turns) and any(not (unit.block or "").isdigit() for unit in trial.units):
        yield "It was dealt in blocks, and one of its units is in none."


def _twice(what: str, names: Collection[str]) -> Iterator[str]:
    for name in names:
        if list(names).count(name) > 1:
            yield f"The {what} {name} stands in it twice."
            return


def _of_days(trial: Trial) -> Iterator[str]:
    if not EARLIEST <= trial.start_on <= LATEST:
        yield f"It starts on {trial.start_on.isoformat()}, which can’t be."
    days = [trial.decision_day, *(round_.day for round_ in trial.rounds), *(pour.day for pour in trial.pours)]
    if any(not -MOST_DAYS <= day <= MOST_DAYS for day in days) or trial.decision_day < 0:
        yield "One of its days lies years away."
    yield from _twice("round of day", [str(round_.day) for round_ in trial.rounds])


def _of_numbers(trial: Trial, readings: Iterable[Reading]) -> Iterator[str]:
    numbers = [trial.worth, trial.guard_cm, *(value for t in trial.treatments for value in (t.amount, t.rung))]
    numbers += [value for unit in trial.units for value in (unit.cut.x_cm, unit.cut.y_cm, unit.cut.size)]
    numbers += [reading.value for reading in readings]
    if any(number is not None and not math.isfinite(number) for number in numbers):
        yield "One of its numbers is none."


def _of_readings(trial: Trial, readings: Iterable[Reading]) -> Iterator[str]:
    units, rounds = {unit.id for unit in trial.units}, {round_.id for round_ in trial.rounds}
    measures = {asked.measure.key for asked in trial.asked}
    for reading in readings:
        if reading.unit_id not in units or reading.round_id not in rounds or reading.measure_key not in measures:
            yield "One of its readings is of a unit, a round or a measure that it does not have."
            return
