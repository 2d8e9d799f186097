"""The claim of a trial, as one sentence built from its plan wherever it is shown.

What is declared is fixed: a worth or a decision day that was changed later stands among the amendments, not here.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from eproba.core.measuring.measures import Measure
from eproba.core.stats.summaries import Summary
from eproba.core.trial.compared import AGAINST, CONTROL_PHRASES
from eproba.core.trial.model import Role, Trial
from eproba.core.trial.worth import Worth, halves, shown_worth, worth_unit
from eproba.core.words import listed, lower_first

# Earlier versions wrote the sentence of the moment into the field for own words: nobody’s own, and soon out of date.
WRITTEN_FOR_HIM = re.compile(r"By day \d+, .+\.")


@dataclass(frozen=True)
class Asking:
    """What is asked, planned or declared: names of what is tested and of what it is compared with, the first measure,
    how much of it matters, by which day; `turns`: places take turns; `lasted`: asked again after a
    trial, nothing given since."""

    tested: tuple[str, ...]
    control: str
    measure: Measure
    worth: Worth
    day: int
    no_worse: bool = False
    ranked: bool = False
    lower_is_better: bool = False
    summary: Summary = "last"
    level: float | None = None
    turns: bool = False
    lasted: bool = False

    @property
    def size(self) -> str:
        """How much would matter, with its unit; empty where anything would."""
        return self.worth.words(worth_unit(self.measure.judged_unit, self.summary))

    @property
    def sentence(self) -> str:
        """The claim as a sentence that a trial can answer."""
        size = self.size or "noticeably"
        if self.ranked:
            return self._of_a_ranking()
        subject = _named([lower_first(name) for name in self.tested] or ["the treatment"])
        when = f"{self.day} days after the trial" if self.lasted else f"By day {self.day}"
        where = f"{when}, {f'a place with {subject}' if self.turns else subject}"
        other = f"{'with ' if self.turns else ''}{self.control}"
        about = f"({lower_first(self.measure.name)})"
        if self.no_worse and self.worth.size is None:
            return f"{where} came out not noticeably worse than {other} {about}."
        if self.no_worse:
            return f"{where} came out no worse than {other} by more than {size} {about}."
        words = halves(self.measure, self.summary, self.level)[self.lower_is_better].replace("{gap}", size)
        return f"{where} {words} than {other}."

    def _of_a_ranking(self) -> str:
        names = [*(lower_first(name) for name in self.tested), self.control]
        apart = f", by {self.size} or more" if self.size else ""
        about = f"ahead of others ({lower_first(self.measure.name)}){apart}"
        return f"By day {self.day}, some of {listed(names)} are {about}."


def _named(names: Sequence[str]) -> str:
    """“a, b or c”; rungs of a ladder as “a (1 + 20 or 1 + 10)”; names with commas are kept apart."""
    stems = {name.partition(", ")[0] for name in names}
    if len(names) > 1 and len(stems) == 1 and all(", " in name for name in names):
        return f"{stems.pop()} ({listed([name.partition(', ')[2] for name in names], 'or')})"
    if len(names) > 1 and any("," in name for name in names):
        return "; ".join([*names[:-1], f"or {names[-1]}"])
    return listed(names, "or")


def control_words(name: str, role: Role) -> str:
    """How a control is called inside the sentence: by its name, or as its role while it has none."""
    return CONTROL_PHRASES.get(name.strip()) or lower_first(name.strip()) or AGAINST[role]


def compared_names(treatments: Sequence[tuple[str, Role]], control: int) -> tuple[tuple[str, ...], str]:
    """What is tested, and what it is compared with, of treatments with their roles.

    Where nothing has the role of a test, all but the control are compared with it.
    """
    others = [treatment for place, treatment in enumerate(treatments) if place != control]
    tested = [name.strip() for name, role in others if role == "test"] or [name.strip() for name, _ in others]
    return tuple(name for name in tested if name), control_words(*treatments[control])


def claim_of(trial: Trial) -> str:
    """The sentence of a trial, as it was declared where it is."""
    declared = {} if trial.declared is None else trial.declared.facts
    letters = [treatment.letter for treatment in trial.treatments]
    roles: list[tuple[str, Role]] = [(treatment.name, treatment.role) for treatment in trial.treatments]
    tested, control = compared_names(roles, letters.index(trial.control))
    first = trial.asked[0].measure
    kept, day = as_declared(declared, trial.worth_kept, trial.decision_day)
    worth = Worth(shown_worth(kept, trial.scale, trial.summary, first), trial.scale)
    return Asking(
        tested, control, first, worth, day, trial.no_worse, trial.ranked, trial.lower_is_better, trial.summary,
        trial.rules.level, trial.turns, trial.rules.carried == "lasted",
    ).sentence  # fmt: skip


def as_declared(facts: Mapping[str, Any], worth: float | None, day: int) -> tuple[float | None, int]:
    """Worth (as kept) and decision day of the declared facts; without a declaration those of now."""
    return facts.get("worth", worth), facts.get("decision day", day)


def own_words(claim: str) -> str:
    """What the gardener wrote himself."""
    return "" if WRITTEN_FOR_HIM.fullmatch(claim.strip()) else claim.strip()
