"""From a previewed file to rows for the store."""

import secrets
from collections.abc import Iterator
from datetime import datetime

from eproba.exchange.readings_csv import Preview


def import_rows(seen: Preview, by: str, at: datetime) -> Iterator[dict[str, object]]:
    """One row for each wanted reading, with an id of its own."""
    batch = secrets.token_hex(8)
    for wanted in seen.wanted:
        yield {
            "round_id": wanted.round_id,
            "unit_id": wanted.unit_id,
            "measure_key": wanted.measure_key,
            "replicate": wanted.replicate,
            "value": wanted.value,
            "by": by,
            "at": at,
            "client_id": f"file-{batch}-{wanted.line}",
        }
