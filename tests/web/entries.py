"""Entries as a device in the garden sends them."""

import json
import re
from datetime import UTC, datetime
from html import unescape

NOW = datetime(2026, 5, 20, 10, tzinfo=UTC)


def till(client, address):
    """What the page of a round tells the till."""
    page = client.get(address).get_data(as_text=True)
    found = re.search(r'<script type="application/json" id="round-data">(.*?)</script>', page, re.S)
    return json.loads(unescape(found.group(1)))


def op(round_, number, unit, typed, measure="moisture_meter", **more):
    """One entry; `more` changes or adds fields."""
    usual = {"trial": round_["trial"], "round": round_["round"], "replicate": 1, "skip": "", "seen": 0, "replaces": ""}
    named = {"id": f"device-a-{number:04}", "unit": unit, "measure": measure, "typed": typed}
    return {**usual, **named, "sure": False, "at": int(NOW.timestamp() * 1000), **more}


def answers(client, *ops):
    """One answer for each entry."""
    response = client.send("/entries", {"entries": list(ops)})
    assert response.status_code == 200, response.get_data(as_text=True)
    return response.get_json()["answers"]
