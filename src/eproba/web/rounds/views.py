"""A round in the garden: unit after unit, nothing lost without signal."""

import math
from dataclasses import asdict
from typing import Any

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.errors import EprobaError
from eproba.core.measuring.calculators import Input
from eproba.core.measuring.measures import part_name
from eproba.core.quantities import conversion
from eproba.core.trial.hours import window_of
from eproba.core.trial.lots import shuffled
from eproba.core.trial.model import Asked, Reading, Round, Trial, Unit
from eproba.core.trial.readings import limits, possible_words
from eproba.core.trial.rounds import asked_again, happened
from eproba.core.words import day_words
from eproba.store.commands.locks import Changed
from eproba.store.commands.rounds import LONGEST_NOTE, finish_round, leave_out, note_round, open_again
from eproba.store.helpers import helpers_of
from eproba.store.measures import pictured
from eproba.store.pictures import shots_of
from eproba.store.readings import all_readings, readings_of, repeats_of
from eproba.store.trials import trial_with_key, unit_of
from eproba.web.entries.views import reading_told
from eproba.web.meters.views import RUN_MINUTES, meters_for, simulating
from eproba.web.pictures.ground_plan import ways_plan
from eproba.web.ui.clock import now, today
from eproba.web.ui.session import db, system, trial_or_404, who
from eproba.web.ui.units import sentence, units
from eproba.web.verdict.keeping import commit

rounds = Blueprint("rounds", __name__, template_folder="templates")


def round_or_404(trial: Trial, round_id: int) -> Round:
    round_named = next((round_ for round_ in trial.rounds if round_.id == round_id), None)
    return round_named or abort(404, "This trial has no such round: it was removed from the plan, or never was one.")


@rounds.get("/trials/<int:trial_id>/rounds/<int:round_id>")
def show(trial_id: int, round_id: int) -> ResponseReturnValue:
    trial = trial_or_404(trial_id)
    round_ = round_or_404(trial, round_id)
    return _page(trial, round_, round_.note)


def till_data(trial: Trial, round_: Round) -> dict[str, Any]:
    """All that the till needs to know, with or without signal."""
    earlier = [r for r in trial.rounds if r.day < round_.day and r.done]
    previous = readings_of(db(), trial.id, earlier[-1].id) if earlier else []
    walked = trial.living(trial.date_of(round_.day))
    code = {unit.id: unit.code for unit in trial.units}
    over = happened(trial, round_, all_readings(db(), trial.id))
    return {
        "trial": trial.key,
        "trialName": trial.name,
        "round": round_.key,
        "roundName": "Baseline" if round_.day == 0 else f"Day {round_.day}",
        "day": round_.day,
        "plannedOn": trial.date_of(round_.day).isoformat(),
        "plannedText": day_words(trial.date_of(round_.day)),
        "today": today().isoformat(),
        "who": who(),
        "units": [_unit(trial, u, round_) for u in walked],
        "shuffled": [walked[place].code for place in shuffled(len(walked), round_.key)],
        "over": sorted(f"{code[unit_id]}:{key}" for unit_id, key in over),
        "reckon": url_for("measures.reckon_inputs"),
        "take": url_for("meters.take"),
        "photos": url_for("photos.add", trial_id=trial.id),
        "pictured": [code[shot.unit_id] for shot in shots_of(db(), trial.id, round_id=round_.id) if shot.unit_id],
        "camera": url_for("meters.picture", key=trial.key) if simulating() else "",
        "runMinutes": RUN_MINUTES,
        "start": request.args.get("unit", ""),
        "asked": [_asked(asked) for asked in trial.asked_in(round_)],
        "saved": _by_place(trial, readings_of(db(), trial.id, round_.id, blanks=True)),
        "again": [":".join(place) for place in asked_again(trial, round_)],
        "repeated": _by_place(
            trial, [repeat for repeat in repeats_of(db(), trial.id, round_.id) if repeat.by == who()]
        ),
        "second": False,
        "previous": _by_place(trial, previous),
        "previousDay": earlier[-1].day if earlier else None,
    }


def _page(trial: Trial, round_: Round, note: str, problem: str = "") -> str:
    data, sealed = till_data(trial, round_), trial.sealed(today())
    return render_template(
        "rounds/round.html", trial=trial, round=round_, data=data, note=note, problem=problem, sealed=sealed,
        plan=ways_plan(trial, units()), window=window_of(trial, round_), longest_note=LONGEST_NOTE,
        still_reading=[helper.name for helper in helpers_of(db(), round_.id, now()) if not helper.second],
    )  # fmt: skip


def _unit(trial: Trial, unit: Unit, round_: Round) -> dict[str, Any]:
    """A unit for the till; `pull` says which plant is pulled today, by lot, and which are gone."""
    pulled = trial.pulled(unit) if trial.rules.plants > 1 else {}
    gone = [f"{plant}" for day, plant in pulled.items() if day < round_.day]
    words = f"Pull plant {pulled[round_.day]}." if round_.day in pulled else ""
    words += f" Gone: {', '.join(gone)}." if gone else ""
    return {"code": unit.code, "block": unit.block, "pull": words.strip(), "crop": trial.crop_of(unit)}


def _asked(asked: Asked) -> dict[str, Any]:
    """A measure for the till, with the limits by which its own question goes."""
    names = ("key", "name", "unit", "decimals", "levels", "kind", "how", "cannot_tell")
    shown: dict[str, Any] = {name: getattr(asked.measure, name) for name in names}
    shown["how"] = list(asked.measure.how)
    shown["cannot_tell"] = asked.measure.cannot_tell
    worked = asked.measure.calculator
    shown["inputs"] = [_class(part) for part in asked.measure.parts] + (
        [] if worked is None else [_input(input_) for input_ in worked.inputs]
    )
    shown["counted"] = bool(asked.measure.parts)
    is_pictured = asked.measure.group == "your own" and asked.measure.key in pictured(db())
    shown["picture"] = url_for("measures.how", key=asked.measure.key) if is_pictured else ""
    shown["meters"] = meters_for(asked)
    within = asdict(limits(asked))
    bounded = {name: value if abs(value) < float("inf") else None for name, value in within.items()}
    return {**shown, **bounded, "possible": possible_words(asked), "perUnit": asked.per_unit}


def _input(input_: Input) -> dict[str, Any]:
    """An input of a calculator as the till asks it, in the household's unit, which goes with what is typed."""
    how = conversion(input_.unit, system())
    usual = None if input_.usual is None else float(f"{how.shown(input_.usual):.4g}")
    return vars(input_) | {"unit": how.unit, "usual": usual, "bears": how.unit if how.unit != input_.unit else ""}


def _class(part: str) -> dict[str, Any]:
    """A class of a count as the till asks it."""
    return vars(Input(part_name(part), part.capitalize(), "", 0, math.inf, spare=True)) | {"high": None, "bears": ""}


def _by_place(trial: Trial, readings: list[Reading]) -> dict[str, dict[str, Any]]:
    """Readings by unit, measure and number, as the till names their places."""
    code = {unit.id: unit.code for unit in trial.units}
    return {f"{code[r.unit_id]}:{r.measure_key}:{r.replicate}": reading_told(r) for r in readings}


@rounds.get("/trials/<int:trial_id>/rounds/<int:round_id>/grid")
def grid(trial_id: int, round_id: int) -> ResponseReturnValue:
    """The round as one table, for typing at a desk: units down, measures across."""
    trial = trial_or_404(trial_id)
    round_ = round_or_404(trial, round_id)
    data = till_data(trial, round_)
    columns = [(asked, number) for asked in trial.asked_in(round_) for number in range(1, asked.per_unit + 1)]
    return render_template("rounds/grid.html", trial=trial, round=round_, data=data, columns=columns)


@rounds.get("/t/<key>/<code>")
def by_tag(key: str, code: str) -> ResponseReturnValue:
    """Where a tag's QR code leads: the unit in its trial's next round, else the trial."""
    trial_id = trial_with_key(db(), key) or abort(404, "No trial has this unit; its tag is an old one.")
    trial = trial_or_404(trial_id)
    waiting = [round_ for round_ in trial.rounds if not round_.done and not round_.missed]
    if not waiting or trial.ended_on is not None or code not in trial.by_code:
        return redirect(url_for("trials.show", trial_id=trial_id))
    return redirect(url_for("rounds.show", trial_id=trial_id, round_id=waiting[0].id, unit=code))


@rounds.get("/units/<int:unit_id>")
def by_old_tag(unit_id: int) -> ResponseReturnValue:
    """Tags printed before trials had keys bear the number of their unit."""
    unit = unit_of(db(), unit_id) or abort(404, "No trial has this unit; its tag is an old one.")
    return redirect(url_for("rounds.by_tag", key=trial_or_404(unit[0]).key, code=unit[1]))


@rounds.post("/trials/<int:trial_id>/rounds/<int:round_id>/finish")
def finish(trial_id: int, round_id: int) -> ResponseReturnValue:
    """Close the round as it is, with its note."""
    trial = trial_or_404(trial_id)
    round_ = round_or_404(trial, round_id)
    note = _plain(request.form.get("note", "")).strip()[:LONGEST_NOTE]
    try:
        note_round(db(), trial_id, round_id, note, _plain(request.form.get("seen", note)))
    except Changed as error:
        db().rollback()
        return _page(trial_or_404(trial_id), round_, note, f"{error} It says: “{error.there}”"), 409
    finish_round(db(), trial_id, round_id, now())
    commit()
    flash(f"Round of day {round_.day} is in.")
    return redirect(url_for("trials.show", trial_id=trial_id))


@rounds.post("/trials/<int:trial_id>/rounds/leave-out")
def leave_them_out(trial_id: int) -> ResponseReturnValue:
    """The rounds whose day is over, and that nobody will read; the last one stays."""
    trial = trial_or_404(trial_id)
    over = [r for r in trial.rounds if not (r.done or r.missed) and trial.date_of(r.day) < today()]
    try:
        for round_ in over:
            if round_.id != trial.rounds[-1].id:
                leave_out(db(), trial_id, round_.id, now())
    except EprobaError as error:
        db().rollback()
        flash(sentence(error))
        return redirect(url_for("today_page.show"))
    commit()
    flash("Left out. While the envelope is shut, a round can be opened again on its page.")
    return redirect(url_for("today_page.show"))


@rounds.post("/trials/<int:trial_id>/rounds/<int:round_id>/open-again")
def open_it_again(trial_id: int, round_id: int) -> ResponseReturnValue:
    """A closed or missed round can be typed into again, while the envelope is shut."""
    round_ = round_or_404(trial_or_404(trial_id), round_id)
    open_again(db(), trial_id, round_id, now())
    commit()
    flash(f"The round of day {round_.day} is open again.")
    return redirect(url_for("rounds.show", trial_id=trial_id, round_id=round_id))


def _plain(text: str) -> str:
    """Line ends as browsers send them, as we keep them."""
    return text.replace("\r\n", "\n")
