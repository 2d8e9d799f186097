"""What a trial says to each of its questions, kept so that trials of one question can be put together."""

import hashlib
import unicodedata
from collections.abc import Mapping
from dataclasses import dataclass, field

from eproba.core.judging.verdicts import Verdict
from eproba.core.stats.series import Scale
from eproba.core.stats.summaries import Summary
from eproba.core.trial.days import days_in_words
from eproba.core.trial.doses import dose_of
from eproba.core.trial.model import Role, Treatment, Trial
from eproba.core.words import plural


@dataclass(frozen=True)
class Asks:
    """What must be alike for two comparisons to be one question; `worth` may differ, and is told."""

    measure: str
    control: Role
    scale: Scale
    summary: Summary
    day: int
    strength: str
    lower_is_better: bool = False
    no_worse: bool = False
    level: float | None = None
    worth: float | None = None


@dataclass(frozen=True)
class Answer:
    """What one trial says to one question: the gap of one treatment with its own error; None: described, never judged.

    `question` is what it is found by; `held`: the rule of the ledger that caps the verdict, `cap` how far; `was`: what
    may differ between trials, in words (season, place …); `fingerprint` of the declared plan.
    """

    question: str
    letter: str
    treatment: str
    control: str
    asks: Asks
    gap: float | None
    se: float | None
    df: float | None
    verdict: Verdict
    held: str = ""
    was: Mapping[str, str] = field(default_factory=dict, hash=False)
    fingerprint: str = ""


@dataclass(frozen=True)
class Told:
    """An answer with the trial that gave it; `left_out`: why a person left it out (empty: nobody did)."""

    trial: str
    answer: Answer
    left_out: str = ""


FACETS = (
    "season", "place", "units", "design", "crops", "dose", "given on", "batches", "blind", "decided on", "worth",
    "held back by",
)  # fmt: skip


def question_key(trial: Trial, treatment: Treatment) -> str:
    """What a comparison is found by: the measure, what is tried, the kind of control. Where a trial tries one thing
    in several ways (the rungs of a ladder), each by its own name. Whether something lasted is a question of its own."""
    tried, name = treatment.recipe, _plain(treatment.name)
    if not tried or sum(treatment.recipe == tried for treatment in trial.treatments) > 1:
        tried = f"{tried} {name}".strip()
    parts = [trial.asked[0].measure.key, tried, trial.treatment(trial.control).role]
    asked = "|".join([*parts, *([trial.rules.carried] if trial.rules.carried else [])])
    return hashlib.sha256(asked.encode()).hexdigest()[:16]


def _plain(name: str) -> str:
    """A name as it is compared: marks in one way, small letters, single spaces."""
    return " ".join(unicodedata.normalize("NFC", name).casefold().split())


def questions_of(trial: Trial) -> dict[str, str]:
    """The questions that a trial asks, by the letter of the treatment."""
    return {
        treatment.letter: question_key(trial, treatment)
        for treatment in trial.treatments
        if treatment.letter != trial.control
    }


def strength_words(treatment: Treatment) -> str:
    """How strong it is, where it is brewed."""
    if not treatment.recipe:
        return ""
    parts = "as the recipe has it" if treatment.water_parts is None else f"1 + {treatment.water_parts:g}"
    return parts if treatment.times == 1 else f"{parts}, {treatment.times:g} times"


def circumstances(trial: Trial, treatment: Treatment) -> dict[str, str]:
    """What may differ between trials of one question, in words."""
    dose = dose_of(treatment)
    days = [pour.day for pour in trial.pours if pour.letter == treatment.letter and pour.what == "dose"]
    living = len(trial.units) // len(trial.treatments)
    units = f"{plural(living, trial.kind, 'patches' if trial.kind == 'patch' else None)} of each"
    facts = {
        "season": f"{trial.start_on:%B %Y}",
        "place": ", ".join(dict.fromkeys(place.name for place in trial.site.places)),
        "units": f"two places, {trial.periods} periods" if trial.turns else units,
        "design": trial.dealing,
        "crops": ", ".join(trial.rules.crops),
        "dose": "nothing" if dose is None else dose.words,
        "given on": days_in_words(days) if days else "",
        "batches": str(trial.batches),
        "blind": "yes" if trial.blind else "no",
        "decided on": f"day {trial.decision_day}",
        "worth": trial.wanted.words(trial.worth_unit, "any difference"),
        "held back by": "",
    }
    return {name: facts[name] for name in FACETS}
