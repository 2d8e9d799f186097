"""What a device sends from the garden, checked before it is believed."""

import math
from typing import Any

from eproba.core.trial.model import Round, Trial
from eproba.store.readings import Typed

LONGEST_ID = 64
LONGEST_REASON = 300


class Refused(ValueError):
    """A typed reading that can't be taken; the message says what to do."""


def op_from(op: Any, trial: Trial, this: Round) -> Typed | str:
    """One entry: a typed reading, or (undo) the id of one to take back."""
    if not isinstance(op, dict) or not isinstance(op.get("id"), str) or not 8 <= len(op["id"]) <= LONGEST_ID:
        raise Refused("This entry has no id.")
    if op.get("undo") is True:
        return str(op["id"])
    asked = next((a for a in trial.asked_in(this) if a.measure.key == op.get("measure")), None)
    if asked is None:
        raise Refused("This measure is not part of the round.")
    if op.get("unit") not in [unit.id for unit in trial.units]:
        raise Refused("This unit is not part of the trial.")
    replicate = op.get("replicate")
    if not isinstance(replicate, int) or not 1 <= replicate <= 9:
        raise Refused("Readings of a unit are numbered 1 to 9.")
    value, skip = op.get("value"), str(op.get("skip") or "")[:LONGEST_REASON]
    if value is None and not skip:
        raise Refused("Type a value, or skip with a reason.")
    if value is not None and (
        not isinstance(value, (int, float)) or isinstance(value, bool) or not math.isfinite(value)
    ):
        raise Refused("The value must be a number.")
    seen = op.get("seen")
    return Typed(
        client_id=op["id"],
        round_id=this.id,
        unit_id=op["unit"],
        measure_key=asked.measure.key,
        replicate=replicate,
        value=None if value is None else float(value),
        skip_reason="" if value is not None else skip,
        seen_version=seen if isinstance(seen, int) else 0,
        replaces=str(op.get("replaces") or "")[:LONGEST_ID],
    )
