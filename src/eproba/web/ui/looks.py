"""How a treatment looks: a letter, a pattern and a colour; controls are plain paper."""

from collections.abc import Iterable
from dataclasses import dataclass

from eproba.core.trial.model import Role, Trial

TESTED = 7


@dataclass(frozen=True)
class Look:
    """A treatment's stake: letter, name and the id of its pattern (see pictures/patterns.svg)."""

    letter: str
    name: str
    pattern: str


def looks(treatments: Iterable[tuple[str, str, Role]]) -> dict[str, Look]:
    """Looks by letter, for (letter, name, role): water is paper, untreated bare paper, others patterns 1 to 7."""
    by_letter: dict[str, Look] = {}
    tested = 0
    for letter, name, role in treatments:
        pattern = {"water control": "paper", "untreated": "bare"}.get(role, "")
        if not pattern:
            tested += 1
            pattern = f"t{(tested - 1) % TESTED + 1}"
        by_letter[letter] = Look(letter, name, pattern)
    return by_letter


def trial_looks(trial: Trial) -> dict[str, Look]:
    """The stakes of a trial's treatments, by letter."""
    return looks((t.letter, t.name, t.role) for t in trial.treatments)
