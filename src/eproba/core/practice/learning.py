"""Learning from what was said: how sure against how often right, by kind, and which traps still catch.

References
----------
Murphy, A. H. & Winkler, R. L. (1977). Reliability of subjective probability forecasts of precipitation and temperature.
Applied Statistics 26: the calibration picture.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from eproba.core.practice.traps import FAIR, SURE, Trap

LEARNT = 2  # times in a row not caught


@dataclass(frozen=True)
class Said:
    """One round that is over: its trap, how sure, whether it was right, whether it has caught."""

    trap: Trap
    sure: int
    right: bool
    caught: bool


@dataclass(frozen=True)
class Bin:
    """All rounds said with one sureness: how many, how many of them right."""

    sure: int
    rounds: int
    right: int


def calibration(history: Sequence[Said]) -> list[Bin]:
    """How often right, for each sureness that was said."""
    bins = []
    for sure in SURE:
        mine = [change for change in history if change.sure == sure]
        if mine:
            bins.append(Bin(sure, len(mine), sum(guess.right for guess in mine)))
    return bins


@dataclass(frozen=True)
class Kind:
    """All rounds of one kind: how many, how many of them right, and how sure one was of them, in percent."""

    words: str
    rounds: int
    right: int
    sure: float


def by_kind(history: Sequence[Said]) -> list[Kind]:
    """How often right where nothing is wrong with a trial, and where there is a trap."""
    kinds = []
    for words, is_fair in (("Fair trials", True), ("Trials with a trap", False)):
        mine = [past for past in history if (past.trap in FAIR) == is_fair]
        if mine:
            sure = sum(past.sure for past in mine) / len(mine)
            kinds.append(Kind(words, len(mine), sum(past.right for past in mine), sure))
    return kinds


def overconfidence(history: Sequence[Said]) -> float:
    """Mean sureness less share of right ones, in percent points; 0 without a round."""
    if not history:
        return 0.0
    return sum(change.sure - 100 * change.right for change in history) / len(history)


def standing(history: Sequence[Said], trap: Trap) -> str:
    """How a trap stands: “not met”, “catches”, “once seen through”, “seen through”."""
    met = [change for change in history if change.trap == trap]
    if not met:
        return "not met"
    run = _run(history, trap)
    return "catches" if run == 0 else "once seen through" if run < LEARNT else "seen through"


def _run(history: Sequence[Said], trap: Trap) -> int:
    """How many times in a row, up to now, it has not caught."""
    run = 0
    for past_round in reversed([change for change in history if change.trap == trap]):
        if past_round.caught:
            break
        run += 1
    return run
