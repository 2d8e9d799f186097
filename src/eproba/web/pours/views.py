"""Applications: what, how much, where and how for one day, what was really poured; and the log."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import date, timedelta
from functools import partial
from typing import Any

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from wtforms import RadioField, StringField
from wtforms.validators import InputRequired

from eproba.core.applying.at_the_pour import MOISTURES, Counsel, on_pour, on_soil
from eproba.core.applying.catching_up import accepted_gap
from eproba.core.applying.desk import KILLED, Mixed, at_the_desk, recipe_for
from eproba.core.brewing.batches import CAN_BE_POURED, state, why_not_pour
from eproba.core.brewing.events import Batch
from eproba.core.brewing.mixing import poured_concentrate
from eproba.core.brewing.weather import weather_at
from eproba.core.errors import EprobaError
from eproba.core.planning.advice import MANURE_DAYS
from eproba.core.quantities import Amount
from eproba.core.trial.blinding import hides_lots
from eproba.core.trial.doses import Dose, planned_dose, second_brew
from eproba.core.trial.model import Pour, Trial
from eproba.core.trial.moving import move as plan_move
from eproba.core.trial.moving import too_soon
from eproba.core.words import day_words, listed, parse_date
from eproba.store.batches import batches
from eproba.store.brewing import brewings
from eproba.store.commands.locks import Changed
from eproba.store.commands.pours import PourLog, log_pours, move_pours
from eproba.store.days import AHEAD, WEEK, ways_of
from eproba.store.kit import household_kit
from eproba.store.recipes import all_recipes
from eproba.web.pours.overdue import AsPlanned, left_out
from eproba.web.pours.typed import (
    CANS,
    DayTyped,
    PourRowShown,
    circumstances,
    row_of,
    soil_temperature,
    values_of,
)
from eproba.web.stations import season, station
from eproba.web.ui.clock import now, today
from eproba.web.ui.fields import at_most, whole, written
from eproba.web.ui.form import OurForm
from eproba.web.ui.looks import trial_looks
from eproba.web.ui.session import db, seen_trial_or_404, sees_lots, trial_or_404, who
from eproba.web.ui.units import sentence, units
from eproba.web.verdict.keeping import commit

pours = Blueprint("pours", __name__, template_folder="templates")
HIDDEN = (
    "This trial is blind, and this device reads: it does not show who gets what. Pouring is for whoever keeps the lot "
    "slip; her device is set to “pours” under “Who’s recording?”."
)


@pours.route("/trials/<int:trial_id>/pours/<int:day>", methods=["GET", "POST"])
def show(trial_id: int, day: int) -> ResponseReturnValue:
    """One day's applications: the control first, then the others, each in walking order."""
    trial = trial_or_404(trial_id)
    if hides_lots(trial, today(), sees_lots()):
        abort(403, HIDDEN)
    that_day = sorted(
        (pour for pour in trial.pours if pour.day == day),
        key=lambda pour: (pour.letter != trial.control, pour.letter, pour.what),
    )
    if not that_day:
        abort(404, f"This trial has no pour on day {day}.")
    kept_for = _kept_for() if request.method == "GET" else {}
    rows = [_with_batch(row_of(trial, pour, request.form, now()), kept_for) for pour in that_day]
    held = circumstances(that_day, request.form)
    problem, felt = "", list[Counsel]()
    if request.method == "POST":
        problem, felt = _soil_says(rows, held)
        problem = problem or _kept(trial, rows, held)
        if not problem:
            flash(f"The pours of day {day} are on record.")
            return redirect(url_for("trials.show", trial_id=trial_id))
    known = all_recipes(db())
    desk = {place.treatment.letter: place for place in at_the_desk(trial, known, household_kit(db()).kit)}
    page = render_template(
        "pours/pour.html",
        trial=trial,
        day=day,
        rows=rows,
        held=held,
        problem=problem,
        looks=trial_looks(trial),
        desk=desk,
        recipes={row.pour.id: None if row.plain else recipe_for(row.treatment, trial, known) for row in rows},
        shelf={row.pour.id: _on_the_shelf(row) for row in rows},
        counsel=[*felt, *_counsel(trial, that_day, desk)],
        heard=bool(felt),
        latest=written(now()),
        killed=KILLED,
        harvest=[max(trial.date_of(day), today()) + timedelta(days=days) for days in MANURE_DAYS],
        waiting=any(pour.status == "due" for pour in that_day),
        moistures=MOISTURES,
        cans=CANS,
    )
    return page, 400 if problem else 200


def _soil_says(rows: list[PourRowShown], held: DayTyped) -> tuple[str, list[Counsel]]:
    """What the soil says, as it was typed, before a pour of today is kept; once it was read, it is kept."""
    new = any(row.pour.status == "due" and row.status == "poured" for row in rows)
    if not new or request.form.get("heard"):
        return "", []
    try:
        felt = on_soil(soil_temperature(held), held.moisture, units())
    except EprobaError as error:
        return sentence(error), []
    text = "Not kept yet: read what the soil says, then keep it again, or pour another day."
    return (text if any(counsel.first for counsel in felt) else ""), felt


def _with_batch(row: PourRowShown, serves: Mapping[int, Sequence[int]]) -> PourRowShown:
    """Where nothing is said yet, the batch that the shelf keeps for this pour; else the oldest that is good."""
    if request.method == "POST" or row.pour.status != "due" or row.batch:
        return row
    good = [b for b in _on_the_shelf(row) if state(b, now()) in CAN_BE_POURED and not why_not_pour(b, now())]
    kept_for_it = serves.get(row.pour.id, ())
    best = sorted(good, key=lambda batch: (batch.id not in kept_for_it, batch.mixed_at or now()))
    if not best:
        return row
    side = str(best[1].id) if len(best) > 1 and row.treatment.sharing == "parallel" else ""
    return replace(row, batch=str(best[0].id), other_batch=side)


def _kept_for() -> dict[int, list[int]]:
    """The batches that the shelf keeps for each pour to come, by its number."""
    kept: dict[int, list[int]] = {}
    for batch_id, pourings in brewings(db(), now(), season=season())[0].items():
        for pouring in pourings:
            kept.setdefault(pouring.id, []).append(batch_id)
    return kept


def _brews(row: PourRowShown) -> list[Batch]:
    """The batches that a row names, one or two."""
    numbers = [number for text in (row.batch, row.other_batch) if (number := whole(text)) is not None]
    batches_by_id = {batch.id: batch for batch in batches(db(), numbers)} if numbers else {}
    return [batches_by_id[number] for number in dict.fromkeys(numbers) if number in batches_by_id]


def _on_the_shelf(row: PourRowShown) -> list[Batch]:
    """The batches that this treatment can be poured from."""
    recipe = "" if row.plain else row.treatment.recipe
    return batches(db(), recipe=recipe, limit=12) if recipe else []


def _kept(trial: Trial, rows: list[PourRowShown], held: DayTyped) -> str:
    """Put all treatments of the day on record; returns what is in the way, if anything."""
    try:
        if any(request.form.get(f"seen-{row.pour.id}", row.mark) != row.mark for row in rows):
            text = "Somebody else put this day on record meanwhile"
            raise Changed(f"{text}. What stands now is in the log; keep yours if it is right.")
        brews = [_brews(row) for row in rows]
        values = [values_of(trial, row, held, brew, now()) for row, brew in zip(rows, brews, strict=True)]
        rows_kept = zip(rows, values, brews, strict=True)
        logs = [PourLog(row.pour, kept, _took(trial, row, kept, brews_of_row)) for row, kept, brews_of_row in rows_kept]
        log_pours(db(), trial.id, logs, who(), now())
    except EprobaError as error:
        db().rollback()
        return sentence(error)
    commit()
    return ""


def _took(trial: Trial, row: PourRowShown, values: Mapping[str, Any], brews: Sequence[Batch]) -> dict[int, float]:
    """Litres of concentrate by batch; a batch that the record named before and does not now gets its litres back."""
    took = {batch: 0.0 for batch in (row.pour.batch, row.pour.other_batch) if batch is not None}
    if values["batch_id"] is None:
        return took
    others, t = values["unit_amounts"], row.treatment
    dose = Dose(values["amount_each"], row.unit, t.per)
    second = second_brew(trial.given_to(t.letter)) if len(brews) > 1 else frozenset()
    for place, batch in enumerate(brews):
        codes = [code for code in row.codes if (code in second) == (place == 1)]
        given = [others.get(code, dose.of(trial.by_code[code].cut)) for code in codes]
        took[batch.id] = poured_concentrate(batch.recipe, given, row.unit, t.water_parts)
    return took


def _counsel(trial: Trial, that_day: list[Pour], desk: dict[str, Mixed]) -> list[Counsel]:
    """What speaks for or against pouring now, once for all treatments; nothing where it is poured already."""
    waiting = [pour for pour in that_day if pour.status == "due"]
    if not waiting:
        return []
    local, ground = now().astimezone(), household_kit(db()).ground_on(today())
    weather = weather_at(station(), local, WEEK, AHEAD)
    counsel: list[Counsel] = []
    for pour in waiting:
        place = desk[pour.letter]
        brewed = pour.what == "dose" and place.treatment.recipe
        recipe = place.mixed.recipe if place.mixed and brewed else None
        last, accepted = _last(trial, pour.letter), _apart(trial, pour.letter)
        counsel += on_pour(recipe, local, pour.day, last, weather, ground, units(), accepted)
    return list(dict.fromkeys(counsel))


def _apart(trial: Trial, letter: str) -> float | None:
    return accepted_gap([pour.day for pour in trial.pours if pour.letter == letter and pour.what == "dose"])


def _last(trial: Trial, letter: str) -> date | None:
    """When this treatment was poured the last time before today."""
    done = [p.done_on for p in trial.pours if p.letter == letter and p.status == "poured" and p.done_on is not None]
    return max((on for on in done if on < today()), default=None)


@pours.post("/trials/<int:trial_id>/pours/overdue")
def overdue(trial_id: int) -> ResponseReturnValue:
    """Everything that was to be poured before today, at one go: as planned, left out, or the first way out."""
    trial, go = trial_or_404(trial_id), request.form.get("go")
    if hides_lots(trial, today(), sees_lots()):
        abort(403, HIDDEN)
    if go not in ("poured", "skipped", "forward"):
        abort(400, "Say whether the pours were done as planned, or left out.")
    try:
        flash(_caught_up(trial, go))
    except EprobaError as error:
        db().rollback()
        flash(sentence(error))
        return redirect(url_for("today_page.show"))
    commit()
    fresh = trial_or_404(trial_id)
    waits = any(p.status == "due" and trial.date_of(p.day) == today() for p in fresh.pours)
    if go == "forward" and waits:
        return redirect(url_for("pours.show", trial_id=trial_id, day=trial.day_of(today())))
    return redirect(url_for("today_page.show") if go == "forward" else url_for("pours.index", trial_id=trial_id))


def _caught_up(trial: Trial, go: str) -> str:
    """Put on record what became of the pours that are overdue; returns what to say about it."""
    waiting = [p for p in trial.pours if p.status == "due" and trial.date_of(p.day) < today()]
    if not waiting:
        return "Nothing waits any more."
    if go == "forward":
        return _forward(trial, waiting)
    planned = AsPlanned(trial, batches(db()))
    logs = [planned.log(pour) if go == "poured" else left_out(trial, pour) for pour in waiting]
    log_pours(db(), trial.id, logs, who(), now())
    on_record = "1 pour is on record," if len(logs) == 1 else f"{len(logs)} pours are on record, each"
    return f"{on_record} {'as planned' if go == 'poured' else 'as left out'}."


def _forward(trial: Trial, waiting: Sequence[Pour]) -> str:
    """Skip what the first way out skips, and move the last one to its new day."""
    way = ways_of(db(), {trial.id: today()}, now(), batches(db()), season()).get(trial.id)
    if way is None:
        return "Nothing waits any more."
    log_pours(db(), trial.id, [left_out(trial, p) for p in waiting if p.day in way.skipped], who(), now())
    days = [str(day) for day in way.skipped]
    said = f"Skipped: day{'s' if len(days) > 1 else ''} {listed(days)}." if days else ""
    if way.moved is not None and way.to is not None and way.moved != way.to:
        moved = plan_move(trial, way.moved, way.to, following=False, today_day=trial.day_of(today()))
        move_pours(db(), trial.id, moved, "its day had passed", who(), now())
        return f"{said} Day {way.moved} moved to {day_words(trial.date_of(way.to))}.".strip()
    return said or "Nothing waits any more."


class MoveForm(OurForm):
    to = StringField("To", [InputRequired("Which day?"), at_most(30)])
    following = RadioField("What moves", choices=[("no", "this pour alone"), ("yes", "this one and all that follow")],
                           default="no")  # fmt: skip
    reason = StringField("Why?", [InputRequired("Say why: it belongs in the record."), at_most(300)])


@pours.route("/trials/<int:trial_id>/pours/<int:day>/move", methods=["GET", "POST"])
def move(trial_id: int, day: int) -> ResponseReturnValue:
    """Move the pours of a day, alone or with those after it."""
    trial = trial_or_404(trial_id)
    if not trial.sealed(today()):
        abort(400, "The envelope is open: pours can’t be moved any more.")
    wanted = max(trial.date_of(day), today()).isoformat()
    form = MoveForm() if request.method == "POST" else MoveForm(data={"to": request.args.get("to") or wanted})
    problem = ""
    if form.validate_on_submit():
        problem = _moved(trial, day, form)
        if not problem:
            return redirect(url_for("trials.show", trial_id=trial_id))
    page = render_template("pours/move.html", trial=trial, day=day, form=form, problem=problem)
    return page, 400 if problem or form.errors else 200


def _moved(trial: Trial, day: int, form: MoveForm) -> str:
    """Move them; returns what is in the way, if anything."""
    known = all_recipes(db())
    try:
        to = trial.day_of(parse_date(form.to.data or ""))
        moved = plan_move(trial, day, to, form.following.data == "yes", trial.day_of(today()))
        move_pours(db(), trial.id, moved, (form.reason.data or "").strip().rstrip("."), who(), now())
    except EprobaError as error:
        db().rollback()
        return sentence(error)
    commit()
    ground = household_kit(db()).ground_on(trial.date_of(to))
    fewest = {t.letter: known[t.recipe].fewest_days(to, ground) for t in trial.treatments if t.recipe in known}
    flash(" ".join(["Moved.", *too_soon(trial, moved, fewest)]))
    return ""


@pours.get("/trials/<int:trial_id>/pours")
def index(trial_id: int) -> ResponseReturnValue:
    trial = seen_trial_or_404(trial_id)
    used = {batch for pour in trial.pours for batch in (pour.batch, pour.other_batch) if batch is not None}
    names = {batch.id: batch.name or batch.recipe.title for batch in batches(db(), sorted(used))}
    return render_template(
        "pours/index.html", trial=trial, looks=trial_looks(trial), brews=names, told=partial(_told, trial),
        given=partial(_given, trial),
    )  # fmt: skip


def _given(trial: Trial, pour: Pour) -> str:
    """What each unit got."""
    dose = planned_dose(trial, pour)
    if dose is None or pour.amount_each is None:
        return pour.amount
    return replace(dose, amount=pour.amount_each).said(units())


def _told(trial: Trial, pour: Pour) -> str:
    """The circumstances of an application in a few words."""
    dose = planned_dose(trial, pour)
    words = [f"soil {units()(Amount(pour.soil_c, '°C'))}"] if pour.soil_c is not None else []
    words += [pour.moisture] if pour.moisture else []
    unit = "" if dose is None else dose.unit
    words += [f"{code} got {units()(Amount(amount, unit))}".rstrip() for code, amount in pour.unit_amounts.items()]
    words += ["not handled alike"] if pour.alike is False else []
    return ", ".join([*words, *([f"poured all the same: {pour.override}"] if pour.override else [])])
