"""The same comparison in several trials: which of them ask one question, what they say together, how they differ.

References
----------
Higgins, J. P. T. & Thompson, S. G. (2002). Quantifying heterogeneity in a meta-analysis. Statistics in Medicine 21.
"""

import math
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from scipy import special

from eproba.core.judging.answers import FACETS, Answer, Asks, Told, circumstances, question_key, strength_words
from eproba.core.judging.judgement import Comparison, Judgement
from eproba.core.judging.verdicts import Verdict, capped, verdict_of
from eproba.core.stats.combining import FEWEST_TO_PREDICT, Combined, apart, combine, supposed
from eproba.core.stats.series import band_of
from eproba.core.trial.model import Treatment, Trial

NEAR_DAY = 0.1  # of the question's days: so near, trials decide on the same day
LEVEL = 0.95
MOST_HELD = 1 / 3  # of the trials may be held back by their ledgers before what they say together is, too


@dataclass(frozen=True)
class Stake:
    """One trial in the picture: its gap with an interval of its own; `odd`: the joint gap lies outside it."""

    told: Told
    gap: float
    low: float
    high: float
    odd: bool = False


@dataclass(frozen=True)
class Together:
    """What all trials of a question say; `aside` with the reason of each.

    `joint` from three trials on; of two `distance`: how far the second lies from the first, with its 95 % interval.
    `supposed`: where the joint gap lies if gardens differ by no more than about the worth, which carries no verdict.
    `differs`: what is not alike in all of them, by name, for each of the stakes.
    """

    asks: Asks
    treatment: str
    control: str
    stakes: tuple[Stake, ...]
    aside: tuple[tuple[Told, str], ...]
    joint: Combined | None
    distance: tuple[float, float, float] | None
    verdict: Verdict
    differs: Mapping[str, tuple[str, ...]]
    supposed: tuple[float, float] | None = None

    @property
    def held(self) -> int:
        """How many of the trials that count are held back by their own ledgers."""
        return sum(bool(stake.told.answer.held) for stake in self.stakes)

    @property
    def band(self) -> float | None:
        """The worth of the question on the scale of the gaps."""
        return None if self.asks.worth is None else band_of(self.asks.worth, self.asks.scale)


def answers_of(trial: Trial, judgement: Judgement) -> tuple[Answer, ...]:
    """What a trial's first measure says, one answer a treatment."""
    by_name = {treatment.name: treatment for treatment in trial.treatments}
    day = trial.decision_day if judgement.day is None else judgement.day
    return tuple(_answer(trial, by_name[comparison.treatment], comparison, day) for comparison in judgement.comparisons)


def _answer(trial: Trial, treatment: Treatment, comparison: Comparison, day: int) -> Answer:
    figures, control = comparison.carrying, trial.treatment(trial.control)
    asks = Asks(
        measure=trial.asked[0].measure.key,
        control=control.role,
        scale=trial.scale,
        summary=trial.summary,
        day=day,
        strength=strength_words(treatment),
        lower_is_better=trial.lower_is_better,
        no_worse=trial.no_worse,
        level=trial.rules.level,
        worth=trial.worth,
    )
    return Answer(
        question=question_key(trial, treatment),
        letter=treatment.letter,
        treatment=treatment.name,
        control=control.name,
        asks=asks,
        gap=comparison.estimate,
        se=None if figures is None else figures.se,
        df=None if figures is None else figures.df,
        verdict=comparison.verdict,
        held=comparison.capped_by,
        was=circumstances(trial, treatment) | {"decided on": f"day {day}", "held back by": comparison.capped_by},
        fingerprint="" if trial.declared is None else trial.declared.fingerprint,
    )


def together(tellings: Sequence[Told]) -> Together:
    """Put the answers to one question together, the oldest first.

    Parameters
    ----------
    told : at least one answer; those that are of another question after all, can't be judged, or were left out stand
        aside, each with the reason.
    """
    asks = _asked_by_most([telling.answer.asks for telling in tellings])
    kept: list[Told] = []
    aside: list[tuple[Told, str]] = []
    for trial_told in tellings:
        why = _why_aside(trial_told, asks, kept)
        if why:
            aside.append((trial_told, why))
        else:
            kept.append(trial_told)
    gaps = [telling.answer.gap or 0.0 for telling in kept]
    errors = [telling.answer.se or 0.0 for telling in kept]
    joint = combine(gaps, errors) if len(kept) >= FEWEST_TO_PREDICT else None
    low, high = (None, None) if joint is None else (joint.low, joint.high)
    band = None if asks.worth is None else band_of(asks.worth, asks.scale)
    verdict = verdict_of(low, high, band, asks.lower_is_better, asks.no_worse)
    held = sum(bool(telling.answer.held) for telling in kept) > MOST_HELD * len(kept)
    return Together(
        asks=asks,
        treatment=tellings[-1].answer.treatment,
        control=tellings[-1].answer.control,
        stakes=tuple(_stake(telling, joint) for telling in kept),
        aside=tuple(aside),
        joint=joint,
        distance=apart(gaps, errors) if len(kept) == 2 else None,
        verdict=capped(verdict, "direction") if held else verdict,
        differs=differences([telling.answer.was for telling in kept]),
        supposed=None if joint is None or band is None else supposed(gaps, errors, band),
    )


def differences(every: Sequence[Mapping[str, str]]) -> dict[str, tuple[str, ...]]:
    """What is not alike in all: each thing's name, with what it was in each."""
    differing = {name: tuple(facets.get(name, "") for facets in every) for name in FACETS}
    return {name: values for name, values in differing.items() if len(set(values)) > 1}


def _asked_by_most(every: Iterable[Asks]) -> Asks:
    """The question as most trials ask it; of several the newest, whose worth it takes."""
    listed = list(every)
    counts = Counter(_core_of(asks) for asks in listed)
    most = max(counts.values())
    return next(asks for asks in reversed(listed) if counts[_core_of(asks)] == most)


def _core_of(asks: Asks) -> tuple[object, ...]:
    return (asks.scale, asks.summary, asks.level, asks.strength, asks.lower_is_better, asks.day)


def _why_aside(trial_told: Told, asks: Asks, kept: Sequence[Told]) -> str:
    """Why an answer does not count with the others; empty: it counts."""
    answer, mine = trial_told.answer, trial_told.answer.asks
    if trial_told.left_out:
        return f"left out: {trial_told.left_out}"
    twin = next(
        (telling for telling in kept if answer.fingerprint and telling.answer.fingerprint == answer.fingerprint), None
    )
    if twin is not None:
        return f"the same plan and lots as “{twin.trial}”: a trial counts once"
    if mine.scale != asks.scale:
        return f"on another scale ({mine.scale}, the others {asks.scale})"
    if (mine.summary, mine.level) != (asks.summary, asks.level):
        return "another number of each unit counts (last, change, rate …)"
    if mine.lower_is_better != asks.lower_is_better:
        return "there the other direction was the good one"
    if mine.strength != asks.strength:
        return f"another strength ({mine.strength or 'none told'}; the others {asks.strength or 'none told'})"
    if abs(mine.day - asks.day) > NEAR_DAY * asks.day:
        return f"decided on day {mine.day}; the others on day {asks.day}"
    if answer.gap is None or answer.se is None or not math.isfinite(answer.se) or answer.se <= 0:
        return "described only: it has no error that could be told"
    if answer.verdict == "seen_not_shown":
        return f"its own ledger lets it be no more than a description ({answer.held or 'one unit of each'})"
    return ""


def _stake(telling: Told, joint: Combined | None) -> Stake:
    gap, se, df = telling.answer.gap or 0.0, telling.answer.se or 0.0, telling.answer.df or 1.0
    half = float(special.stdtrit(df, (1 + LEVEL) / 2)) * se
    odd = joint is not None and not gap - half <= joint.estimate <= gap + half
    return Stake(telling, gap, gap - half, gap + half, odd)
