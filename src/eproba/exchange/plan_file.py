"""A plan as one file of JSON that any Eproba takes in: its question, treatments, doses, days, measures, rounds, worth;
with the fingerprint of all that, so that a later change shows."""

import json
from dataclasses import dataclass
from typing import Any

from eproba.core.errors import EprobaError
from eproba.core.trial.declaration import fingerprint
from eproba.exchange.strict_json import strict_json
from eproba.store.plans import BROUGHT, PARTS, PLAN_FORMAT, PlanBrought

MOST_BYTES = 2_000_000


class PlanFileError(EprobaError):
    """A file that is no plan; the message says what to do."""


@dataclass(frozen=True)
class PlanFile:
    """A plan as read; `changed`: it is not what it was when it was written."""

    plan: PlanBrought
    changed: bool


def write_plan(plan: PlanBrought) -> str:
    """The plan as JSON text."""
    facts = _facts(plan)
    plan_text = {"format": PLAN_FORMAT, **facts, "fingerprint": fingerprint(_plain(facts))}
    return json.dumps(plan_text, indent=1, ensure_ascii=False, allow_nan=False)


def _facts(plan: PlanBrought) -> dict[str, Any]:
    return {"question": dict(plan.question), **plan.parts, **plan.brought, "units_each": plan.units_each}


def _plain(facts: dict[str, Any]) -> dict[str, Any]:
    """As it reads once it has been a file."""
    return dict(json.loads(json.dumps(facts, ensure_ascii=False, allow_nan=False)))


def read_plan(raw: bytes) -> PlanFile:
    """A plan from its file.

    Raises
    ------
    PlanFileError
        No JSON, another make or version, parts that are missing or of another form.
    """
    if len(raw) > MOST_BYTES:
        raise PlanFileError("This file is too large for a plan.")
    try:
        content = strict_json(raw)
    except (ValueError, RecursionError) as error:
        raise PlanFileError("This is no plan: choose the .json that “Plan for others” gave.") from error
    format_ = content.get("format") if isinstance(content, dict) else None
    if format_ != PLAN_FORMAT:
        if isinstance(format_, str) and format_.startswith("eproba-plan-"):
            raise PlanFileError(
                f"This plan is of another version ({format_}); this Eproba reads {PLAN_FORMAT}: "
                "bring the older of the two gardens up to date."
            )
        raise PlanFileError("This is no plan of Eproba’s: choose the .json that “Plan for others” gave.")
    question, units = content.get("question"), content.get("units_each")
    rows = {name: content.get(name) for name in (*PARTS, *BROUGHT)}
    fits = isinstance(question, dict) and isinstance(units, int) and 1 <= units <= 200
    if not fits or not all(isinstance(part, list) and all(isinstance(row, dict) for row in part)
                           for part in rows.values()):  # fmt: skip
        raise PlanFileError("Parts of this plan are missing: ask for the file again.")
    plan = PlanBrought(
        question, {name: rows[name] for name in PARTS}, {name: rows[name] for name in BROUGHT}, units
    )  # fmt: skip
    return PlanFile(plan, content.get("fingerprint") != fingerprint(_facts(plan)))
