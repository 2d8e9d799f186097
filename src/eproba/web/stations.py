"""The weather station at hand."""

from datetime import timedelta

from flask import current_app

from eproba.core.brewing.weather import Station, season_of, weather_at
from eproba.standins.weather import SimulatedStation
from eproba.store.weather import LoggedStation
from eproba.web.ui.clock import now
from eproba.web.ui.session import db

WEEK = timedelta(days=7)


def station() -> Station:
    """Simulated in the demo garden, else what is on record."""
    return SimulatedStation() if current_app.config["SETTINGS"].demo else LoggedStation(db())


def season() -> float | None:
    """The mean of the last week’s nights and days, °C; None where nobody knows."""
    return season_of(weather_at(station(), now().astimezone(), WEEK, timedelta()))
