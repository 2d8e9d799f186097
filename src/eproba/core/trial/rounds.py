"""The life of a round: open, in, or missed. One rule closes it, for till, file and button alike."""

import math
from collections.abc import Collection, Iterable
from datetime import date

from eproba.core.measuring.measures import Measure
from eproba.core.trial.lots import shuffled
from eproba.core.trial.model import Reading, Round, Trial, Unit

NEAR_DAYS = 3
REPEATED_SECONDS = 120
Place = tuple[int, str, int]  # unit id, measure key, number of the reading


def places(trial: Trial, this: Round, units: Iterable[Unit], over: Collection[tuple[int, str]] = ()) -> list[Place]:
    """Every reading that a round asks of these units, in walking order; `over`: see `happened`."""
    return [
        (unit.id, asked.measure.key, number)
        for unit in units
        for asked in trial.asked_in(this)
        for number in range(1, asked.per_unit + 1)
        if (unit.id, asked.measure.key) not in over
    ]


def happened(trial: Trial, this: Round, readings: Iterable[Reading]) -> set[tuple[int, str]]:
    """What has happened in a unit before this round, once and for all: (unit id, measure) is not asked again."""
    days = {asked.measure.key for asked in trial.asked if asked.measure.kind == "day"}
    before = {round_.id for round_ in trial.rounds if round_.day < this.day}
    return {
        (reading.unit_id, reading.measure_key)
        for reading in readings
        if reading.measure_key in days and reading.round_id in before and reading.value
    }


def asked_again(trial: Trial, this: Round) -> list[tuple[str, str]]:
    """What a round asks a second time under way, without saying so: (unit's code, measure), by lot from its key.

    Not what ends the plant, happens once, is read off a picture, or takes long.
    """
    living = trial.living(trial.date_of(this.day))
    count = math.ceil(trial.rules.repeats * len(living) - 1e-9)
    chosen = [asked.measure for asked in trial.asked_in(this) if _can_be_repeated(asked.measure)]
    lots = {asked_.key: shuffled(len(living), f"{this.key}:{asked_.key}:again")[:count] for asked_ in chosen}
    return [(living[place].code, key) for key, places_ in lots.items() for place in sorted(places_)]


def _can_be_repeated(measure: Measure) -> bool:
    short = measure.seconds <= REPEATED_SECONDS and measure.kind not in ("day", "photo", "worked out")
    return short and not measure.destructive


def complete(trial: Trial, this: Round, readings: Iterable[Reading]) -> bool:
    """Whether every living unit has all its readings, or its reasons why not: then the round closes by itself.

    `readings`: of this round, and of those before it where the trial asks on which day something happens.
    """
    known = list(readings)
    answered = {
        (reading.unit_id, reading.measure_key, reading.replicate) for reading in known if reading.round_id == this.id
    }
    wanted = places(trial, this, trial.living(trial.date_of(this.day)), happened(trial, this, known))
    return answered.issuperset(wanted)


def round_near(trial: Trial, on: date) -> Round | None:
    """The round to which a picture of that day belongs: the nearest within three days, the earlier if in doubt."""
    near = [round_ for round_ in trial.rounds if abs((trial.date_of(round_.day) - on).days) <= NEAR_DAYS]
    return min(near, key=lambda round_: (abs((trial.date_of(round_.day) - on).days), round_.day), default=None)


def passed_over(trial: Trial, closing: Round, read: Collection[int]) -> list[tuple[Round, bool]]:
    """What becomes of the open rounds before one that closes: (round, missed).

    `read`: ids of the rounds that hold readings. A round with none was missed; one with some closes as it is.
    """
    earlier = [round_ for round_ in trial.rounds if round_.day < closing.day and not round_.done and not round_.missed]
    return [(round_, round_.id not in read) for round_ in earlier]


def may_open_again(this: Round, sealed: bool) -> bool:
    """Whether a closed or missed round can be opened again: only while the envelope is shut."""
    return sealed and (this.done or this.missed)
