"""Readings as tables, their corrections, CSV out and in."""

import secrets
from datetime import date, datetime

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from sqlalchemy.exc import IntegrityError
from wtforms import BooleanField, HiddenField, StringField, ValidationError
from wtforms.validators import InputRequired

from eproba.core.errors import EprobaError
from eproba.core.trial.amendments import Correction
from eproba.core.trial.blinding import in_a_file
from eproba.core.trial.model import Asked, Reading, Round, Trial, Unit
from eproba.core.trial.readings import LONGEST_REASON, Entry, codes_told
from eproba.core.words import DateError, day_words, exact, parse_date, plural
from eproba.exchange.limits import MOST_BYTES, megabytes
from eproba.exchange.readings_csv import Preview, Word, import_rows, noon_of, preview, write_empty, write_readings
from eproba.exchange.readings_xlsx import is_workbook, rows_of_workbook, write_workbook
from eproba.exchange.rescue_csv import is_rescue
from eproba.exchange.table import decode
from eproba.store.commands.readings import EntryAnswer, Sender, Sent, add_many, take_entries
from eproba.store.mapping import correction_from, reading_from
from eproba.store.readings import all_readings, corrections_of, readings_of, repeats_of
from eproba.web.readings.rescue import take_rescued
from eproba.web.ui.clock import now, today
from eproba.web.ui.fields import at_most, whole
from eproba.web.ui.form import OurForm
from eproba.web.ui.responses import download, file_name
from eproba.web.ui.session import db, seen_trial_or_404, sees_lots, who
from eproba.web.ui.units import sentence
from eproba.web.verdict.keeping import commit

MOST_CORRECTIONS = 50
XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
readings = Blueprint("readings", __name__, template_folder="templates")


class ReadingForm(OurForm):
    """One reading, new or corrected; whether it may be written is the core's to say."""

    value = StringField("Right value (empty: no reading)", [at_most(60)])
    read_on = StringField("Read on", [InputRequired("Say on which day it was read.")])
    reason = StringField("Why?", [InputRequired("Say why: the old value is kept beside it."), at_most(LONGEST_REASON)])
    sure = BooleanField("Yes, it is right")
    version = HiddenField()
    unit_of_value = HiddenField()

    def validate_read_on(self, field: StringField) -> None:
        try:
            parse_date(field.data or "")
        except DateError as error:
            raise ValidationError(sentence(error)) from error

    @property
    def seen(self) -> int:
        """The version that the form was made from."""
        return whole(self.version.data or "") or 0


@readings.get("/trials/<int:trial_id>/readings")
def index(trial_id: int) -> ResponseReturnValue:
    trial = seen_trial_or_404(trial_id)
    asked_for = request.args.get("round", type=int)
    done = [round_ for round_ in trial.rounds if round_.done]
    chosen = next((r for r in trial.rounds if r.id == asked_for), done[-1] if done else trial.rounds[0])
    table: dict[tuple[int, str], dict[int, Reading]] = {}
    for reading in readings_of(db(), trial_id, chosen.id):
        table.setdefault((reading.unit_id, reading.measure_key), {})[reading.replicate] = reading
    return render_template(
        "readings/index.html",
        trial=trial,
        chosen=chosen,
        table=table,
        sealed=trial.sealed(today()),
        corrections=_corrections(trial),
        elsewhen=_elsewhen(trial, chosen, table),
        read_twice=_read_twice(trial),
    )


def _corrections(trial: Trial) -> list[tuple[Correction, Reading]]:
    """Old values with their readings, newest first, in the household's units."""
    known = {asked.measure.key: asked.measure for asked in trial.asked}
    rows = corrections_of(db(), trial.id)[:MOST_CORRECTIONS]
    return [(correction_from(old, known.get(row.measure_key)), reading_from(row, known)) for old, row in rows]


def _read_twice(trial: Trial) -> list[tuple[str, str]]:
    """What readings of the same thing differ by, and what would help."""
    repeats = repeats_of(db(), trial.id)
    if not repeats:
        return []
    from eproba.core.judging.readers import readers  # the statistics are slow to load
    from eproba.core.wording.readers import advice, readers_told

    return [(readers_told(reader), advice(reader)) for reader in readers(trial, all_readings(db(), trial.id), repeats)]


def _elsewhen(trial: Trial, chosen: Round, table: dict[tuple[int, str], dict[int, Reading]]) -> str:
    """The days on which a round was truly read, where they are not the one planned."""
    days = {r.read_at.date() for cell in table.values() for r in cell.values() if r.read_at is not None}
    other = sorted(days - {trial.date_of(chosen.day)})
    return ", ".join(f"{day_words(on)} (day {trial.day_of(on)})" for on in other)


@readings.route("/trials/<int:trial_id>/readings/<int:reading_id>", methods=["GET", "POST"])
def edit(trial_id: int, reading_id: int) -> ResponseReturnValue:
    """Correct a reading; the old value is kept."""
    trial = seen_trial_or_404(trial_id)
    reading = next((r for r in readings_of(db(), trial.id, blanks=True) if r.id == reading_id), None)
    if reading is None:
        abort(404, "This trial has no such reading.")
    round_ = next(r for r in trial.rounds if r.id == reading.round_id)
    asked = next(a for a in trial.asked if a.measure.key == reading.measure_key)
    return _typed(trial, round_, trial.unit(reading.unit_id), asked, reading.replicate, reading)


@readings.route("/trials/<int:trial_id>/readings/new", methods=["GET", "POST"])
def new(trial_id: int) -> ResponseReturnValue:
    """A reading for a place that has none: typed after the fact, from paper or memory, with its own day."""
    trial = seen_trial_or_404(trial_id)
    ask = request.args
    round_ = next((r for r in trial.rounds if r.id == ask.get("round", type=int)), None)
    unit = trial.by_code.get(ask.get("unit", ""))
    asked = next((a for a in (trial.asked_in(round_) if round_ else ()) if a.measure.key == ask.get("measure")), None)
    replicate = ask.get("reading", 1, type=int)
    if round_ is None or unit is None or asked is None or not 1 <= replicate <= asked.per_unit:
        abort(404, "This trial asks no such reading.")
    places = readings_of(db(), trial.id, round_.id, blanks=True)
    place = (unit.id, asked.measure.key, replicate)
    stored = next((r for r in places if (r.unit_id, r.measure_key, r.replicate) == place), None)
    return _typed(trial, round_, unit, asked, replicate, stored)


def _typed(
    trial: Trial, round_: Round, unit: Unit, asked: Asked, replicate: int, stored: Reading | None
) -> ResponseReturnValue:
    """The form of one place, shown and taken."""
    form, answer = ReadingForm(data=_standing(trial, round_, stored) | {"unit_of_value": asked.measure.unit}), None
    if form.validate_on_submit():
        answer = _written(trial, round_, unit, asked, replicate, form, stored)
        if answer.status == "saved":
            commit()
            flash("Kept on record." if stored is None else "Corrected. The old value is kept.")
            return redirect(url_for("readings.index", trial_id=trial.id, round=round_.id))
        db().rollback()
        if answer.there is not None:
            form.version.data = str(answer.there.version)
    page = render_template(
        "readings/edit.html",
        trial=trial,
        round=round_,
        unit=unit,
        measure=asked.measure,
        reading=stored,
        form=form,
        answer=answer,
    )
    status = {"conflict": 409, "doubted": 400, "refused": 400}.get(answer.status if answer else "", 200)
    return page, 400 if form.errors else status


def _standing(trial: Trial, round_: Round, stored: Reading | None) -> dict[str, str]:
    """What stands in the form before anything is typed."""
    on = _day(trial, round_, stored)
    if stored is None:
        return {"value": "", "version": "0", "read_on": on.isoformat()}
    value = "" if stored.value is None else exact(stored.value)
    return {"value": value, "version": str(stored.version), "read_on": on.isoformat()}


def _day(trial: Trial, round_: Round, stored: Reading | None) -> date:
    """The day on which it was read, as far as it is known: else the planned one."""
    if stored is not None and stored.read_at is not None:
        return stored.read_at.date()
    return min(trial.date_of(round_.day), today())


def _written(
    trial: Trial, round_: Round, unit: Unit, asked: Asked, replicate: int, form: ReadingForm, stored: Reading | None
) -> EntryAnswer:
    """The form as one entry, taken like any other."""
    typed, reason = (form.value.data or "").strip(), (form.reason.data or "").strip()
    read_on = parse_date(form.read_on.data or "")
    entry = Entry(
        unit=unit.code,
        measure=asked.measure.key,
        replicate=replicate,
        typed=typed,
        read_on=read_on,
        skip="" if typed else reason,
        sure=bool(form.sure.data),
        reason=reason,
        unit_of_value=form.unit_of_value.data or "",
    )
    read_at = _read_at(read_on, _day(trial, round_, stored), stored)
    sent = Sent(f"form-{secrets.token_hex(8)}", trial.key, round_.key, entry, read_at, form.seen)
    return take_entries(db(), [sent], Sender(who(), now(), "form", sees_lots()))[0]


def _read_at(on: date, day: date, stored: Reading | None) -> datetime | None:
    """What is known of the hour stays; of another day only the day is known, and it is never later than now."""
    return stored.read_at if stored is not None and on == day else min(noon_of(on), now())


@readings.get("/trials/<int:trial_id>/readings.csv")
def csv_out(trial_id: int) -> ResponseReturnValue:
    """All readings; or one round's places without values, to be filled in offline."""
    trial = seen_trial_or_404(trial_id)
    wanted = request.args.get("round", type=int)
    if wanted is None:
        every = all_readings(db(), trial_id)
        text = write_readings(in_a_file(trial, today(), every), every)
        return download("\ufeff" + text, "text/csv", f"{file_name(trial)}.csv")
    round_ = next((r for r in trial.rounds if r.id == wanted), None) or abort(404, "There is no such round.")
    return download("\ufeff" + write_empty(trial, round_), "text/csv", f"{file_name(trial)} day {round_.day}.csv")


@readings.get("/trials/<int:trial_id>/readings.xlsx")
def workbook_out(trial_id: int) -> ResponseReturnValue:
    """All readings as a workbook, a sheet for each round; or one round's sheet alone, to be filled in offline."""
    trial = seen_trial_or_404(trial_id)
    wanted = request.args.get("round", type=int)
    rounds = [round_ for round_ in trial.rounds if wanted in (None, round_.id)]
    if not rounds:
        abort(404, "This trial has no such round.")
    every = all_readings(db(), trial_id)
    content = write_workbook(in_a_file(trial, today(), every), every, rounds, long=wanted is None)
    day = f" day {rounds[0].day}" if wanted is not None else ""
    return download(content, XLSX, f"{file_name(trial)}{day}.xlsx")


@readings.route("/trials/<int:trial_id>/readings/import", methods=["GET", "POST"])
def csv_in(trial_id: int) -> ResponseReturnValue:
    """First a preview that names the bad rows; then, all or nothing, the taking."""
    trial = seen_trial_or_404(trial_id)
    text, problem, seen = "", "", None
    word = Word(today(), bool(request.form.get("sure")), request.form.get("reason", "").strip()[:LONGEST_REASON])
    if request.method == "POST":
        file = request.files.get("file")
        raw = file.read() if file and file.filename else b""
        try:
            text = _rows(raw, trial) if raw else request.form.get("text", "")
            if is_rescue(text):
                return _rescue(trial, text, word)
            seen, problem = _previewed(trial, text, word)
        except EprobaError as error:
            problem = sentence(error)
        if seen and seen.takeable and request.form.get("go") == "take":
            problem = _taken(trial, seen, word)
            if not problem:
                flash(f"{plural(len(seen.wanted), 'reading')} taken.")
                return redirect(url_for("readings.index", trial_id=trial_id))
    sealed = trial.sealed(today())
    page = render_template(
        "readings/import.html", trial=trial, text=text, problem=problem, preview=seen, word=word, sealed=sealed,
        codes=codes_told(trial), most_bytes=MOST_BYTES, most=megabytes(MOST_BYTES),
    )  # fmt: skip
    return page, 400 if problem or (seen and not seen.takeable) else 200


def _rescue(trial: Trial, text: str, word: Word) -> ResponseReturnValue:
    """What a device kept as a file: first a look at what becomes of each row, then those that can be taken are kept."""
    fates = take_rescued(text, word)
    left = [fate for fate in fates if not fate.is_taken]
    saved = len(fates) - len(left)
    if request.form.get("go") == "take":
        commit()
        flash(_on_record(saved, len(left)))
        return redirect(url_for("readings.index", trial_id=trial.id))
    db().rollback()
    return render_template(
        "readings/rescue.html", trial=trial, text=text, saved=saved, left=left, word=word,
        sealed=trial.sealed(today()),
    )  # fmt: skip


def _on_record(saved: int, left: int) -> str:
    """“1 entry is on record; 2 are not.”"""
    where = ", each in its own trial" if saved > 1 else ""
    not_taken = f"; {left} {'is' if left == 1 else 'are'} not" if left else ""
    return f"{plural(saved, 'entry is', 'entries are')} on record{where}{not_taken}."


def _rows(raw: bytes, trial: Trial) -> str:
    """A file as rows of text: a workbook's sheets, or text as it is. Raises TableError."""
    if not is_workbook(raw):
        return decode(raw)
    return rows_of_workbook(raw, trial)


def _previewed(trial: Trial, text: str, word: Word) -> tuple[Preview | None, str]:
    try:
        return preview(text.encode(), trial, readings_of(db(), trial.id, blanks=True), word), ""
    except EprobaError as error:
        return None, sentence(error)


def _taken(trial: Trial, seen: Preview, word: Word) -> str:
    """Take all; where somebody else wrote into one of the places meanwhile, nothing, and why."""
    rows = import_rows(seen, who(), now(), secrets.token_hex(8), sees_lots())
    try:
        add_many(db(), trial.id, rows, now(), word.reason)
        commit()
    except IntegrityError:
        db().rollback()
        return "meanwhile somebody typed one of these readings: look at it again, nothing was taken"
    return ""
