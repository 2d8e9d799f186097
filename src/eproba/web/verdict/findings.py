"""What trials showed, judged once and remembered: in memory by their readings, in the store for the lists."""

import functools
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace

from sqlmodel import Session

from eproba.core.judging.from_trial import judge_trial
from eproba.core.judging.judge import Judgement
from eproba.core.stats.series import CannotJudge
from eproba.core.trial.model import Asked, Reading, Trial
from eproba.core.wording.sentences import Wording, headline, sentence
from eproba.store.commands.findings import keep_finding
from eproba.store.findings import unjudged
from eproba.store.glances import Glance
from eproba.store.readings import all_readings
from eproba.store.trials import load_trial


@dataclass(frozen=True)
class AlsoSeen:
    """A measure that was not the first: its sentences, kept apart from the verdict."""

    name: str
    sentences: Sequence[str]
    problem: str = ""


AT_ONCE = 3  # a list must not wait for many judgements


@functools.lru_cache(maxsize=500)
def judged(trial: Trial, asked: Asked, readings: tuple[Reading, ...]) -> Judgement:
    """The judgement of exactly these readings."""
    return judge_trial(trial, asked, readings)


def with_findings(session: Session, glances: Sequence[Glance]) -> list[Glance]:
    """Fill in what trials that are over showed, where nothing is kept of it: a few, and nothing is written."""
    left, filled = AT_ONCE, []
    for glance in glances:
        if left and glance.unjudged:
            left -= 1
            trial = load_trial(session, glance.id)
            lines = _found(trial, all_readings(session, glance.id))[0] if trial else ()
            glance = replace(glance, finding=tuple(lines))
        filled.append(glance)
    return filled


def remember(session: Session, trial_id: int) -> None:
    """Judge a trial and keep what was found, of its first measure and of the others."""
    trial = load_trial(session, trial_id)
    if trial is None:
        return
    readings = all_readings(session, trial_id)
    also = [asdict(each) for each in also_seen(trial, readings)]
    keep_finding(session, trial_id, *_found(trial, readings), also)


def remember_all(session: Session) -> None:
    """Judge what is over and was never judged: in a new demo, or a garden of an older version."""
    for trial_id in unjudged(session):
        remember(session, trial_id)
    session.commit()


def also_seen(trial: Trial, readings: tuple[Reading, ...]) -> list[AlsoSeen]:
    """The other measures, described one by one."""
    described = []
    for asked in trial.asked[1:]:
        try:
            judgement = judged(trial, asked, readings)
        except CannotJudge as error:
            described.append(AlsoSeen(asked.measure.name, (), str(error)))
            continue
        wording = Wording.of(asked.measure)
        lines = tuple(sentence(each, judgement, wording) for each in judgement.comparisons)
        described.append(AlsoSeen(asked.measure.name, lines))
    return described


def _found(trial: Trial, readings: tuple[Reading, ...]) -> tuple[list[dict[str, str]], float | None]:
    """What the first measure showed: a line for each comparison, and the noise from unit to unit."""
    asked = trial.asked[0]
    try:
        judgement = judged(trial, asked, readings)
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
