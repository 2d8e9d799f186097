"""Weather on record: a logger's file, or as typed; in the demo a simulated station."""

from datetime import timedelta

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm
from wtforms import StringField, ValidationError
from wtforms.validators import InputRequired

from eproba.core.brewing.weather import MOST_RAIN, Hour, days
from eproba.core.errors import EprobaError
from eproba.core.quantities import COLDEST, HOTTEST
from eproba.core.words import parse_date
from eproba.exchange.table import TableError
from eproba.exchange.weather_csv import read_weather
from eproba.store.commands.weather import add_hours
from eproba.web.stations import station
from eproba.web.ui.clock import now
from eproba.web.ui.fields import NumberField
from eproba.web.ui.session import db

weather = Blueprint("weather", __name__, template_folder="templates")
PAST, COMING = timedelta(days=14), 48


class WeatherForm(FlaskForm):
    on = StringField("Day", [InputRequired("Which day?")])
    temperature = NumberField("Temperature", COLDEST, HOTTEST)
    rain = NumberField("Rain of the day", 0, MOST_RAIN, optional=True)

    def validate_on(self, field: StringField) -> None:
        try:
            parse_date(field.data or "")
        except EprobaError as error:
            raise ValidationError(str(error)) from error


@weather.route("/weather", methods=["GET", "POST"])
def index() -> ResponseReturnValue:
    form = WeatherForm(data={"on": now().date().isoformat()}) if request.method == "GET" else WeatherForm()
    if form.validate_on_submit():
        at = now().astimezone().replace(minute=0, second=0, microsecond=0)
        on = parse_date(form.on.data or "")
        moment = at if on == at.date() else at.replace(year=on.year, month=on.month, day=on.day, hour=12)
        add_hours(db(), [Hour(moment, float(form.temperature.number or 0), float(form.rain.number or 0))])
        db().commit()
        flash("Kept.")
        return redirect(url_for("weather.index"))
    here = station()
    page = render_template(
        "weather/index.html",
        form=form,
        station=here.name,
        past=days(here.hours(now() - PAST, now())),
        coming=days(here.forecast(now(), COMING)),
    )
    return page, 400 if form.errors else 200


@weather.post("/weather/file")
def file_in() -> ResponseReturnValue:
    """A logger's CSV file."""
    sent = request.files.get("file")
    try:
        good, bad = read_weather(sent.read() if sent else b"", now().astimezone().tzinfo)
    except TableError as error:
        flash(f"That file: {error}.")
        return redirect(url_for("weather.index"))
    taken = add_hours(db(), good)
    db().commit()
    lost = f"; {len(bad)} lines could not be taken (line {bad[0].line}: {bad[0].why})" if bad else ""
    flash(f"{taken} hours are on record{lost}.")
    return redirect(url_for("weather.index"))
