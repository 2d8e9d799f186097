"""What judging goes by beside the readings of a trial."""

from collections.abc import Mapping, Sequence

from sqlmodel import Session, col, select

from eproba.core.brewing.recipe import Recipe
from eproba.core.judging.answers import questions_of
from eproba.core.trial.amendments import Beside, Changes
from eproba.core.trial.model import Trial
from eproba.store.database import once
from eproba.store.gone import gone_trials
from eproba.store.kit import household_kit
from eproba.store.mapping import correction_from
from eproba.store.pours import pour_changes_of
from eproba.store.readings import corrections_of
from eproba.store.recipes import all_recipes
from eproba.store.tables import BatchRow


def changes_of(session: Session, trial: Trial) -> Changes:
    """Everything on record of a trial that was changed; asked once for a page."""
    return once(session, ("changes", trial.id), lambda: _changes(session, trial))


def _changes(session: Session, trial: Trial) -> Changes:
    measures = {asked.measure.key: asked.measure for asked in trial.asked}
    rows = corrections_of(session, trial.id)
    corrections = [correction_from(row, measures.get(reading.measure_key)) for row, reading in rows]
    return Changes(corrections, pour_changes_of(session, trial.id))


def beside_of(session: Session, trial: Trial) -> Beside:
    """What was changed with the envelope open; what the recipes can do to a reading itself, and how often they want to
    be given; the recipes of the batches that were poured."""
    changes, known = changes_of(session, trial), all_recipes(session)
    with_recipe = [(t.letter, known[t.recipe]) for t in trial.treatments if t.recipe in known]
    return Beside(
        tuple(change for change in changes.corrections if not change.sealed),
        tuple(change for change in changes.pours if not change.sealed),
        marks=tuple((letter, recipe.marks) for letter, recipe in with_recipe),
        least_days=_least_days(session, trial, with_recipe),
        brewed=tuple(letter for letter, recipe in with_recipe if recipe.brews),
        made_by=_made_by(session, trial, known),
        gone=gone_trials(session, sorted(set(questions_of(trial).values()))),
    )


def _least_days(
    session: Session, trial: Trial, with_recipe: Sequence[tuple[str, Recipe]]
) -> tuple[tuple[str, tuple[tuple[int, float], ...]], ...]:
    """How many days each recipe wants before an application, by the day on which it was given."""
    household = household_kit(session)
    days = {
        letter: sorted({trial.day_of(p.done_on) for p in trial.pours if p.letter == letter and p.done_on is not None})
        for letter, _ in with_recipe
    }
    return tuple(
        (letter, tuple((day, recipe.fewest_days(day, household.ground_on(trial.date_of(day)))) for day in days[letter]))
        for letter, recipe in with_recipe
        if recipe.family != "controls"
    )


def _made_by(session: Session, trial: Trial, known: Mapping[str, Recipe]) -> tuple[tuple[int, tuple[str, str]], ...]:
    numbers = {number for pour in trial.pours for number in (pour.batch, pour.other_batch) if number is not None}
    if not numbers:
        return ()
    rows = session.exec(select(BatchRow.id, BatchRow.recipe).where(col(BatchRow.id).in_(numbers))).all()
    titled = ((number, key, known[key].title if key in known else key) for number, key in rows)
    return tuple((number, (key, title)) for number, key, title in titled)
