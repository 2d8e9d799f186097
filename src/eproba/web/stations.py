"""The weather station at hand."""

from flask import current_app

from eproba.core.brewing.weather import Station
from eproba.standins.weather import SimulatedStation
from eproba.store.weather import LoggedStation
from eproba.web.ui.session import db


def station() -> Station:
    """Simulated in the demo garden, else what is on record."""
    return SimulatedStation() if current_app.config["SETTINGS"].demo else LoggedStation(db())
