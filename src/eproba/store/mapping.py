"""Rows ↔ core objects, in this one place."""

from collections.abc import Mapping, Sequence
from typing import Any, cast

from eproba.core.measuring.measures import Measure, own_measure
from eproba.core.planning.ground import Ground
from eproba.core.planning.trial import Asked, Pour, Reading, Round, Treatment, Trial, Unit
from eproba.store.tables import (
    OwnMeasureRow,
    PourRow,
    ReadingRow,
    RoundRow,
    TreatmentRow,
    TrialMeasureRow,
    TrialRow,
    UnitRow,
)


def trial_from(
    row: TrialRow,
    measures: Mapping[str, Measure],
    asked: Sequence[TrialMeasureRow],
    treatments: Sequence[TreatmentRow],
    units: Sequence[UnitRow],
    rounds: Sequence[RoundRow],
    pours: Sequence[PourRow],
) -> Trial:
    """All rows of one trial as one frozen object."""
    r = cast(Any, row)
    return Trial(
        id=r.id,
        name=r.name,
        claim=r.claim,
        note=r.note,
        asked=tuple(Asked(measures[a.measure_key], a.per_unit, a.sown) for a in asked),
        worth=r.worth,
        scale=r.scale,
        lower_is_better=r.lower_is_better,
        summary=r.summary,
        start_on=r.start_on,
        decision_day=r.decision_day,
        dealing=r.dealing,
        seed=r.seed,
        deals=r.deals,
        ground=Ground(r.ground_kind, r.width_cm, r.length_cm, r.guard_cm, r.per_row),
        control=r.control,
        treatments=tuple(treatment_from(t) for t in treatments),
        units=tuple(unit_from(u) for u in units),
        rounds=tuple(round_from(each) for each in rounds),
        pours=tuple(pour_from(p) for p in pours),
        ended_on=r.ended_on,
        ended_reason=r.ended_reason,
    )


def treatment_from(row: TreatmentRow) -> Treatment:
    t = cast(Any, row)
    return Treatment(t.id, t.letter, t.name, t.role, t.how, t.amount, t.amount_unit)


def unit_from(row: UnitRow) -> Unit:
    return Unit(
        id=cast(int, row.id),
        code=row.code,
        letter=row.letter,
        block=row.block,
        row=row.grid_row,
        column=row.grid_column,
        walk=row.walk,
        x_cm=row.x_cm,
        y_cm=row.y_cm,
        lost_on=row.lost_on,
        lost_reason=row.lost_reason,
    )


def unit_row(trial_id: int, unit: Unit) -> UnitRow:
    return UnitRow(
        trial_id=trial_id,
        code=unit.code,
        letter=unit.letter,
        block=unit.block,
        grid_row=unit.row,
        grid_column=unit.column,
        walk=unit.walk,
        x_cm=unit.x_cm,
        y_cm=unit.y_cm,
    )


def round_from(row: RoundRow) -> Round:
    return Round(cast(int, row.id), row.day, row.done, row.note)


def pour_from(row: PourRow) -> Pour:
    p = cast(Any, row)
    return Pour(p.id, p.letter, p.day, p.status, p.done_on, p.amount, p.note, p.by)


def reading_from(row: ReadingRow) -> Reading:
    return Reading(
        id=cast(int, row.id),
        round_id=row.round_id,
        unit_id=row.unit_id,
        measure_key=row.measure_key,
        replicate=row.replicate,
        value=row.value,
        skip_reason=row.skip_reason,
        by=row.by,
        version=row.version,
    )


def measure_of(row: OwnMeasureRow) -> Measure:
    r = cast(Any, row)
    return own_measure(r.key, r.name, r.unit, r.low, r.high, r.decimals, r.better, r.scale, r.how)
