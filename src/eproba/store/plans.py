"""A plan without its ground: what a neighbour needs to ask the same question, as plain rows, and from them again."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from datetime import UTC, date, datetime
from typing import Any, TypeVar

from pydantic import ValidationError
from sqlmodel import Session, SQLModel, col, select

from eproba.core.errors import EprobaError
from eproba.core.measuring.measures import Measure
from eproba.core.trial.ground import Site, row_of, site_entry
from eproba.core.trial.lots import ALGORITHM
from eproba.core.trial.model import Treatment, Trial
from eproba.store.mapping import TrialParts, measure_of, trial_from
from eproba.store.recipes import recipe_of
from eproba.store.tables import (
    OwnMeasureRow,
    OwnRecipeRow,
    PourRow,
    RoundRow,
    TreatmentRow,
    TrialMeasureRow,
    TrialRow,
)

PLAN_FORMAT = "eproba-plan-1"
QUESTION = (
    "name", "claim", "worth", "scale", "lower_is_better", "summary", "decision_day", "control", "no_worse", "ranked",
    "compared", "blind", "batches", "rules",
)  # fmt: skip
PARTS: Mapping[str, tuple[type[SQLModel], tuple[str, ...]]] = {
    "treatments": (TreatmentRow, (
        *(field.name for field in fields(Treatment) if field.name not in ("id", "label")),
    )),
    "measures": (TrialMeasureRow, ("position", "measure_key", "per_unit", "sown", "days")),
    "rounds": (RoundRow, ("day", "pull", "at", "after_hours", "within")),
    "pours": (PourRow, ("letter", "day", "what", "planned", "per")),
}  # fmt: skip
BROUGHT: Mapping[str, type[SQLModel]] = {"own_measures": OwnMeasureRow, "own_recipes": OwnRecipeRow}

Row = TypeVar("Row", bound=SQLModel)


class PlanRefused(EprobaError):
    """A plan that can't be taken in; the message says why."""


class Unknown(EprobaError):
    """Measures or recipes that this garden does not know and the plan does not bring: what is to stand for each?"""

    def __init__(self, measures: Sequence[str], recipes: Sequence[str]) -> None:
        names = ", ".join([*measures, *recipes])
        super().__init__(f"This plan names what is not known here, and does not bring it along: {names}.")
        self.measures, self.recipes = tuple(measures), tuple(recipes)


@dataclass(frozen=True)
class PlanBrought:
    """A plan as it came: its question and parts as plain rows; `units_each` as many as there were."""

    question: Mapping[str, Any]
    parts: Mapping[str, Sequence[Mapping[str, Any]]]
    brought: Mapping[str, Sequence[Mapping[str, Any]]]
    units_each: int


def plan_of_trial(session: Session, trial: Trial) -> PlanBrought:
    """What leaves of a trial: no names of people, no ground, no lots, no readings."""
    row = session.get_one(TrialRow, trial.id)
    parts = {name: _of(session, table, columns, trial.id) for name, (table, columns) in PARTS.items()}
    keys = (
        {measure["measure_key"] for measure in parts["measures"]},
        {treatment["recipe"] for treatment in parts["treatments"]},
    )
    brought = {
        name: [_whole(row) for row in session.exec(select(table).where(col(table.key).in_(known)))]  # type: ignore[attr-defined]
        for (name, table), known in zip(BROUGHT.items(), keys, strict=True)
    }
    question = {name: getattr(row, name) for name in QUESTION}
    return PlanBrought(question, parts, brought, len(trial.units) // len(trial.treatments))


def _of(session: Session, table: Any, columns: Sequence[str], trial_id: int) -> list[dict[str, Any]]:
    rows = session.exec(select(table).where(col(table.trial_id) == trial_id).order_by(col(table.id))).all()
    return [{name: getattr(row, name) for name in columns} for row in rows]


def _whole(row: SQLModel) -> dict[str, Any]:
    return row.model_dump(exclude={"id", "made_at", "put_away"})


def take_along(session: Session, plan: PlanBrought, now: datetime) -> None:
    """Keep own measures and recipes that the plan brings and this garden lacks; what it has stays its own.

    Raises
    ------
    PlanRefused
        One that can't be.
    """
    for name, table in BROUGHT.items():
        rows: Any = table
        known = set(session.exec(select(rows.key)))
        for row in plan.brought.get(name, ()):
            if row.get("key") not in known:
                session.add(_row(table, {**row, "made_at": now}))
    session.flush()


def _row(table: type[Row], given: Mapping[str, Any]) -> Row:
    """A row of a table, with every value of its kind. Raises PlanRefused."""
    try:
        row = table.model_validate(dict(given))
        if isinstance(row, OwnMeasureRow):
            measure_of(row)
        if isinstance(row, OwnRecipeRow):
            recipe_of(row.key, row.entry)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise PlanRefused(f"A part of this plan can’t be: {where} ({first['msg'].lower()}).") from error
    return row


def unknown_in(plan: PlanBrought, measures: Iterable[str], recipes: Iterable[str]) -> Unknown | None:
    """What the plan names that neither this garden knows nor the plan brings; None where all is known."""
    brought = [{row.get("key") for row in plan.brought.get(name, ())} for name in BROUGHT]
    asked = [str(part.get("measure_key")) for part in plan.parts["measures"]]
    used = [str(part["recipe"]) for part in plan.parts["treatments"] if part.get("recipe")]
    missing = [key for key in asked if key not in {*measures, *brought[0]}]
    without = [key for key in used if key not in {*recipes, *brought[1]}]
    return Unknown(missing, list(dict.fromkeys(without))) if missing or without else None


def standing_in(plan: PlanBrought, chosen: Mapping[str, str]) -> PlanBrought:
    """The plan with what this garden takes instead: `chosen` by `measure-KEY` and `recipe-KEY`."""
    measures = [
        {**part, "measure_key": chosen.get(f"measure-{part.get('measure_key')}") or part.get("measure_key")}
        for part in plan.parts["measures"]
    ]
    treatments = []
    for treatment_row in plan.parts["treatments"]:
        instead = chosen.get(f"recipe-{treatment_row.get('recipe')}")
        treatments.append(
            {
                **treatment_row,
                "recipe": treatment_row.get("recipe") if instead is None else instead.removeprefix("none"),
            }
        )
    return replace(plan, parts={**plan.parts, "measures": measures, "treatments": treatments})


def trial_of_plan(plan: PlanBrought, measures: Mapping[str, Measure], start_on: date) -> Trial:
    """The plan as a trial without ground or lots, in the units of the household.

    Raises
    ------
    PlanRefused
        Rows that can't be.
    """
    nowhere = site_entry(Site((row_of("pots", 25, 25, 10, 1, 2),)))
    undealt = {
        "id": 0, "key": "", "start_on": start_on, "dealing": "completely random", "seed": "", "algorithm": ALGORITHM,
        "dealt_at": datetime.combine(start_on, datetime.min.time(), UTC), "site": nowhere, "guard_cm": 0.0,
    }  # fmt: skip
    asked = sorted(_rows(TrialMeasureRow, plan.parts["measures"]), key=lambda row: row.position)
    if not asked or len(plan.parts["treatments"]) < 2 or not plan.parts["rounds"]:
        raise PlanRefused("This plan lacks measures, treatments or rounds: ask for the file again.")
    parts = TrialParts(
        asked=asked,
        treatments=_rows(TreatmentRow, plan.parts["treatments"]),
        units=[],
        rounds=_rows(RoundRow, plan.parts["rounds"]),
        pours=_rows(PourRow, plan.parts["pours"]),
        amendments=[],
        spare_runs=[],
        looks=[],
    )
    row = _row(TrialRow, {**{name: plan.question.get(name) for name in QUESTION}, **undealt})
    try:
        trial = trial_from(row, parts, measures)
    except (KeyError, TypeError, ValueError) as error:
        raise PlanRefused("A rule of this plan can’t be read: ask for the file again.") from error
    if trial.control not in {treatment.letter for treatment in trial.treatments}:
        raise PlanRefused("This plan names no control among its treatments.")
    return trial


def _rows(table: type[Row], given: Sequence[Mapping[str, Any]]) -> list[Row]:
    known = next(columns for row_class, columns in PARTS.values() if row_class is table)
    wanted = [{name: values[name] for name in known if name in values} for values in given]
    return [_row(table, {**values, "id": i, "trial_id": 0, "key": str(i)}) for i, values in enumerate(wanted)]
