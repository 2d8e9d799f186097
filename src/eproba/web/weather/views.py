"""Weather on record: a logger's file, days as they were or as foretold; in the demo a simulated station."""

from datetime import timedelta

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from wtforms import RadioField, StringField, ValidationError
from wtforms.validators import InputRequired

from eproba.core.brewing.weather import MOST_RAIN, Day, Hour, days, weather_at
from eproba.core.errors import EprobaError
from eproba.core.quantities import COLDEST, HOTTEST
from eproba.core.words import parse_date, plural
from eproba.exchange.table import TableError
from eproba.exchange.weather_csv import read_weather
from eproba.store.commands.weather import add_days, add_hours
from eproba.web.stations import station
from eproba.web.ui.clock import now, today
from eproba.web.ui.fields import AmountField, AmountForm
from eproba.web.ui.session import db
from eproba.web.ui.units import sentence
from eproba.web.verdict.keeping import commit

weather = Blueprint("weather", __name__, template_folder="templates")
PAST, COMING = timedelta(days=14), timedelta(days=4)
TOLD = {"was": "as it was", "foretold": "a forecast"}


class DayForm(AmountForm):
    """One day, as it was or as somebody foretells it."""

    told = RadioField("The day", choices=list(TOLD.items()), default="was")
    on = StringField("Day", [InputRequired("Which day?")])
    low = AmountField("Low", "°C", COLDEST, HOTTEST)
    high = AmountField("High", "°C", COLDEST, HOTTEST)
    rain = AmountField("Rain of the day", "mm", 0, MOST_RAIN, optional=True)

    def validate_on(self, field: StringField) -> None:
        try:
            on = parse_date(field.data or "")
        except EprobaError as error:
            raise ValidationError(sentence(error)) from error
        if self.told.data == "was" and on > today():
            raise ValidationError("That day is still to come: choose “a forecast”.")
        if self.told.data == "foretold" and on < today():
            raise ValidationError("That day is over: choose “as it was”.")

    def validate_high(self, field: AmountField) -> None:
        if None not in (field.number, self.low.number) and float(field.number or 0) < float(self.low.number or 0):
            raise ValidationError("The high is not below the low.")


class NowForm(AmountForm):
    temperature = AmountField("Temperature right now", "°C", COLDEST, HOTTEST)


@weather.route("/weather", methods=["GET", "POST"])
def index() -> ResponseReturnValue:
    form = DayForm(data={"on": today().isoformat(), "told": "was"}) if request.method == "GET" else DayForm()
    if form.validate_on_submit():
        low, high, rain = (float(field.number or 0) for field in (form.low, form.high, form.rain))
        add_days(db(), [Day(parse_date(form.on.data or ""), low, high, rain)], form.told.data == "foretold")
        commit()
        flash("Kept. Typed again, a day is put right, not added up.")
        return redirect(url_for("weather.index"))
    return _page(form, NowForm(formdata=None, prefix="now-")), 400 if form.errors else 200


def _page(form: DayForm, now_form: NowForm) -> str:
    station_ = station()
    known = weather_at(station_, now().astimezone(), PAST, COMING)
    return render_template(
        "weather/index.html",
        form=form,
        now_form=now_form,
        station=station_.name,
        past=days(known.hours, known.days),
        coming=days(known.coming, known.foretold),
    )


@weather.post("/weather/now")
def right_now() -> ResponseReturnValue:
    """The temperature of this hour."""
    form = NowForm(prefix="now-")
    if not form.validate_on_submit():
        return _page(DayForm(formdata=None, data={"on": today().isoformat()}), form), 400
    at = now().astimezone().replace(minute=0, second=0, microsecond=0)
    add_hours(db(), [Hour(at, float(form.temperature.number or 0), 0.0)], now())
    commit()
    flash("Saved. Used for the next three hours.")
    return redirect(url_for("weather.index"))


@weather.post("/weather/file")
def file_in() -> ResponseReturnValue:
    """A logger's CSV file, or a forecast’s: what is still to come is kept as foretold."""
    sent = request.files.get("file")
    try:
        weather_read = read_weather(sent.read() if sent else b"", now().astimezone().tzinfo)
    except TableError as error:
        flash(f"That file: {error}.")
        return redirect(url_for("weather.index"))
    hours = add_hours(db(), weather_read.hours, now())
    over = add_days(db(), [day for day in weather_read.days if day.on <= today()], foretold=False)
    ahead = add_days(db(), [day for day in weather_read.days if day.on > today()], foretold=True)
    commit()
    counts = ((hours, "hour", ""), (over, "day", ""), (ahead, "day", " of forecast"))
    parts = [f"{plural(number, word)}{more}" for number, word, more in counts if number]
    first = weather_read.bad[0] if weather_read.bad else None
    lost = ""
    if first is not None:
        lost = f"; {plural(len(weather_read.bad), 'line')} could not be taken (line {first.line}: {first.why})"
    flash(f"On record: {', '.join(parts) or 'nothing'}{lost}.")
    return redirect(url_for("weather.index"))
