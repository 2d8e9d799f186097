"""What a report tells beside the verdict: what was done, and its numbers."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from eproba.core.judging.judgement import Comparison, Judgement
from eproba.core.trial.lots import DEALT
from eproba.core.trial.model import Carried, Trial
from eproba.core.wording.sentences import Wording, gap_text
from eproba.core.words import listed, plural

NOT_GIVEN: Mapping[Carried, str] = {
    "": "nothing was given", "again": "nothing was given", "lasted": "nothing was given since the trial before",
}  # fmt: skip


@dataclass(frozen=True)
class Numbers:
    """One row of the table of numbers, in words."""

    letter: str
    treatment: str
    units: str
    gap: str
    fits: str
    p: str
    shuffle_p: str


def what_was_done(trial: Trial) -> list[str]:
    """The conduct of a trial in a few sentences."""
    poured = [pour for pour in trial.pours if pour.status == "poured"]
    read = [round_ for round_ in trial.rounds if round_.done]
    lost = [unit for unit in trial.units if unit.lost_on is not None]
    often = "once" if trial.deals == 1 else f"{trial.deals} times"
    given = f"{len(poured)} of {plural(len(trial.pours), 'pour')} were given"
    sentences = [
        f"{len(trial.units)} units were dealt {DEALT[trial.dealing]}, {often}",
        given if trial.pours else NOT_GIVEN[trial.rules.carried],
        f"{len(read)} of {plural(len(trial.rounds), 'round')} were read",
        f"lost: {listed([unit.code for unit in lost])}" if lost else "no unit was lost",
    ]
    if trial.rules.handling:
        sentences.append(f"all units alike: {trial.rules.handling.rstrip('.')}")
    return sentences


def numbers(trial: Trial, judgement: Judgement, comparisons: Sequence[Comparison]) -> list[Numbers]:
    """The figures of each comparison."""
    wording, scale = Wording.of(trial, trial.asked[0]), judgement.question.scale
    letters = {treatment.name: treatment.letter for treatment in trial.treatments}
    rows = []
    for c in comparisons:
        figures, fits = c.carrying, "–"
        if figures is not None and c.verdict != "seen_not_shown":
            ends = (figures.low_adjusted, figures.high_adjusted)
            fits = " to ".join(gap_text(end, scale, wording) for end in ends)
        rows.append(
            Numbers(
                letter=letters[c.treatment],
                treatment=c.treatment,
                units=f"{c.n} / {c.n_control}",
                gap="–" if c.estimate is None else gap_text(c.estimate, scale, wording),
                fits=fits,
                p=_p(None if c.verdict == "seen_not_shown" else c.p_adjusted),
                shuffle_p=_p(c.shuffle_p_adjusted),
            )
        )
    return rows


def _p(p: float | None) -> str:
    if p is None:
        return "–"
    return f"{p:.3f}" if p >= 0.001 else "below 0.001"
