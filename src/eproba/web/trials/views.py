"""The trials: the list, and one trial with its ground and days."""

import secrets
from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, time
from typing import TYPE_CHECKING

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.applying.morning import DayLine
from eproba.core.brewing.batches import state
from eproba.core.brewing.clock import ready_at, use_by
from eproba.core.brewing.weather import Day, days
from eproba.core.judging.courses import courses, in_round
from eproba.core.stats.series import CannotJudge
from eproba.core.trial.blinding import hides_lots, in_a_file, tells_too_early
from eproba.core.trial.declaration import short, worth_words
from eproba.core.trial.ground import borders
from eproba.core.trial.model import ROLES, Reading, SpareRun, Trial
from eproba.core.trial.worth import Worth
from eproba.core.wording.record import told_evidence
from eproba.exchange.trial_json import Record, trial_json
from eproba.store.batches import batches
from eproba.store.beside import beside_of, changes_of
from eproba.store.brewing import brewings
from eproba.store.carried import earlier
from eproba.store.commands.drafts import FORGOTTEN, new_draft
from eproba.store.commands.gone import line_left, remove_trial
from eproba.store.commands.locks import Changed
from eproba.store.commands.trials import (
    amend,
    amend_treatment,
    deal_again,
    declare_trial,
    end_early,
    lose_unit,
    move_decision,
    note_trial,
    record_spare_run,
    say_garden,
    take_back,
)
from eproba.store.days import day_list
from eproba.store.drafts import drafts
from eproba.store.glances import due_by, glances
from eproba.store.readings import all_readings
from eproba.store.recipes import all_recipes, offered_recipes
from eproba.store.trials import gardens
from eproba.web.new_trial.walking import answers_learned, answers_taken_back
from eproba.web.photos.strip import strip_of
from eproba.web.pictures.day_strip import Brewed, day_strip
from eproba.web.pictures.ground_plan import trial_plan
from eproba.web.pictures.turns import turns_drawn
from eproba.web.stations import season, station
from eproba.web.trials.forms import AmendForm, NoteForm, ReasonForm, SpareForm, SureForm
from eproba.web.trials.record import evidence_of
from eproba.web.ui.clock import now, today
from eproba.web.ui.looks import looks, trial_looks
from eproba.web.ui.responses import download, file_name
from eproba.web.ui.session import db, seen_trial_or_404, sees_lots, trial_or_404, who
from eproba.web.ui.units import sentence, units
from eproba.web.verdict.keeping import commit

if TYPE_CHECKING:  # the statistics are heavy: fetched only where they are needed
    from eproba.core.planning.repeating import Learned
    from eproba.web.verdict.telling import InShort

trials = Blueprint("trials", __name__, template_folder="templates")
LONGEST_GARDEN = 60
PAGE = 30


@trials.get("/trials")
def index() -> ResponseReturnValue:
    words, page = request.args.get("find", "").strip(), max(1, request.args.get("page", 1, type=int))
    seen = glances(db(), today(), words, PAGE + 1, (page - 1) * PAGE)
    shown = seen[:PAGE]
    if any(glance.unjudged for glance in shown):
        from eproba.web.verdict.findings import with_findings  # judging is heavy: only where it is needed

        shown = with_findings(db(), shown)
    more = len(seen) > PAGE
    return render_template(
        "trials/index.html",
        trials=shown,
        words=words,
        gardens=gardens(db()),
        page=page,
        more=more,
        drafts=drafts(db()) if page == 1 else [],
        forgotten_days=FORGOTTEN.days,
        looks=looks,
        due={due.trial_id: due for due in reversed(due_by(db(), today(), limit=500))},
    )


@trials.get("/trials/<int:trial_id>")
def show(trial_id: int) -> ResponseReturnValue:
    return _page(seen_trial_or_404(trial_id))


def _page(trial: Trial, note_form: NoteForm | None = None, problem: str = "") -> str:
    """The page of one trial, as this device may see it."""
    trial_id, look = trial.id, trial_looks(trial)
    hidden = hides_lots(trial, today(), sees_lots())
    done = [round_ for round_ in trial.rounds if round_.done]
    latest = done[-1] if done else None
    readings = all_readings(db(), trial_id)
    latest_readings = {
        (r.unit_id, r.measure_key): r for r in readings if latest and r.round_id == latest.id and r.replicate == 1
    }
    waiting = due_by(db(), trial.decision_on, trial_id=trial_id) if trial.goes_on else []
    unsaid = not hidden and tells_too_early(trial, today(), readings)
    first = trial.asked[0]
    shown = {} if unsaid or latest is None else in_round(trial, courses(trial, first, readings), latest.day)
    outcome, unjudged = (None, "") if trial.sealed(today()) else _outcome(trial, readings)
    return render_template(
        "trials/trial.html",
        outcome=outcome,
        unjudged=unjudged,
        tapped={u.code: url_for("trials.unit", trial_id=trial_id, unit_id=u.id) for u in trial.units},
        trial=trial,
        gardens=gardens(db()),
        photographed=bool(strip_of(trial).rows),
        came_from=earlier(db(), trial.rules.after) if trial.rules.carried else None,
        stage=trial.stage(today()),
        sealed=trial.sealed(today()),
        looks=look,
        roles=ROLES,
        plan=trial_plan(trial, look, units(), shown),
        turns=turns_drawn(trial, look if not hidden else {}, trial.day_of(today())) if trial.turns else None,
        strip=day_strip(trial, today(), *brews_and_weather(trial)),
        latest=latest,
        found=latest_readings,
        due=waiting,
        lines=_lines(trial),
        note_form=note_form or NoteForm(data={"note": trial.note, "seen": trial.note}),
        problem=problem,
        hidden=hidden,
        unsaid=unsaid,
        evidence=told_evidence(evidence_of(trial)),
        spare_form=_spare_form(trial),
        worth=worth_words(trial),
        fingerprint=short(trial.declared.fingerprint) if trial.declared else "",
        crossing=(0, 0)
        if hidden
        else borders([(u.cut, u.letter) for u in trial.laid_out], trial.control, trial.guard_cm),
        silent=_silent(trial, readings),
    )


def _outcome(trial: Trial, readings: tuple[Reading, ...]) -> "tuple[InShort | None, str]":
    """What came out, as the verdict tells it; or why that can’t be said."""
    from eproba.web.verdict.telling import in_short  # judging is heavy: only where it is needed

    try:
        return in_short(trial, readings), ""
    except CannotJudge as error:
        return None, sentence(error)


def _lines(trial: Trial) -> list[DayLine]:
    """What of the day’s list is this trial’s."""
    return day_list(db(), now(), station(), today(), trial_id=trial.id) if trial.goes_on else []


def brews_and_weather(trial: Trial) -> tuple[list[Brewed], list[Day]]:
    """What the day strip shows beside rounds and pours: brews poured from, on the shelf or planned, and the weather."""
    used = sorted({batch for pour in trial.pours for batch in (pour.batch, pour.other_batch) if batch is not None})
    serves, planned = brewings(db(), now(), season=season()) if trial.goes_on else ({}, [])
    waiting = [batch_id for batch_id, pours in serves.items() if any(pour.trial_id == trial.id for pour in pours)]
    last = now() if today() < trial.decision_on else datetime.combine(trial.decision_on, time(18)).astimezone()
    shown = []
    for batch in batches(db(), [*used, *waiting]) if used or waiting else []:
        ready, gone = ready_at(batch) or last, batch.last("taken from", "thrown away")
        empty = gone is not None and state(batch, last) in ("used up", "thrown away")
        end = (gone.at if gone is not None and empty else None) or use_by(batch) or last
        if batch.mixed_at is not None:
            shown.append(Brewed(batch.title, batch.mixed_at, ready, max(ready, end)))
    for brewing in planned:
        mine = [pour.at for pour in brewing.serves if pour.trial_id == trial.id]
        if mine and brewing.recipe.brews:
            shown.append(Brewed(brewing.recipe.title, brewing.start, brewing.ready, max(mine)))
    start = datetime.combine(trial.start_on, time()).astimezone()
    until, station_ = min(last, now().astimezone()), station()
    return shown, days(station_.hours(start, until), station_.days(trial.start_on, until.date()))


def _silent(trial: Trial, readings: Sequence[Reading]) -> str:
    """What the baseline says of the place, while the trial can still be put off."""
    if not trial.asked[0].measure.silent or not trial.rounds[0].done:
        return ""
    from eproba.core.judging.departures import able_to_answer  # the statistics are heavy: only where they are needed
    from eproba.core.wording.ledger import text_of

    first = [reading for reading in readings if reading.round_id == trial.rounds[0].id]
    lines = able_to_answer(trial, trial.asked[0], first)
    return text_of(lines[0], units(), trial.noun) if lines else ""


def _spare_form(trial: Trial) -> SpareForm:
    form = SpareForm(prefix="spare-")
    form.letter.choices = [(t.letter, f"{t.letter}: {t.name}") for t in trial.treatments if t.amount is not None]
    return form


@trials.post("/trials/<int:trial_id>/garden")
def garden(trial_id: int) -> ResponseReturnValue:
    """Say which garden the trial stands in."""
    name = " ".join(request.form.get("garden", "").split())
    if len(name) > LONGEST_GARDEN:
        return _page(seen_trial_or_404(trial_id), problem=f"A garden’s name has up to {LONGEST_GARDEN} letters."), 400
    say_garden(db(), trial_or_404(trial_id).id, name)
    commit()
    return redirect(url_for("trials.show", trial_id=trial_id))


@trials.post("/trials/<int:trial_id>/note")
def note(trial_id: int) -> ResponseReturnValue:
    """Write the trial's note over the one that was seen."""
    trial_or_404(trial_id)
    form = NoteForm()
    if not form.validate_on_submit():
        return _page(seen_trial_or_404(trial_id), form, "The note is too long: up to 5000 characters."), 400
    try:
        note_trial(db(), trial_id, form.text, form.seen_text)
    except Changed as error:
        db().rollback()
        form.seen.data = error.there
        return _page(seen_trial_or_404(trial_id), form, f"{error} What stands now: “{error.there}”"), 409
    commit()
    flash("Note saved.")
    return redirect(url_for("trials.show", trial_id=trial_id))


@trials.post("/trials/<int:trial_id>/deal-again")
def deal_lots_again(trial_id: int) -> ResponseReturnValue:
    deal_again(db(), trial_id, secrets.token_hex(8), now())
    commit()
    flash("The lots were dealt again. The trial remembers how often.")
    return redirect(url_for("trials.show", trial_id=trial_id))


@trials.post("/trials/<int:trial_id>/declare")
def declare(trial_id: int) -> ResponseReturnValue:
    known = trial_or_404(trial_id).declared is not None
    declare_trial(db(), trial_id, now())
    commit()
    was = "It was declared already." if known else "Declared."
    flash(f"{was} From now on a change needs a reason, and stands in the verdict.")
    return redirect(url_for("trials.show", trial_id=trial_id))


@trials.route("/trials/<int:trial_id>/amend", methods=["GET", "POST"])
def change_plan(trial_id: int) -> ResponseReturnValue:
    """Change one frozen thing of a declared plan, with the reason."""
    trial = trial_or_404(trial_id)
    if not trial.sealed(today()):
        abort(400, "The envelope is open: the plan can’t be changed any more.")
    form = AmendForm()
    form.letter.choices = [(t.letter, f"{t.letter}: {t.name}") for t in trial.treatments]
    form.recipe.choices = [("", "as it is"), *((key, recipe.title) for key, recipe in offered_recipes(db()).items())]
    if request.method == "GET" and request.args.get("letter") in {t.letter for t in trial.treatments}:
        form.what.data, form.letter.data = "treatments", request.args["letter"]
    problem = ""
    if form.validate_on_submit():
        problem = _amend(trial, form)
        if not problem:
            commit()
            flash("Changed. The reason stands in the verdict.")
            return redirect(url_for("trials.show", trial_id=trial_id))
    page = render_template("trials/amend.html", trial=trial, form=form, problem=problem, worth=worth_words(trial))
    return page, 400 if problem or form.errors else 200


def _amend(trial: Trial, form: AmendForm) -> str:
    """Write the change; returns what is in its way, if anything."""
    declare_trial(db(), trial.id, now())
    reason, by, on = (form.reason.data or "").strip().rstrip("."), who(), today()
    if form.what.data == "treatments":
        old = next((t for t in trial.treatments if t.letter == form.letter.data), None)
        if old is None:
            return "Say which treatment changes."
        how, chosen = (form.how.data or "").strip() or old.how, form.recipe.data or old.recipe
        if chosen and chosen not in all_recipes(db()):
            return "There is no such recipe any more: choose another."
        amend_treatment(db(), trial, old.letter, how, chosen, reason, by, on)
        return ""
    if form.what.data == "decision day":
        day = int(form.decision_day.number or 0)
        done = max((round_.day for round_ in trial.rounds if round_.done), default=0)
        if day <= done or day < trial.day_of(on):
            least = max(done + 1, trial.day_of(on))
            return f"Day {day} is over, or a round of day {done} is in already: day {least} is the earliest."
        move_decision(db(), trial, day)
        change = (f"day {trial.decision_day}", f"day {day}")
        amend(db(), trial, "decision_day", "decision day", change, day, reason, by, on)
        return ""
    new = Worth.from_typed(form.worth.number, trial.scale)
    change = (worth_words(trial), new.words(trial.worth_unit))
    amend(db(), trial, "worth", "worth", change, replace(trial, worth=new.size).worth_kept, reason, by, on)
    return ""


@trials.post("/trials/<int:trial_id>/spare")
def spare(trial_id: int) -> ResponseReturnValue:
    """Put a spare plant's fate on record."""
    trial = trial_or_404(trial_id)
    form = _spare_form(trial)
    if form.validate_on_submit():
        note = (form.note.data or "").strip()
        run = SpareRun(form.letter.data, today(), form.fared.data == "well", note, who())
        record_spare_run(db(), trial_id, run)
        commit()
        flash("The spare plant is on record. It is told, not judged.")
    else:
        flash(next(iter(form.errors.values()))[0])
    return redirect(url_for("trials.show", trial_id=trial_id))


@trials.route("/trials/<int:trial_id>/units/<int:unit_id>", methods=["GET", "POST"])
def unit(trial_id: int, unit_id: int) -> ResponseReturnValue:
    """Put a unit down as lost, with the reason, or as found again."""
    trial = trial_or_404(trial_id)
    unit_ = next((u for u in trial.units if u.id == unit_id), None) or abort(404, "This trial has no such unit.")
    form = ReasonForm()
    if request.form.get("found"):
        lose_unit(db(), trial_id, unit_id, None, "", who(), today())
    elif form.validate_on_submit():
        lose_unit(db(), trial_id, unit_id, today(), (form.reason.data or "").strip(), who(), today())
    else:
        return render_template("trials/unit.html", trial=trial, unit=unit_, form=form), 400 if form.errors else 200
    commit()
    return redirect(url_for("trials.show", trial_id=trial_id))


@trials.route("/trials/<int:trial_id>/end", methods=["GET", "POST"])
def end(trial_id: int) -> ResponseReturnValue:
    trial = trial_or_404(trial_id)
    form = ReasonForm()
    if trial.ended_on is not None:
        abort(400, "This trial has ended already.")
    if form.validate_on_submit():
        end_early(db(), trial_id, today(), (form.reason.data or "").strip())
        commit()
        flash("The trial has ended. What is on record stays.")
        return redirect(url_for("trials.show", trial_id=trial_id))
    from eproba.core.judging.envelope import price_of  # the statistics are heavy: only where they are needed
    from eproba.core.wording.envelope import ending_told

    day = trial.day_of(today())
    price_text = ending_told(price_of(trial, day)) if 1 <= day < trial.decision_day else ""
    return render_template("trials/end.html", trial=trial, form=form, told=price_text), 400 if form.errors else 200


@trials.post("/trials/<int:trial_id>/copy")
def copy(trial_id: int) -> ResponseReturnValue:
    trial = trial_or_404(trial_id)
    before = earlier(db(), trial.rules.after) if trial.rules.carried == "lasted" else None
    if before is not None:  # nothing was given in a look again: the question is the earlier trial’s
        trial = trial_or_404(before[0])
    lesson = _lesson(trial)
    draft_id = new_draft(db(), answers_learned(trial, today(), lesson), now())
    commit()
    for words in lesson.words:
        flash(words)
    return redirect(url_for("new_trial.sheet", draft_id=draft_id))


def _lesson(trial: Trial) -> "Learned":
    """What the trial's own ledger teaches; nothing before its envelope is open."""
    from eproba.core.planning.repeating import Learned, learned
    from eproba.web.verdict.findings import judged

    if trial.sealed(today()):
        return Learned()
    try:
        return learned(trial, judged(trial, trial.asked[0], all_readings(db(), trial.id), beside_of(db(), trial)))
    except CannotJudge:
        return Learned()


@trials.post("/trials/<int:trial_id>/plan-again")
def back_to_plan(trial_id: int) -> ResponseReturnValue:
    """Take the dealt trial back into its plan, as long as nothing is declared or on record."""
    trial = take_back(db(), trial_id)
    line = line_left(trial, today())
    draft_id = new_draft(db(), answers_taken_back(trial, today()), now(), trial.deals, line)
    commit()
    flash("It is a plan again. Dealing its lots once more is counted, and the verdict says so.")
    return redirect(url_for("new_trial.sheet", draft_id=draft_id))


@trials.route("/trials/<int:trial_id>/delete", methods=["GET", "POST"])
def delete(trial_id: int) -> ResponseReturnValue:
    trial = trial_or_404(trial_id)
    form = SureForm()
    if form.validate_on_submit():
        remove_trial(db(), trial_id, today())
        commit()
        flash(f"“{trial.name}” is deleted.")
        return redirect(url_for("trials.index"))
    return render_template("trials/delete.html", trial=trial, form=form), 400 if form.errors else 200


@trials.get("/trials/<int:trial_id>/export.json")
def export(trial_id: int) -> ResponseReturnValue:
    trial = seen_trial_or_404(trial_id)
    changes, readings = changes_of(db(), trial), all_readings(db(), trial_id)
    hidden = hides_lots(trial, today(), sees_lots()) or tells_too_early(trial, today(), readings)
    record = Record(
        readings=readings,
        corrections=changes.corrections,
        pour_changes=[] if hidden else changes.pours,
        evidence=evidence_of(trial, changes),
    )
    return download(
        trial_json(in_a_file(trial, today(), readings), record), "application/json", f"{file_name(trial)}.json"
    )
