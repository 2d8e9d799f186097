"""Rows ↔ core objects, in this one place."""

from collections.abc import Mapping, Sequence
from typing import Any, cast

from eproba.core.measuring.measures import Measure, own_measure
from eproba.core.trial.ground import Cut, site_from
from eproba.core.trial.model import (
    Amendment,
    Asked,
    Declared,
    Pour,
    Reading,
    Round,
    Rules,
    SpareRun,
    Treatment,
    Trial,
    Unit,
)
from eproba.store.tables import (
    AmendmentRow,
    OwnMeasureRow,
    PourRow,
    ReadingRow,
    RoundRow,
    SpareRunRow,
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
    amendments: Sequence[AmendmentRow],
    spare_runs: Sequence[SpareRunRow],
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
        algorithm=r.algorithm,
        dealt_at=r.dealt_at,
        deals=r.deals,
        site=site_from(r.site),
        guard_cm=r.guard_cm,
        control=r.control,
        treatments=tuple(treatment_from(t) for t in treatments),
        units=tuple(unit_from(u) for u in units),
        rounds=tuple(round_from(each) for each in rounds),
        pours=tuple(pour_from(p) for p in pours),
        ended_on=r.ended_on,
        ended_reason=r.ended_reason,
        no_worse=r.no_worse,
        blind=r.blind,
        batches=r.batches,
        rules=rules_from(r.rules),
        declared=None if r.declared_at is None else Declared(r.declared_at, r.declaration, r.fingerprint),
        amendments=tuple(Amendment(a.on, a.what, a.old, a.new, a.reason, a.by) for a in amendments),
        spare_runs=tuple(SpareRun(s.letter, s.on, s.came_through, s.note, s.by) for s in spare_runs),
    )


def rules_from(kept: Mapping[str, Any]) -> Rules:
    """The rules as kept in JSON; lists are tuples again."""
    lists: Any = {key: tuple(value) if isinstance(value, list) else value for key, value in kept.items()}
    return Rules(**lists)


def treatment_from(row: TreatmentRow) -> Treatment:
    t = cast(Any, row)
    return Treatment(t.id, t.letter, t.name, t.role, t.how, t.amount, t.amount_unit, t.rung, t.recipe, t.water_parts)


def unit_from(row: UnitRow) -> Unit:
    r = cast(Any, row)
    cut = Cut(
        r.kind, r.number, r.place, r.grid_row, r.grid_column, r.walk, r.x_cm, r.y_cm, r.width_cm, r.length_cm,
        r.block, r.size,
    )  # fmt: skip
    return Unit(r.id, r.letter, cut, r.lost_on, r.lost_reason)


def unit_row(trial_id: int, unit: Unit) -> UnitRow:
    cut = {**vars(unit.cut)}
    return UnitRow(
        trial_id=trial_id,
        code=unit.code,
        letter=unit.letter,
        grid_row=cut.pop("row"),
        grid_column=cut.pop("column"),
        **cut,
    )


def round_from(row: RoundRow) -> Round:
    return Round(cast(int, row.id), row.day, row.done, row.note)


def pour_from(row: PourRow) -> Pour:
    p = cast(Any, row)
    return Pour(
        p.id, p.letter, p.day, p.status, p.done_on, p.amount, p.note, p.by, p.amount_each, p.unit_amounts, p.batch_id,
        p.override, p.soil_c, p.moisture, p.alike, p.can,
    )  # fmt: skip


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
