"""A whole trial as one JSON file: plan, lots, readings, pours, old values."""

import json
from collections.abc import Iterable, Sequence
from dataclasses import asdict
from datetime import date, datetime
from typing import Any

from eproba.core.trial.model import Reading, Trial

FORMAT = "eproba-trial-1"


def trial_json(trial: Trial, readings: Iterable[Reading], corrections: Sequence[dict[str, Any]]) -> str:
    """Everything on record of one trial."""
    content = {
        "format": FORMAT,
        "trial": asdict(trial),
        "readings": [asdict(reading) for reading in readings],
        "corrections": list(corrections),
    }
    return json.dumps(content, ensure_ascii=False, indent=1, default=_plain)


def _plain(value: object) -> str:
    if isinstance(value, (date, datetime)):
        return value.isoformat()
    raise TypeError(f"{value!r} has no place in a trial file")
