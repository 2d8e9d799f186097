"""Meters: which there are, values that they send with a token of their own, logs dropped in, what the till takes."""

from collections.abc import Sequence
from datetime import datetime, time, timedelta
from typing import Any

from flask import Blueprint, Response, abort, current_app, flash, jsonify, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from wtforms import SelectField, StringField
from wtforms.validators import InputRequired

from eproba.core.errors import EprobaError
from eproba.core.measuring.measures import Measure
from eproba.core.measuring.meters import (
    Meter,
    MeterDoubt,
    MeterError,
    MeterValue,
    as_run,
    checked,
    filling,
    in_unit,
    steady,
)
from eproba.core.trial.model import Asked
from eproba.core.words import parse_date, plural
from eproba.exchange.meter_log import columns_of, likely, read_log
from eproba.exchange.table import TableError, logged_at
from eproba.standins.meters import meters_at
from eproba.store.commands.meters import add_meter, drop_meter, give_token, remember_columns, take_values
from eproba.store.measures import all_measures
from eproba.store.meters import last_heard, meter_rows, meter_with, recorded
from eproba.store.secrets import new_secret
from eproba.store.tables import MeterRow
from eproba.web.ui.clock import now
from eproba.web.ui.fields import NumberField, at_most, whole
from eproba.web.ui.form import OurForm
from eproba.web.ui.responses import sent_json
from eproba.web.ui.session import db, who
from eproba.web.ui.shown_once import show_once, shown_once
from eproba.web.ui.units import sentence
from eproba.web.verdict.keeping import commit

meters = Blueprint("meters", __name__, template_folder="templates")
MOST_VALUES = 1000  # of one message
LONGEST_RUN = 120  # minutes
RUN_MINUTES = 10
LARGEST = 1e12  # in whatever unit


class MeterForm(OurForm):
    """A meter of one's own."""

    name = StringField("Name", [InputRequired("Name it as you call it, e.g. Probe by the chard."), at_most(60)])
    unit = StringField("Unit it gives", [InputRequired("Write its unit, e.g. °C, ppm, g."), at_most(20)])
    measure = SelectField("It gives")
    doubt = NumberField("Accuracy (±)", 0, optional=True)
    share = NumberField("And by percent of what it says", 0, 100, optional=True)


def _form() -> MeterForm:
    form = MeterForm()
    known = [
        (measure.key, f"{measure.name} ({measure.unit})")
        for measure in all_measures(db()).values()
        if not measure.levels
    ]
    form.measure.choices = [("", "whatever is asked in its unit"), *known]
    return form


@meters.route("/meters", methods=["GET", "POST"])
def index() -> ResponseReturnValue:
    """The meters of this garden; a new one gets its token."""
    form = _form()
    if form.validate_on_submit():
        doubt = MeterDoubt(form.doubt.number or 0.0, (form.share.number or 0.0) / 100)
        name, unit = (form.name.data or "").strip(), (form.unit.data or "").strip()
        own_token = new_secret()
        try:
            meter_id = add_meter(db(), name, unit, form.measure.data or "", doubt, own_token, who(), now())
        except MeterError as error:
            form.name.errors = [sentence(error)]
        else:
            commit()
            show_once("meter", own_token, meter_id)
            flash(f"“{name}” is known now.")
            return redirect(url_for("meters.index"))
    rows = meter_rows(db())
    page = render_template(
        "meters/index.html",
        form=form,
        rows=rows,
        own_tokens={row.id: token for row in rows if (token := shown_once("meter", row.id))},
        heard=last_heard(db()),
        simulated=_simulated("demo"),
        measures=all_measures(db()),
    )
    return page, 400 if form.errors else 200


@meters.post("/meters/<int:meter_id>/forget")
def forget(meter_id: int) -> ResponseReturnValue:
    """Take a meter away."""
    gone = drop_meter(db(), meter_id)
    commit()
    flash("Forgotten; readings that it gave stay." if gone else "That meter was forgotten already.")
    return redirect(url_for("meters.index"))


@meters.post("/meters/<int:meter_id>/token")
def another_token(meter_id: int) -> ResponseReturnValue:
    """A new token for a meter; what it sends with the one of before is refused from now on."""
    own_token = new_secret()
    if give_token(db(), meter_id, own_token):
        show_once("meter", own_token, meter_id)
    else:
        flash("That meter was forgotten.")
    commit()
    return redirect(url_for("meters.index"))


@meters.post("/meters/value")
def value_in() -> ResponseReturnValue:
    """A line of JSON from the home network: {"value": 21.4} or {"values": [{"at": "…", "value": 21.4}, …]}."""
    scheme, _, token = request.headers.get("Authorization", "").partition(" ")
    row = meter_with(db(), token.strip()) if scheme.lower() == "bearer" else None
    if row is None:
        return jsonify(error="token", help="Send “Authorization: Bearer …” with this meter’s own token."), 401
    try:
        sent = _values_sent(sent_json(), now())
    except (EprobaError, ValueError) as error:
        return jsonify(error="value", help=sentence(error)), 400
    new = take_values(db(), row.id, sent)
    commit()
    return jsonify(taken=new, known_already=len(sent) - new)


def _values_sent(body: Any, at: datetime) -> Sequence[MeterValue]:
    """What a meter posted. Raises MeterError with what is amiss."""
    if not isinstance(body, dict) or not ("value" in body or "values" in body):
        raise MeterError('Send JSON like {"value": 21.4}.')
    several = body.get("values", [body])
    if not isinstance(several, list) or not 1 <= len(several) <= MOST_VALUES:
        raise MeterError(f"values is a list of 1 to {MOST_VALUES}.")
    return [_value_sent(entry, at) for entry in several]


def _value_sent(entry: Any, at: datetime) -> MeterValue:
    value = entry.get("value") if isinstance(entry, dict) else None
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        raise MeterError(f"“{value}” is no number: send one without quotes and unit.")
    if not abs(value) < LARGEST:
        raise MeterError("That number is far too large for a meter.")
    moment = entry.get("at")
    if moment is None:
        return checked(value, at, at)
    try:
        read_at = logged_at(str(moment), at.astimezone().tzinfo)
    except (ValueError, OverflowError) as error:
        raise MeterError(f"“{moment}” is no moment: send one such as 2026-05-20T18:30:00+02:00.") from error
    return checked(value, read_at, at)


@meters.route("/meters/<int:meter_id>/log", methods=["GET", "POST"])
def log(meter_id: int) -> ResponseReturnValue:
    """A log dropped in; which columns hold moment and value is asked once and remembered."""
    row = next((meter_row for meter_row in meter_rows(db()) if meter_row.id == meter_id), None) or abort(
        404, "It was forgotten."
    )
    problem, said = "", ""
    if request.method == "POST":
        file = request.files.get("file")
        raw = file.read() if file else b""
        try:
            said = _logged(row, raw)
        except (TableError, MeterError) as error:
            db().rollback()
            problem = f"That log: {error}"
    if said:
        flash(said)
        return redirect(url_for("meters.index"))
    page = render_template("meters/log.html", row=row, problem=problem, columns=request.form or row.columns)
    return page, 400 if problem else 200


def _logged(row: MeterRow, raw: bytes) -> str:
    """Take a log in, by the columns that were typed, else by those remembered, else by the likely ones."""
    typed = {name: request.form.get(name, "").strip().lower() for name in ("at", "value")}
    columns = typed if all(typed.values()) else row.columns or likely(columns_of(raw))
    log_read = read_log(raw, columns, now(), now().astimezone().tzinfo)
    new = take_values(db(), row.id, log_read.values)
    remember_columns(db(), row, columns)
    commit()
    values = plural(len(log_read.values), "value")
    words = f"{row.name}: {new} new of {values}, from “{columns['at']}” and “{columns['value']}”."
    if log_read.bad:
        first = log_read.bad[0]
        words += f" {plural(len(log_read.bad), 'line')} could not be taken (line {first.line}: {first.why})."
    return words


def _simulated(spot: str) -> Sequence[Meter]:
    """The stand-ins, in the demo garden."""
    return meters_at(spot) if simulating() else ()


def simulating() -> bool:
    """Whether stand-ins are offered: in the demo garden."""
    return bool(current_app.config["SETTINGS"].demo)


@meters.get("/meters/picture/<key>")
def picture(key: str) -> ResponseReturnValue:
    """What the simulated camera sees at a unit, its tag with it."""
    if not simulating():
        abort(404, "The simulated camera stands in the demo garden alone.")
    from eproba.standins.pictures import SimulatedCamera

    address = url_for("rounds.by_tag", key=key, code=request.args.get("unit", "P1"), _external=True)
    on = request.args.get("on", "")
    at = now() if not on else datetime.combine(parse_date(on), time(12)).astimezone()
    return Response(SimulatedCamera(address).now(at), content_type="image/jpeg")


def meters_for(asked: Asked) -> list[dict[str, Any]]:
    """Meters that the till can take a value from, for a measure and for the inputs of its calculator."""
    known: list[tuple[str, Meter]] = [
        (f"m{meter_row.id}", recorded(db(), meter_row, now(), now())) for meter_row in meter_rows(db())
    ]
    known += [(f"s{n}", meter) for n, meter in enumerate(_simulated("demo"))]
    return [offer for key, meter in known if (offer := _offered(key, in_unit(meter, asked.measure), asked.measure))]


def _offered(key: str, meter: Meter, measure: Measure) -> dict[str, Any] | None:
    """One meter as the till knows it; None: it fits nothing here."""
    fills = filling(meter, measure)
    return None if fills is None else {"key": key, "name": meter.name, "simulated": meter.simulated, **vars(fills)}


@meters.get("/meters/take")
def take() -> ResponseReturnValue:
    """What a meter says now, once it holds steady; with `minutes`, its run over the last minutes."""
    key, spot = request.args.get("meter", ""), request.args.get("spot", "")
    meter = _meter(key, spot) or abort(404, "This meter was forgotten.")
    measure = all_measures(db()).get(request.args.get("measure", ""))
    meter = meter if measure is None else in_unit(meter, measure)
    minutes = whole(request.args.get("minutes", ""))
    if minutes is not None:
        try:
            times, values = as_run(meter.run(now() - timedelta(minutes=min(minutes, LONGEST_RUN)), now()))
        except MeterError as error:
            return jsonify(said=sentence(error), values=None)
        return jsonify(said="", minutes=times, values=values, meter=_worded(meter))
    latest, steady_value = meter.now(now()), steady(meter, now())
    if latest is None:
        return jsonify(said=f"{meter.name} has said nothing for ten minutes.", value=None)
    if steady_value is None:
        return jsonify(said=f"{latest.value:.4g} {meter.unit}, not steady yet …", value=None)
    return jsonify(said="", value=f"{steady_value:.4g}", meter=_worded(meter))


def _worded(meter: Meter) -> str:
    return f"{meter.name} (simulated)" if meter.simulated else meter.name


def _meter(key: str, spot: str) -> Meter | None:
    number = whole(key[1:])
    if number is None:
        return None
    if key.startswith("s"):
        simulated = _simulated(spot)
        return simulated[number] if number < len(simulated) else None
    row = next((meter_row for meter_row in meter_rows(db()) if meter_row.id == number), None)
    return None if row is None else recorded(db(), row, now() - timedelta(minutes=LONGEST_RUN), now())
