"""A draft's answers: sensible ones to start with, or those of a trial that is copied; and their way to a plan."""

from datetime import date, timedelta
from typing import Any, cast

from werkzeug.datastructures import MultiDict

from eproba.core.measuring.measures import Measure
from eproba.core.planning.days import Rhythm
from eproba.core.planning.ground import Ground, UnitKind
from eproba.core.planning.plan import Plan, PlannedMeasure, PlannedTreatment, control_index
from eproba.core.planning.trial import Trial
from eproba.web.new_trial.forms import ClaimForm, MeasureForm, TreatmentsForm, UnitsForm

Answers = dict[str, dict[str, list[str]]]


def first_answers(today: date) -> Answers:
    """What a new trial starts with: a common, fair plan."""
    return {
        "claim": {"claim": [""], "name": [""], "note": [""]},
        "measure": {
            "measure": ["plant_height"],
            "worth": ["15"],
            "scale": ["ratio"],
            "better": ["higher"],
            "start_on": [(today + timedelta(days=1)).isoformat()],
            "decision_day": ["28"],
            "round_every": ["7"],
            "per_unit": ["1"],
            "sown": [""],
            "also": [],
            "summary": ["last"],
        },
        "treatments": _treatment_answers([("", "test", ""), ("Plain water", "water control", "")], "250", "mL", "7"),
        "units": {
            "kind": ["pot"],
            "units_each": ["6"],
            "dealing": ["blocks"],
            "width_cm": ["25"],
            "length_cm": ["25"],
            "guard_cm": ["10"],
            "per_row": ["6"],
        },
    }


def _treatment_answers(rows: list[tuple[str, str, str]], amount: str, unit: str, every: str) -> dict[str, list[str]]:
    typed = {"amount": [amount], "amount_unit": [unit], "pour_every": [every]}
    for i, row in enumerate(rows):
        for name, value in zip(("name", "role", "how"), row, strict=True):
            typed[f"treatments-{i}-{name}"] = [value]
    return typed


def answers_from(trial: Trial, today: date) -> Answers:
    """The answers that would plan this trial again, from tomorrow on."""
    answers = first_answers(today)
    first = trial.asked[0]
    answers["claim"] = {"claim": [trial.claim], "name": [f"{trial.name}, again"], "note": [""]}
    worth = "" if trial.worth is None else f"{trial.worth * (100 if trial.scale == 'ratio' else 1):g}"
    days = [each.day for each in trial.rounds]
    answers["measure"].update(
        measure=[first.measure.key],
        worth=[worth],
        scale=[trial.scale],
        better=["lower" if trial.lower_is_better else "higher"],
        decision_day=[str(trial.decision_day)],
        round_every=[str(days[1] - days[0])],
        per_unit=[str(first.per_unit)],
        sown=["" if first.sown is None else str(first.sown)],
        also=[each.measure.key for each in trial.asked[1:]],
        summary=[trial.summary],
    )
    amounts = [(f"{t.amount:g}", t.amount_unit) for t in trial.treatments if t.amount is not None]
    amount, unit = amounts[0] if amounts else ("250", "mL")
    pour_days = sorted({pour.day for pour in trial.pours})
    every = str(pour_days[1] - pour_days[0]) if len(pour_days) > 1 else ""
    rows = [(t.name, cast(str, t.role), t.how) for t in trial.treatments]
    answers["treatments"] = _treatment_answers(rows, amount, unit, every)
    ground = trial.ground
    answers["units"] = {
        "kind": [ground.kind],
        "units_each": [str(len(trial.units) // len(trial.treatments))],
        "dealing": [trial.dealing],
        "width_cm": [f"{ground.width_cm:g}"],
        "length_cm": [f"{ground.length_cm:g}"],
        "guard_cm": [f"{ground.guard_cm:g}"],
        "per_row": [str(ground.per_row)],
    }
    return answers


def typed_into(form: Any, typed: dict[str, list[str]], measures: dict[str, Measure]) -> Any:
    """A step's form holding what was typed (checked apart from its token, which belongs to the request)."""
    typed_data = MultiDict([(k, v) for k, vs in typed.items() for v in vs])
    own = {"known": measures} if form is MeasureForm else {}
    return form(formdata=typed_data, meta={"csrf": False}, **own)


def plan_from(
    claim: ClaimForm, measure: MeasureForm, treatments: TreatmentsForm, units: UnitsForm, measures: dict[str, Measure]
) -> Plan:
    """The plan that valid answers make."""
    first = measures[measure.measure.data]
    worth = measure.worth.number
    planned = tuple(_treatment(entry.form, treatments) for entry in treatments.treatments)
    scale = measure.scale.data
    sown = measure.sown.number
    keys = [first.key, *(key for key in measure.also.data or [] if key != first.key)]
    return Plan(
        name=(claim.name.data or "").strip(),
        claim=(claim.claim.data or "").strip(),
        note=(claim.note.data or "").strip(),
        measures=tuple(
            PlannedMeasure(
                key,
                int(measure.per_unit.number or 1) if key == first.key else 1,
                int(sown) if sown and measures[key].kind == "proportion" else None,
            )
            for key in keys
        ),
        worth=worth / 100 if worth is not None and scale == "ratio" else worth,
        scale=scale,
        lower_is_better=measure.better.data == "lower",
        summary=measure.summary.data,
        start_on=measure.start,
        rhythm=Rhythm(
            int(measure.decision_day.number or 1),
            int(measure.round_every.number or 1),
            int(treatments.pour_every.number) if treatments.pour_every.number else None,
        ),
        treatments=planned,
        control=control_index(planned),
        dealing=units.dealing.data,
        units_each=int(units.units_each.number or 1),
        ground=Ground(
            cast(UnitKind, units.kind.data),
            units.width_cm.number or 1,
            units.length_cm.number or 1,
            units.guard_cm.number or 0,
            int(units.per_row.number or 1),
        ),
    )


def _treatment(form: Any, treatments: TreatmentsForm) -> PlannedTreatment:
    """Untreated units get nothing; all others get the same amount on the same days."""
    amount = None if form.role.data == "untreated" else treatments.amount.number
    unit = "" if amount is None else treatments.amount_unit.data
    return PlannedTreatment((form.name.data or "").strip(), form.role.data, (form.how.data or "").strip(), amount, unit)
