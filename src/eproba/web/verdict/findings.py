"""What trials showed, judged once and remembered: in memory by their readings, in the store for the lists."""

import functools
from collections.abc import Sequence
from dataclasses import replace

from sqlmodel import Session

from eproba.core.judging.from_trial import judge_trial
from eproba.core.judging.judge import Judgement
from eproba.core.stats.series import CannotJudge
from eproba.core.trial.model import Asked, Reading, Trial
from eproba.core.trial.stage import is_sealed
from eproba.core.wording.sentences import Wording, headline, sentence
from eproba.store.commands.findings import keep_finding
from eproba.store.findings import unjudged
from eproba.store.glances import Glance
from eproba.store.readings import readings_of
from eproba.store.trials import load_trial

AT_ONCE = 3  # a list must not wait for many judgements


@functools.lru_cache(maxsize=64)
def judged(trial: Trial, asked: Asked, readings: tuple[Reading, ...]) -> Judgement:
    """The judgement of exactly these readings."""
    return judge_trial(trial, asked, readings)


def with_findings(session: Session, glances: Sequence[Glance]) -> list[Glance]:
    """Fill in what trials that are over showed, where nothing is kept of it: a few, and nothing is written."""
    left, filled = AT_ONCE, []
    for glance in glances:
        if left and glance.finding is None and not is_sealed(glance.stage):
            left -= 1
            glance = replace(glance, finding=tuple(_found(session, glance.id)[0]))
        filled.append(glance)
    return filled


def remember(session: Session, trial_id: int) -> None:
    """Judge a trial and keep what was found."""
    keep_finding(session, trial_id, *_found(session, trial_id))


def remember_all(session: Session) -> None:
    """Judge what is over and was never judged: in a new demo, or a garden of an older version."""
    for trial_id in unjudged(session):
        remember(session, trial_id)
    session.commit()


def _found(session: Session, trial_id: int) -> tuple[list[dict[str, str]], float | None]:
    """A trial's finding: a line for each comparison, and the noise from unit to unit."""
    trial = load_trial(session, trial_id)
    if trial is None:
        return [], None
    asked = trial.asked[0]
    try:
        judgement = judged(trial, asked, tuple(readings_of(session, trial_id)))
    except CannotJudge as error:
        return [{"verdict": "seen_not_shown", "headline": "Not judged", "sentence": str(error)}], None
    wording = Wording.of(asked.measure)
    lines = [
        {
            "verdict": each.verdict,
            "headline": headline(each, judgement),
            "sentence": sentence(each, judgement, wording),
        }
        for each in judgement.comparisons
    ]
    return lines, judgement.noise_sd
