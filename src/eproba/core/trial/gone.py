"""Trials that were deleted: what is remembered of them, so that nobody deals until he likes the lots."""

from dataclasses import dataclass
from datetime import date

from eproba.core.trial.model import Trial
from eproba.core.trial.stage import Stage


@dataclass(frozen=True)
class GoneTrial:
    """A deleted trial: how often its lots were dealt, where it stood on its `day`, when it was deleted, the fingerprint
    of its plan (empty: it was never declared)."""

    name: str
    key: str
    deals: int
    stage: Stage
    day: int
    on: date
    fingerprint: str = ""

    @property
    def unfinished(self) -> bool:
        """Whether it was deleted before it could be judged: then its deals count with those of the next one."""
        return self.stage in ("planned", "running")


def gone_trial(trial: Trial, today: date) -> GoneTrial:
    """What is remembered of a trial that is deleted today."""
    fingerprint = "" if trial.declared is None else trial.declared.fingerprint
    return GoneTrial(trial.name, trial.key, trial.deals, trial.stage(today), trial.day_of(today), today, fingerprint)
