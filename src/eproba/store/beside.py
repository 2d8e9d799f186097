"""What judging goes by beside the readings of a trial."""

from sqlmodel import Session

from eproba.core.trial.amendments import Beside, Changes
from eproba.core.trial.model import Trial
from eproba.store.mapping import correction_from
from eproba.store.pours import pour_changes_of
from eproba.store.readings import corrections_of
from eproba.store.recipes import all_recipes


def changes_of(session: Session, trial: Trial) -> Changes:
    """Everything on record of a trial that was changed."""
    measures = {asked.measure.key: asked.measure for asked in trial.asked}
    rows = corrections_of(session, trial.id)
    corrections = [correction_from(row, measures.get(reading.measure_key)) for row, reading in rows]
    return Changes(corrections, pour_changes_of(session, trial.id))


def beside_of(session: Session, trial: Trial) -> Beside:
    """What was changed with the envelope open; what the recipes can do to a reading itself."""
    changes, known = changes_of(session, trial), all_recipes(session)
    marks = (
        (treatment.letter, known[treatment.recipe].marks) for treatment in trial.treatments if treatment.recipe in known
    )
    return Beside(
        tuple(change for change in changes.corrections if not change.sealed),
        tuple(change for change in changes.pours if not change.sealed),
        tuple(marks),
    )
