"""A whole trial as one JSON file: plan, lots, readings, pours, old values."""

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import date, datetime

from eproba.core.trial.amendments import Correction, Evidence, PourChange
from eproba.core.trial.model import Reading, Trial

FORMAT = "eproba-trial-1"


@dataclass(frozen=True)
class Record:
    """What a trial file holds beside plan and lots: readings, old values, what pours were before, and the evidence."""

    readings: Sequence[Reading]
    corrections: Sequence[Correction]
    pour_changes: Sequence[PourChange]
    evidence: Evidence


def trial_json(trial: Trial, record: Record) -> str:
    """Everything on record of one trial."""
    content = {"format": FORMAT, "trial": asdict(trial), **asdict(record)}
    return json.dumps(content, ensure_ascii=False, indent=1, default=_plain)


def _plain(value: object) -> str:
    if isinstance(value, (date, datetime)):
        return value.isoformat()
    raise TypeError(f"{value!r} has no place in a trial file")
