"""What trials showed, judged once and remembered: in memory by their readings, in the store for the lists."""

import functools
import logging
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

from sqlmodel import Session

from eproba.core.judging.across import answers_of
from eproba.core.judging.answers import Answer
from eproba.core.judging.from_trial import judge_trial
from eproba.core.judging.judgement import Comparison, Judgement
from eproba.core.planning.settling import settling_of, with_needed
from eproba.core.stats.series import CannotJudge
from eproba.core.trial.amendments import Beside
from eproba.core.trial.model import Asked, Reading, Trial
from eproba.core.wording.crossed import effect_headline, effect_sentence
from eproba.core.wording.sentences import Wording, gap_text, headline, sentence
from eproba.store.beside import beside_of
from eproba.store.commands.findings import keep_finding
from eproba.store.findings import own_noise, unjudged
from eproba.store.glances import Glance
from eproba.store.readings import all_readings
from eproba.store.trials import load_trial


@dataclass(frozen=True)
class AlsoRow:
    """One treatment of such a measure: gap and interval in what units differ by (None: none), and the gap in words."""

    letter: str
    gap: float | None
    low: float | None
    high: float | None
    text: str


@dataclass(frozen=True)
class AlsoSeen:
    """A measure that was not the first: its sentences and rows, kept apart from the verdict."""

    name: str
    sentences: Sequence[str]
    problem: str = ""
    rows: Sequence[AlsoRow] = ()


log = logging.getLogger("eproba.verdict")
AT_ONCE = 3  # a list must not wait for many judgements


@functools.lru_cache(maxsize=500)
def judged(
    trial: Trial, asked: Asked, readings: tuple[Reading, ...], beside: Beside, at: int | None = None
) -> Judgement:
    """The judgement of exactly these readings, and of what stands beside them; `at`: of an early look, by its day."""
    return judge_trial(trial, asked, readings, at, beside)


def answered(
    session: Session, trial: Trial, readings: tuple[Reading, ...], beside: Beside, at: int | None = None
) -> Judgement:
    """The judgement of the first measure, which says what would settle it as *What next* and the planner say it."""
    first = trial.asked[0]
    judgement = judged(trial, first, readings, beside, at)
    if all(comparison.verdict != "cannot_tell" for comparison in judgement.comparisons):
        return with_needed(judgement, None)  # nothing is left to settle
    return with_needed(judgement, settling_of(trial, own_noise(session, first.measure, trial.scale)))


def with_findings(session: Session, glances: Sequence[Glance]) -> list[Glance]:
    """Fill in what trials that are over showed, where nothing is kept of it: a few, and nothing is written."""
    left, filled = AT_ONCE, []
    for glance in glances:
        if left and glance.unjudged:
            left -= 1
            glance = replace(glance, finding=_found_in_list(session, glance.id))
        filled.append(glance)
    return filled


def _found_in_list(session: Session, trial_id: int) -> tuple[dict[str, str], ...]:
    """What a trial showed; one that can't be judged says so and takes no list with it."""
    try:
        trial = load_trial(session, trial_id)
        if trial is None:
            return ()
        return tuple(_found(trial, all_readings(session, trial_id), beside_of(session, trial))[0])
    except Exception:  # whatever is amiss with one trial, the others are shown
        log.exception("trial %s can't be judged", trial_id)
        why = "It can’t be judged: parts of it don’t fit together."
        return ({"verdict": "seen_not_shown", "headline": "Not judged", "sentence": why},)


def remember(session: Session, trial_id: int) -> None:
    """Judge a trial and keep what was found, of its first measure and of the others."""
    trial = load_trial(session, trial_id)
    if trial is None:
        return
    readings, beside = all_readings(session, trial_id), beside_of(session, trial)
    also = [asdict(measure) for measure in also_seen(trial, readings, beside)]
    keep_finding(session, trial_id, *_found(trial, readings, beside), also, _answers(trial, readings, beside))


def try_judging(session: Session, trial_id: int) -> None:
    """Judge a trial and keep nothing; whatever fails in that is raised."""
    trial = load_trial(session, trial_id)
    if trial is not None:
        readings, beside = all_readings(session, trial_id), beside_of(session, trial)
        also_seen(trial, readings, beside)
        _found(trial, readings, beside)
        _answers(trial, readings, beside)


def remember_all(session: Session) -> None:
    """Judge what is over and was never judged: in a new demo, or a garden of an older version."""
    for trial_id in unjudged(session):
        remember(session, trial_id)
    session.commit()


def also_seen(trial: Trial, readings: tuple[Reading, ...], beside: Beside) -> list[AlsoSeen]:
    """The other measures, described one by one."""
    described = []
    for asked in trial.asked[1:]:
        try:
            judgement = judged(trial, asked, readings, beside)
        except CannotJudge as error:
            described.append(AlsoSeen(asked.measure.name, (), str(error)))
            continue
        wording = Wording.of(trial, asked)
        lines = tuple(sentence(comparison, judgement, wording) for comparison in judgement.comparisons)
        rows = tuple(_row(trial, comparison, judgement, wording) for comparison in judgement.comparisons)
        described.append(AlsoSeen(asked.measure.name, lines, rows=rows))
    return described


def also_from(kept: Sequence[Mapping[str, Any]]) -> list[AlsoSeen]:
    """What was kept of other measures, as it was."""
    return [AlsoSeen(**{**entry, "rows": [AlsoRow(**row) for row in entry.get("rows", ())]}) for entry in kept]


def _row(trial: Trial, comparison: Comparison, judgement: Judgement, wording: Wording) -> AlsoRow:
    letter = next(treatment.letter for treatment in trial.treatments if treatment.name == comparison.treatment)
    carrying, sd, gap = comparison.carrying, judgement.noise_sd, comparison.estimate
    if gap is None:
        return AlsoRow(letter, None, None, None, "by order" if comparison.order else "not compared")
    text = gap_text(gap, judgement.question.scale, wording)
    if carrying is None or not sd:
        return AlsoRow(letter, None, None, None, text)
    return AlsoRow(letter, gap / sd, carrying.low_adjusted / sd, carrying.high_adjusted / sd, text)


def _answers(trial: Trial, readings: tuple[Reading, ...], beside: Beside) -> tuple[Answer, ...]:
    try:
        return answers_of(trial, judged(trial, trial.asked[0], readings, beside))
    except CannotJudge:
        return ()


def _found(trial: Trial, readings: tuple[Reading, ...], beside: Beside) -> tuple[list[dict[str, str]], float | None]:
    """What the first measure showed: a line for each comparison, and the noise from unit to unit."""
    asked = trial.asked[0]
    try:
        judgement = with_needed(judged(trial, asked, readings, beside), None)  # it changes with every other trial
    except CannotJudge as error:
        return [{"verdict": "seen_not_shown", "headline": "Not judged", "sentence": str(error)}], None
    wording = Wording.of(trial, asked)
    lines = [
        {
            "treatment": effect.name,
            "verdict": effect.verdict,
            "headline": effect_headline(effect, judgement),
            "sentence": effect_sentence(effect, judgement, wording),
        }
        for effect in judgement.effects
    ] or [
        {
            "treatment": comparison.treatment,
            "verdict": comparison.verdict,
            "headline": headline(comparison, judgement, wording.noun),
            "sentence": sentence(comparison, judgement, wording),
        }
        for comparison in judgement.comparisons
    ]
    return lines, judgement.noise_sd
