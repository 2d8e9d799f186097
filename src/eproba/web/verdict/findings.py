"""What trials showed, judged once and remembered: in memory by their readings, in the store for the lists."""

import functools
from collections.abc import Sequence
from dataclasses import replace

from eproba.core.judging.from_trial import judge_trial
from eproba.core.judging.judge import Judgement
from eproba.core.stats.series import CannotJudge
from eproba.core.trial.model import Asked, Reading, Trial
from eproba.core.wording.sentences import Wording, headline, sentence
from eproba.store.findings import keep_finding
from eproba.store.glances import Glance
from eproba.store.readings import readings_of
from eproba.store.trials import load_trial
from eproba.web.context import db

AT_ONCE = 3  # a list must not wait for many judgements; the others follow at the next look


@functools.lru_cache(maxsize=64)
def judged(trial: Trial, asked: Asked, readings: tuple[Reading, ...]) -> Judgement:
    """The judgement of exactly these readings."""
    return judge_trial(trial, asked, readings)


def with_findings(glances: Sequence[Glance]) -> list[Glance]:
    """Fill in what finished trials showed, judging a few of those that nobody has looked at yet."""
    filled = []
    left = AT_ONCE
    for glance in glances:
        if left and glance.finding is None and glance.stage in ("finished", "ended early"):
            left -= 1
            lines, noise = _found(glance.id)
            keep_finding(db(), glance.id, lines, noise)
            glance = replace(glance, finding=tuple(lines))
        filled.append(glance)
    db().commit()
    return filled


def remember_finding(trial_id: int) -> None:
    """Judge a trial that has just been finished, so that no list has to."""
    keep_finding(db(), trial_id, *_found(trial_id))


def _found(trial_id: int) -> tuple[list[dict[str, str]], float | None]:
    trial = load_trial(db(), trial_id)
    if trial is None:
        return [], None
    asked = trial.asked[0]
    try:
        judgement = judged(trial, asked, tuple(readings_of(db(), trial_id)))
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
