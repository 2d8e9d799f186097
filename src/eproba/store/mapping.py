"""Rows ↔ core objects, in this one place."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from datetime import datetime
from typing import Any

from eproba.core.errors import EprobaError
from eproba.core.measuring.measures import Measure, Own, own_measure
from eproba.core.trial.amendments import Correction, PourChange
from eproba.core.trial.ground import Cut, site_from
from eproba.core.trial.model import (
    Amendment,
    Asked,
    Declared,
    EarlyLook,
    Pour,
    Reading,
    Round,
    RoundTime,
    Rules,
    SpareRun,
    Treatment,
    Trial,
    Unit,
)
from eproba.core.trial.worth import shown_worth
from eproba.store.tables import (
    AmendmentRow,
    CorrectionRow,
    LookRow,
    OwnMeasureRow,
    PourChangeRow,
    PourRow,
    ReadingRow,
    RepeatRow,
    RoundRow,
    SpareRunRow,
    TreatmentRow,
    TrialMeasureRow,
    TrialRow,
    UnitRow,
)


@dataclass(frozen=True)
class TrialParts:
    """The rows that hang on one trial, each kind in its order."""

    asked: Sequence[TrialMeasureRow]
    treatments: Sequence[TreatmentRow]
    units: Sequence[UnitRow]
    rounds: Sequence[RoundRow]
    pours: Sequence[PourRow]
    amendments: Sequence[AmendmentRow]
    spare_runs: Sequence[SpareRunRow]
    looks: Sequence[LookRow]


TREATMENT_FIELDS = tuple(field.name for field in fields(Treatment))  # as the row names them


def trial_from(row: TrialRow, parts: TrialParts, measures: Mapping[str, Measure]) -> Trial:
    """All rows of one trial as one frozen object, in the units of its measures."""
    asked = tuple(asked_from(asked, measures) for asked in parts.asked)
    return Trial(
        id=row.id,
        name=row.name,
        claim=row.claim,
        note=row.note,
        asked=asked,
        worth=shown_worth(row.worth, row.scale, row.summary, asked[0].measure),
        scale=row.scale,
        lower_is_better=row.lower_is_better,
        summary=row.summary,
        start_on=row.start_on,
        decision_day=row.decision_day,
        dealing=row.dealing,
        seed=row.seed,
        algorithm=row.algorithm,
        dealt_at=row.dealt_at,
        deals=row.deals,
        site=site_from(row.site),
        guard_cm=row.guard_cm,
        control=row.control,
        treatments=tuple(treatment_from(treatment) for treatment in parts.treatments),
        units=tuple(unit_from(unit) for unit in parts.units),
        rounds=tuple(round_from(round_) for round_ in parts.rounds),
        pours=tuple(pour_from(pour) for pour in parts.pours),
        ended_on=row.ended_on,
        ended_reason=row.ended_reason,
        no_worse=row.no_worse,
        ranked=row.ranked,
        compared=row.compared,
        blind=row.blind,
        batches=row.batches,
        rules=_rules_shown(row, asked),
        declared=declared_from(row),
        amendments=tuple(amendment_from(amendment) for amendment in parts.amendments),
        spare_runs=tuple(spare_run_from(spare_run) for spare_run in parts.spare_runs),
        looks=tuple(EarlyLook(look.id, look.day, look.at, look.by, look.reason) for look in parts.looks),
        key=row.key,
        started_on=row.started_on,
        closed_at=_local(row.closed_at),
        made_at=row.made_at,
        made_by=row.made_by,
        changed_files=tuple((row.came or {}).get("changed", ())),
        garden=row.garden,
    )


def _local(at: datetime | None) -> datetime | None:
    """A moment by the gardener's own clock, so that its day is his."""
    return None if at is None else at.astimezone()


def declared_from(row: TrialRow) -> Declared | None:
    if row.declared_at is None:
        return None
    return Declared(at=row.declared_at, facts=row.declaration or {}, fingerprint=row.fingerprint)


def _rules_shown(row: TrialRow, asked: Sequence[Asked]) -> Rules:
    """The rules, with the level to be reached in the unit that is shown."""
    rules = rules_from(row.rules)
    if rules.level is None or not asked:
        return rules
    return replace(rules, level=asked[0].measure.conversion.shown(rules.level))


class NewerMake(EprobaError):
    """Something that a newer make of this program has written."""


def rules_from(kept: Mapping[str, Any]) -> Rules:
    """The rules as kept in JSON; lists are tuples again. Raises NewerMake where they name one that is not known yet."""
    if unknown := sorted(set(kept) - {field.name for field in fields(Rules)}):
        text = f"Its rules name {', '.join(unknown)}, which this Eproba does not know: a newer one wrote it"
        raise NewerMake(f"{text}. Bring this one up to date first, then take it in again.")
    lists: Any = {key: tuple(value) if isinstance(value, list) else value for key, value in kept.items()}
    return Rules(**lists)


def treatment_from(row: TreatmentRow) -> Treatment:
    return Treatment(**{name: getattr(row, name) for name in TREATMENT_FIELDS})


def unit_from(row: UnitRow) -> Unit:
    cut = Cut(
        kind=row.kind,
        number=row.number,
        place=row.place,
        row=row.grid_row,
        column=row.grid_column,
        walk=row.walk,
        x_cm=row.x_cm,
        y_cm=row.y_cm,
        width_cm=row.width_cm,
        length_cm=row.length_cm,
        block=row.block,
        size=row.size,
    )
    return Unit(id=row.id, letter=row.letter, cut=cut, lost_on=row.lost_on, lost_reason=row.lost_reason)


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
    return Round(
        id=row.id,
        day=row.day,
        done=row.done,
        note=row.note,
        key=row.key,
        missed=row.missed,
        closed_at=_local(row.closed_at),
        pull=row.pull,
        time=round_time(row.at, row.after_hours, row.within),
    )


def round_time(at: str, after_hours: int | None, within: float | None) -> RoundTime | None:
    """The hour of a round; None: any."""
    return None if not at and after_hours is None else RoundTime(at, after_hours, within)


def pour_from(row: PourRow) -> Pour:
    return Pour(
        id=row.id,
        letter=row.letter,
        day=row.day,
        status=row.status,
        done_on=row.done_on,
        amount=row.amount,
        note=row.note,
        by=row.by,
        amount_each=row.amount_each,
        unit_amounts=row.unit_amounts,
        batch=row.batch_id,
        override=row.override,
        soil_c=row.soil_c,
        moisture=row.moisture,
        alike=row.alike,
        can=row.can,
        entered_at=_local(row.entered_at),
        done_at=_local(row.done_at),
        other_batch=row.other_batch_id,
        otherwise=row.otherwise,
        what=row.what,
        planned=row.planned,
        per=row.per,
    )


def reading_from(row: ReadingRow | RepeatRow, measures: Mapping[str, Measure]) -> Reading:
    """A reading in the unit of its measure."""
    return Reading(
        id=row.id,
        round_id=row.round_id,
        unit_id=row.unit_id,
        measure_key=row.measure_key,
        replicate=row.replicate,
        value=shown_value(row.value, measures.get(row.measure_key)),
        skip_reason=row.skip_reason,
        by=row.by,
        version=row.version,
        read_at=_local(row.read_at),
        came_at=_local(row.at),
        typed=row.typed,
        sure=row.sure,
        source=row.source,
        saw=row.saw,
        meter=row.meter,
    )


def shown_value(value: float | None, measure: Measure | None) -> float | None:
    """A value of the record in the unit of its measure."""
    return value if value is None or measure is None or not measure.kept_in else measure.conversion.shown(value)


def correction_from(row: CorrectionRow, measure: Measure | None = None) -> Correction:
    return Correction(
        reading_id=row.reading_id,
        old_value=shown_value(row.old_value, measure),
        old_skip_reason=row.old_skip_reason,
        reason=row.reason,
        by=row.by,
        at=row.at,
        sealed=row.sealed,
        verdict_before=row.verdict_before,
    )


def pour_change_from(row: PourChangeRow, pour: PourRow) -> PourChange:
    return PourChange(letter=pour.letter, day=pour.day, was=row.was, by=row.by, at=row.at, sealed=row.sealed)


def amendment_from(row: AmendmentRow) -> Amendment:
    return Amendment(on=row.on, what=row.what, old=row.old, new=row.new, reason=row.reason, by=row.by)


def spare_run_from(row: SpareRunRow) -> SpareRun:
    return SpareRun(letter=row.letter, on=row.on, came_through=row.came_through, note=row.note, by=row.by)


def asked_from(row: TrialMeasureRow, measures: Mapping[str, Measure]) -> Asked:
    days = None if row.days is None else tuple(row.days)
    return Asked(measures[row.measure_key], row.per_unit, row.sown, days)


def measure_of(row: OwnMeasureRow) -> Measure:
    return own_measure(
        key=row.key,
        name=row.name,
        unit=row.unit,
        low=row.low,
        high=row.high,
        decimals=row.decimals,
        better=row.better,
        scale=row.scale,
        how=row.how,
        own=Own(row.kind, tuple(row.levels), row.seconds, row.when, row.destructive, row.noise),
    )
