"""What the record of a trial shows beside its readings."""

from eproba.core.trial.amendments import Changes, Evidence, evidence
from eproba.core.trial.model import Trial
from eproba.store.mapping import correction_from
from eproba.store.pours import pour_changes_of
from eproba.store.readings import all_readings, corrections_of
from eproba.web.ui.clock import today
from eproba.web.ui.session import db


def changes_of(trial: Trial) -> Changes:
    """Everything on record of a trial that was changed."""
    measures = {each.measure.key: each.measure for each in trial.asked}
    rows = corrections_of(db(), trial.id)
    corrections = [correction_from(row, measures.get(reading.measure_key)) for row, reading in rows]
    return Changes(corrections, pour_changes_of(db(), trial.id))


def evidence_of(trial: Trial, changes: Changes | None = None) -> Evidence:
    """What can be weighed: late, changed, left out."""
    return evidence(trial, all_readings(db(), trial.id), changes or changes_of(trial), today())
