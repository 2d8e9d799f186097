"""Applications: what, how much, where and how for one day, what was really poured; and the log."""

from collections.abc import Mapping
from dataclasses import replace
from datetime import date, timedelta
from typing import Any

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.applying.at_the_pour import MOISTURES, Counsel, on_pour
from eproba.core.applying.desk import Mixed, at_the_desk, recipe_for
from eproba.core.brewing.batches import Batch, state, why_not_pour
from eproba.core.brewing.mixing import poured_concentrate
from eproba.core.errors import EprobaError
from eproba.core.trial.blinding import hides_lots
from eproba.core.trial.model import Pour, Trial
from eproba.store.batches import batches
from eproba.store.commands.locks import Changed
from eproba.store.commands.pours import PourLog, log_pours
from eproba.store.kit import household_kit
from eproba.store.recipes import all_recipes
from eproba.web.pours.typed import CANS, DayTyped, PourRowShown, circumstances, row_of, values_of
from eproba.web.stations import station
from eproba.web.ui.clock import now, today
from eproba.web.ui.fields import whole
from eproba.web.ui.looks import trial_looks
from eproba.web.ui.session import db, seen_trial_or_404, sees_lots, trial_or_404, who
from eproba.web.verdict.keeping import kept

pours = Blueprint("pours", __name__, template_folder="templates")
WEEK = timedelta(days=7)
HIDDEN = (
    "This trial is blind, and this device reads: it does not show who gets what. Pouring is for whoever keeps the lot "
    "slip; her device is set to “pours” under “Who types?”."
)


@pours.route("/trials/<int:trial_id>/pours/<int:day>", methods=["GET", "POST"])
def show(trial_id: int, day: int) -> ResponseReturnValue:
    """One day's applications: the control first, then the others, each in walking order."""
    trial = trial_or_404(trial_id)
    if hides_lots(trial, today(), sees_lots()):
        abort(403, HIDDEN)
    that_day = sorted(
        (pour for pour in trial.pours if pour.day == day), key=lambda pour: (pour.letter != trial.control, pour.letter)
    )
    rows = [_with_batch(row_of(trial, pour, request.form, today())) for pour in that_day]
    held = circumstances(that_day, request.form)
    problem = ""
    if request.method == "POST":
        problem = _kept(trial, rows, held)
        if not problem:
            flash(f"Applications of day {day} are on record.")
            return redirect(url_for("trials.show", trial_id=trial_id))
    known = all_recipes(db())
    desk = {each.treatment.letter: each for each in at_the_desk(trial, known, household_kit(db()).kit)}
    page = render_template(
        "pours/pour.html",
        trial=trial,
        day=day,
        rows=rows,
        held=held,
        problem=problem,
        looks=trial_looks(trial),
        desk=desk,
        recipes={row.treatment.letter: recipe_for(row.treatment, trial, known) for row in rows},
        shelf={row.treatment.letter: _on_the_shelf(row) for row in rows},
        counsel=_counsel(trial, day, desk),
        moistures=MOISTURES,
        cans=CANS,
    )
    return page, 400 if problem else 200


def _with_batch(row: PourRowShown) -> PourRowShown:
    """Where nothing is said yet, the batch that is good and has most of what is needed."""
    if request.method == "POST" or row.pour.status != "due" or row.batch:
        return row
    good = (b for b in _on_the_shelf(row) if state(b, now()) in ("ready", "strained") and not why_not_pour(b, now()))
    best = max(good, key=lambda batch: batch.left, default=None)
    return row if best is None else replace(row, batch=str(best.id))


def _batch(row: PourRowShown) -> Batch | None:
    number = whole(row.batch)
    found = [] if number is None else batches(db(), [number])
    return found[0] if found else None


def _on_the_shelf(row: PourRowShown) -> list[Batch]:
    """The batches that this treatment can be poured from."""
    return batches(db(), recipe=row.treatment.recipe, limit=12) if row.treatment.recipe else []


def _kept(trial: Trial, rows: list[PourRowShown], held: DayTyped) -> str:
    """Put all treatments of the day on record; returns what is in the way, if anything."""
    try:
        if any(request.form.get(f"seen-{row.pour.id}", row.mark) != row.mark for row in rows):
            text = "Somebody else put this day on record meanwhile"
            raise Changed(f"{text}. What stands now is in the log; keep yours if it is right.")
        batch = {row.pour.id: _batch(row) for row in rows}
        values = [values_of(trial, row, held, batch[row.pour.id], today()) for row in rows]
        logs = [PourLog(row.pour, v, _took(row, v, batch[row.pour.id])) for row, v in zip(rows, values, strict=True)]
        log_pours(db(), trial.id, logs, who(), now())
    except EprobaError as error:
        db().rollback()
        return str(error)
    kept(trial.id)
    return ""


def _took(row: PourRowShown, values: Mapping[str, Any], batch: Batch | None) -> dict[int, float]:
    """Litres of concentrate by batch; a batch that the record named before and does not now gets its litres back."""
    took = {} if row.pour.batch is None else {row.pour.batch: 0.0}
    if batch is not None and values["batch_id"] is not None:
        each, others, t = values["amount_each"], values["unit_amounts"], row.treatment
        took[batch.id] = poured_concentrate(batch.recipe, each, others, row.codes, t.amount_unit, t.water_parts)
    return took


def _counsel(trial: Trial, day: int, desk: dict[str, Mixed]) -> list[Counsel]:
    """What speaks for or against pouring now, once for all treatments."""
    here = station()
    measured, foretold = here.hours(now() - WEEK, now()), here.forecast(now(), 36)
    found: list[Counsel] = []
    for letter, each in desk.items():
        recipe = each.mixed.recipe if each.mixed and each.treatment.recipe else None
        found += on_pour(recipe, now().astimezone(), day, _last(trial, letter), measured, foretold)
    return list(dict.fromkeys(found))


def _last(trial: Trial, letter: str) -> date | None:
    """When this treatment was poured the last time before today."""
    done = [p.done_on for p in trial.pours if p.letter == letter and p.status == "poured" and p.done_on is not None]
    return max((on for on in done if on < today()), default=None)


@pours.get("/trials/<int:trial_id>/pours")
def index(trial_id: int) -> ResponseReturnValue:
    trial = seen_trial_or_404(trial_id)
    used = {pour.batch for pour in trial.pours if pour.batch is not None}
    names = {batch.id: batch.name or batch.recipe.title for batch in batches(db(), sorted(used))}
    return render_template("pours/index.html", trial=trial, looks=trial_looks(trial), brews=names, told=_told)


def _told(pour: Pour) -> str:
    """The circumstances of an application in a few words."""
    words = [f"soil {pour.soil_c:g} °C"] if pour.soil_c is not None else []
    words += [pour.moisture] if pour.moisture else []
    words += [f"{code} got {amount:g}" for code, amount in pour.unit_amounts.items()]
    words += ["not handled alike"] if pour.alike is False else []
    return ", ".join([*words, *([f"poured all the same: {pour.override}"] if pour.override else [])])
