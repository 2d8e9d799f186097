"""The household's time zone: days and hours are its own, wherever the computer thinks that it stands."""

import os
import time
import zoneinfo
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import Any

from flask import g

from eproba.store.garden import GardenFacts, garden_facts
from eproba.web.ui.clock import now
from eproba.web.ui.session import db

COMPUTERS = os.environ.get("TZ")  # as the computer was started
SYSTEM = Path("/usr/share/zoneinfo")


def garden() -> GardenFacts:
    """What this answer knows of the garden; its zone is that of the process from now on."""
    if "garden" not in g:
        g.garden = garden_facts(db())
        keep_time_in(g.garden.zone)
    facts: GardenFacts = g.garden
    return facts


def store_id() -> str:
    """Which state of the data this answer is of; empty where they could not be asked."""
    return garden().store if "garden" in g else ""


def keep_time_in(zone: str) -> None:
    """Let local time be that of a zone; empty: the computer's."""
    wanted = _file_of(zone) if zone else COMPUTERS
    if os.environ.get("TZ") == wanted:
        return
    if wanted is None:
        os.environ.pop("TZ", None)
    else:
        os.environ["TZ"] = wanted
    time.tzset()


def zone_facts() -> dict[str, Any]:
    """What the choice of the zone shows."""
    return {"zone": garden().zone, "zones": zones(), "computers": now().astimezone().tzname()}


@cache
def zones() -> tuple[str, ...]:
    """The names that can be chosen: places, and UTC."""
    places = sorted(name for name in zoneinfo.available_timezones() if "/" in name and not name.startswith("Etc/"))
    return ("UTC", *places)


@cache
def _file_of(zone: str) -> str:
    """Where the C library finds a zone: among the system's, or those that came with our packages."""
    if (SYSTEM / zone).exists():
        return zone
    return f":{files('tzdata').joinpath('zoneinfo', *zone.split('/'))}"
