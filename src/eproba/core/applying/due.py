"""A round or a pour of a trial that waits for its day."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from eproba.core.trial.compared import COMPARED
from eproba.core.trial.days import POUR_SECONDS, is_asked, seconds_of_round
from eproba.core.trial.ground import UNIT, UnitNoun
from eproba.core.trial.model import Asked, Compared, RoundTime


@dataclass(frozen=True)
class Due:
    """A round or the pours of one day that wait; `pull`: what destroys is read in that round; `last`: it closes the
    trial."""

    kind: str
    trial_id: int
    trial_name: str
    round_id: int | None
    day: int
    on: date
    letters: str
    units: int
    treatments: int = 0
    pull: bool = False
    pour_id: int | None = None
    compared: Compared = "drench"
    time: RoundTime | None = None
    last: bool = False
    noun: UnitNoun = UNIT

    @property
    def uid(self) -> str:
        """Names it in calendars, however its day moves."""
        return f"{self.kind}-{self.round_id or self.pour_id}-{self.trial_id}"

    @property
    def words(self) -> str:
        """What it is, in a word or two."""
        if self.kind == "pour":
            return f"{COMPARED[self.compared].noun.capitalize()}, day {self.day}"
        return "Baseline" if self.day == 0 else f"Round, day {self.day}"

    def minutes(self, asked: Iterable[Asked]) -> float:
        """How long it takes, by what the trial asks."""
        if self.kind == "pour":
            return POUR_SECONDS * self.units * len(self.letters) / max(1, self.treatments) / 60
        return seconds_of_round([(a.measure, a.per_unit) for a in self.asked(asked)], self.units, self.pull) / 60

    def asked(self, asked: Iterable[Asked]) -> list[Asked]:
        """What of all that the trial asks is read in this round."""
        return [a for a in asked if self.kind == "round" and is_asked(a.measure, self.day, self.pull, a.days)]
