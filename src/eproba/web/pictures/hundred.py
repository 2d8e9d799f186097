"""A hundred gardens like yours: one small mark each, by how its trial ends."""

from collections.abc import Mapping
from dataclasses import dataclass

from eproba.core.judging.verdicts import Verdict
from eproba.core.planning.prospect import Prospect, Truth
from eproba.core.wording.sentences import HEADLINES

ORDER: tuple[Verdict, ...] = (
    "better_matters", "better", "better_trivial", "no_worse", "same", "cannot_tell", "seen_not_shown",
    "worse_trivial", "worse", "worse_matters",
)  # fmt: skip
TITLES: dict[Truth, str] = {
    "nothing": "If it does nothing",
    "worth": "If it does just what you want",
    "twice_worth": "If it does twice that",
}
NO_WORSE_TITLES: dict[Truth, str] = {
    "nothing": "If it is just as good",
    "worth": "If it is worse by your margin",
    "twice_worth": "If it is worse by twice that",
}
SIDE, STEP = 10, 22.0


@dataclass(frozen=True)
class Share:
    """One garden: place in the square, verdict (a CSS class)."""

    x: float
    y: float
    verdict: str


@dataclass(frozen=True)
class Hundred:
    """A square of a hundred marks with its counts; words for those who can't see it."""

    title: str
    marks: tuple[Share, ...]
    counts: tuple[tuple[str, str, int], ...]
    words: str


def hundred(shares: Mapping[Verdict, float], truth: Truth, prospect: Prospect) -> Hundred:
    """How a hundred trials of a plan end, where the truth is so."""
    return hundred_of(shares, (NO_WORSE_TITLES if prospect.no_worse else TITLES)[truth])


def hundred_of(shares: Mapping[Verdict, float], title: str) -> Hundred:
    """Round the shares to a hundred marks (largest remainders), the good news first."""
    counts = _rounded({verdict: shares[verdict] for verdict in ORDER if verdict in shares})
    laid = [verdict for verdict in ORDER for _ in range(counts.get(verdict, 0))]
    marks = tuple(Share(STEP * (i % SIDE), STEP * (i // SIDE), verdict) for i, verdict in enumerate(laid))
    legend = tuple((verdict, _name(verdict), counts[verdict]) for verdict in ORDER if counts.get(verdict))
    words = f"{title}, out of 100 gardens like yours: " + ", ".join(f"{n} {name}" for _, name, n in legend) + "."
    return Hundred(title, marks, legend, words)


def _name(verdict: Verdict) -> str:
    text = HEADLINES[verdict]
    return text[:1].lower() + text[1:]


def _rounded(shares: Mapping[Verdict, float]) -> dict[Verdict, int]:
    exact = {verdict: 100 * share for verdict, share in shares.items()}
    counts = {verdict: int(value) for verdict, value in exact.items()}
    short = 100 - sum(counts.values())
    for verdict in sorted(exact, key=lambda v: counts[v] - exact[v])[:short]:
        counts[verdict] += 1
    return counts
