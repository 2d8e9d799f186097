"""One line of the trust ledger, and what is known of a trial beside its numbers."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from eproba.core.judging.verdicts import Cap

Level = Literal["note", "caution", "cap"]


@dataclass(frozen=True)
class TrustLine:
    """One line of the ledger: the rule, how far it reaches, which sentence it says, and the evidence in it.

    `cap`: how far it lets a verdict go, None unless it caps; `of`: the treatment it speaks of, empty for all.
    """

    rule: str
    level: Level
    says: str
    evidence: Mapping[str, object] = field(default_factory=dict, hash=False)
    cap: Cap | None = None
    of: str = ""


@dataclass(frozen=True)
class Circumstances:
    """What is known of a trial beside its numbers; the command line knows none of it.

    `control_role` is the control's role; `poured` whether the other treatments are liquids; `rounds_due` and
    `rounds_missed` count the rounds up to the decision day, `rounds_partly` names the days on which not every unit
    was read; `deals` how often the lots were dealt, `watered_alike` whether all that is to be watered got as much;
    `given_before`: all of it was given in an earlier trial, and nothing since.
    """

    control_role: str
    poured: bool
    rounds_due: int
    rounds_missed: int
    baseline_taken: bool
    deals: int
    rounds_partly: tuple[int, ...] = ()
    watered_alike: bool = True
    given_before: bool = False
