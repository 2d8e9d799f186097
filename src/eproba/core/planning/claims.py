"""Claims: from a vague promise to what changes, measured how, by how much, by which day, against what."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, get_args

from eproba.core.errors import EprobaError
from eproba.core.keys import check_keys, check_values
from eproba.core.measuring.measures import Measure
from eproba.core.trial.model import Role

ANSWERS: dict[Role, str] = {
    "water control": "Does it do more than the water in it?",
    "untreated": "Does pouring anything at all do something?",
    "ingredient control": "Is it the brew, or only its sugar or meal?",
    "killed brew": "Does it have to be alive?",
    "reference": "Could this trial have seen a difference: does a known good thing stand out?",
}
OPEN: dict[Role, str] = {
    "water control": "a gain may be the watering alone",
    "untreated": "whether the ground moved by itself, watered or not",
    "ingredient control": "whether the bare ingredient would do as well",
    "killed brew": "whether it has to be alive",
    "reference": "whether this place could have shown a difference at all",
}


class ClaimError(EprobaError):
    """A promise in the catalogue that contradicts itself; the message says where."""


@dataclass(frozen=True)
class Claim:
    """One measurable claim that a promise can become. `worth` as in `Question`; `tells` what it shows, and what not."""

    measure: str
    worth: float
    decision_day: int
    against: Role
    tells: str
    no_worse: bool = False


@dataclass(frozen=True)
class Promise:
    """A vague promise with the claims that it can become."""

    key: str
    said: str
    claims: tuple[Claim, ...]


def promise_from(key: str, entry: Mapping[str, Any], measures: Mapping[str, Measure]) -> Promise:
    """Build a promise from a TOML table, refusing unknown and missing keys by name."""
    if set(entry) != {"said", "claims"} or not isinstance(entry["said"], str):
        raise ClaimError(f"{key}: a promise has said and claims, not {', '.join(sorted(entry))}")
    claims = tuple(_claim_from(f"{key} {i + 1}", claim, measures) for i, claim in enumerate(entry["claims"]))
    return Promise(key, entry["said"], claims)


def _claim_from(where: str, entry: Mapping[str, Any], measures: Mapping[str, Measure]) -> Claim:
    check_keys(where, entry, Claim, ClaimError)
    check_values(where, entry, Claim, ClaimError, strict=True)
    claim = Claim(**entry)
    if claim.measure not in measures or claim.against not in get_args(Role):
        raise ClaimError(f"{where}: unknown measure {claim.measure} or role {claim.against}")
    if claim.worth <= 0 or (measures[claim.measure].scale == "ratio" and claim.worth >= 1):
        raise ClaimError(f"{where}: worth must be above 0, and a fraction where the measure is said in percent")
    return claim


def questions_answered(roles: list[Role]) -> list[tuple[Role, bool, str]]:
    """For each control: whether it is in the trial, and the question that it answers or leaves open."""
    return [(role, role in roles, ANSWERS[role] if role in roles else OPEN[role]) for role in ANSWERS]
