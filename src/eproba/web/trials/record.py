"""What the record of a trial shows beside its readings."""

from eproba.core.trial.amendments import Changes, Evidence, evidence
from eproba.core.trial.model import Trial
from eproba.store.beside import changes_of
from eproba.store.readings import all_readings
from eproba.web.ui.clock import today
from eproba.web.ui.session import db


def evidence_of(trial: Trial, changes: Changes | None = None) -> Evidence:
    """What can be weighed: late, changed, left out."""
    return evidence(trial, all_readings(db(), trial.id), changes or changes_of(db(), trial), today())
