"""A round in the garden: unit after unit, nothing lost without signal."""

from typing import Any

from flask import Blueprint, abort, flash, jsonify, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from sqlalchemy.exc import IntegrityError

from eproba.core.trial.model import Asked, Reading, Round, Trial, Unit
from eproba.store.readings import Saved, Typed, readings_of, save_typed, take_back
from eproba.store.rounds import finish_round
from eproba.store.trials import declare_trial, trial_of_unit
from eproba.web.context import db, now, today, trial_or_404, who
from eproba.web.rounds.payload import Refused, op_from

rounds = Blueprint("rounds", __name__, template_folder="templates")


def _round_or_404(trial: Trial, round_id: int) -> Round:
    found = next((each for each in trial.rounds if each.id == round_id), None)
    return found or abort(404, "This trial has no such round.")


@rounds.get("/trials/<int:trial_id>/rounds/<int:round_id>")
def show(trial_id: int, round_id: int) -> ResponseReturnValue:
    trial = trial_or_404(trial_id)
    this = _round_or_404(trial, round_id)
    earlier = [each for each in trial.rounds if each.day < this.day and each.done]
    previous = readings_of(db(), trial_id, earlier[-1].id) if earlier else []
    data = {
        "trial": trial_id,
        "round": round_id,
        "who": who(),
        "urls": {
            "token": url_for("base.token"),
            "save": url_for("rounds.save", trial_id=trial_id, round_id=round_id),
            "join": url_for("household.join", next=request.path),
        },
        "units": [_unit(trial, u, this) for u in trial.living(trial.date_of(this.day))],
        "start": request.args.get("unit", type=int),
        "asked": [_asked(each) for each in trial.asked_in(this)],
        "saved": _by_place(readings_of(db(), trial_id, round_id)),
        "previous": _by_place(previous),
        "previousDay": earlier[-1].day if earlier else None,
    }
    return render_template("rounds/round.html", trial=trial, round=this, data=data)


def _unit(trial: Trial, unit: Unit, this: Round) -> dict[str, Any]:
    """A unit for the till; `pull` says which plant is pulled today, by lot, and which are gone."""
    pulled = trial.pulled(unit) if trial.rules.plants > 1 else {}
    gone = [f"{plant}" for day, plant in pulled.items() if day < this.day]
    words = f"Pull plant {pulled[this.day]}." if this.day in pulled else ""
    words += f" Gone: {', '.join(gone)}." if gone else ""
    return {"id": unit.id, "code": unit.code, "block": unit.block, "pull": words.strip(), "crop": trial.crop_of(unit)}


def _asked(asked: Asked) -> dict[str, Any]:
    """A measure for the till; of seeds sown, no more can be up."""
    names = ("key", "name", "unit", "low", "high", "decimals", "levels")
    shown = {name: getattr(asked.measure, name) for name in names}
    shown["high"] = asked.sown or shown["high"]
    return {**shown, "perUnit": asked.per_unit}


def _by_place(readings: list[Reading]) -> dict[str, dict[str, Any]]:
    return {f"{r.unit_id}:{r.measure_key}:{r.replicate}": _shown(r) for r in readings}


def _shown(reading: Reading) -> dict[str, Any]:
    return {"value": reading.value, "skip": reading.skip_reason, "version": reading.version, "by": reading.by}


@rounds.get("/units/<int:unit_id>")
def by_tag(unit_id: int) -> ResponseReturnValue:
    """Where a tag's QR code leads: the unit in its trial's next round, else the trial."""
    trial_id = trial_of_unit(db(), unit_id) or abort(404, "No trial has this unit; its tag is an old one.")
    trial = trial_or_404(trial_id)
    waiting = [each for each in trial.rounds if not each.done]
    if not waiting or trial.ended_on is not None:
        return redirect(url_for("trials.show", trial_id=trial_id))
    return redirect(url_for("rounds.show", trial_id=trial_id, round_id=waiting[0].id, unit=unit_id))


@rounds.post("/trials/<int:trial_id>/rounds/<int:round_id>/readings")
def save(trial_id: int, round_id: int) -> ResponseReturnValue:
    """Take what a device typed, one answer each: saved, conflict (with the other's value) or refused (with why)."""
    trial = trial_or_404(trial_id)
    this = _round_or_404(trial, round_id)
    sent = request.get_json(silent=True)
    ops = sent.get("typed") if isinstance(sent, dict) else None
    if not isinstance(ops, list) or len(ops) > 2000:
        abort(400, "Send a list of typed readings.")
    declare_trial(db(), trial_id, now())
    answers = [_take(trial, this, op) for op in ops]
    if _complete(trial, this):
        _close(trial_id, round_id, this.note)
    db().commit()
    return jsonify(answers=answers)


def _close(trial_id: int, round_id: int, note: str) -> None:
    """The round is in; where that opens the envelope, the trial is judged at once."""
    finish_round(db(), trial_id, round_id, note)
    db().expire_all()
    if not trial_or_404(trial_id).sealed(today()):
        from eproba.web.verdict.findings import remember_finding  # judging is heavy: only where it is needed

        remember_finding(trial_id)


def _complete(trial: Trial, this: Round) -> bool:
    """Every living unit has all its readings (or its reasons why not)."""
    there = {(r.unit_id, r.measure_key, r.replicate) for r in readings_of(db(), trial.id, this.id)}
    return all(
        (unit.id, asked.measure.key, n) in there
        for unit in trial.living(trial.date_of(this.day))
        for asked in trial.asked_in(this)
        for n in range(1, asked.per_unit + 1)
    )


def _take(trial: Trial, this: Round, op: Any) -> dict[str, Any]:
    try:
        typed = op_from(op, trial, this)
    except Refused as error:
        return {"id": op.get("id") if isinstance(op, dict) else None, "status": "refused", "why": str(error)}
    if not isinstance(typed, Typed):
        take_back(db(), trial.id, typed)
        return {"id": typed, "status": "taken back"}
    saved = _save_once(trial, typed)
    return {"id": saved.client_id, "status": saved.status, "there": _shown(saved.reading)}


def _save_once(trial: Trial, typed: Typed) -> Saved:
    """Save; where another device wrote to the same place in the same instant, look again and see its value."""
    try:
        with db().begin_nested():
            return save_typed(db(), trial.id, typed, who(), now())
    except IntegrityError:
        return save_typed(db(), trial.id, typed, who(), now())


@rounds.post("/trials/<int:trial_id>/rounds/<int:round_id>/finish")
def finish(trial_id: int, round_id: int) -> ResponseReturnValue:
    trial = trial_or_404(trial_id)
    this = _round_or_404(trial, round_id)
    _close(trial_id, round_id, request.form.get("note", "").strip()[:2000])
    db().commit()
    flash(f"Round of day {this.day} is in.")
    return redirect(url_for("trials.show", trial_id=trial_id))
