"""The page of a challenge: its file and code, the stakes of the gardens, and on the day the joint envelope."""

from collections.abc import Iterator, Sequence
from datetime import date, timedelta
from io import BytesIO
from typing import IO

from flask import Blueprint, abort, current_app, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.errors import EprobaError
from eproba.core.judging.answers import questions_of
from eproba.core.judging.challenge import misfits, tally
from eproba.core.trial.model import Trial
from eproba.core.words import full_date, listed, parse_date
from eproba.exchange.challenge_file import (
    as_code,
    is_slip,
    read_challenge,
    read_slip,
    write_challenge,
    write_slip,
)
from eproba.exchange.data_package import read_package
from eproba.exchange.limits import MOST_BYTES
from eproba.store.anonymous import plan_without
from eproba.store.challenges import Challenge, challenge, challenges, handed_in_by, stakes_of
from eproba.store.commands.challenges import (
    ChallengeRefused,
    keep_challenge,
    note_result,
    note_slip,
    open_envelope,
    open_hand_in,
)
from eproba.store.commands.locks import was_changed
from eproba.store.commands.packages import take_package
from eproba.store.commands.trials import new_key
from eproba.store.garden import signing_key
from eproba.store.measures import all_measures
from eproba.store.plans import plan_of_trial, trial_of_plan
from eproba.store.secrets import new_secret
from eproba.store.trials import all_trials, load_trial
from eproba.web.packages.views import must_be_judged, result_of
from eproba.web.ui.clock import now, today
from eproba.web.ui.codes import qr_code
from eproba.web.ui.responses import download, plain_name
from eproba.web.ui.session import db, trial_or_404
from eproba.web.ui.shown_once import show_once, shown_once
from eproba.web.ui.units import sentence
from eproba.web.verdict.keeping import commit

challenging = Blueprint("challenges", __name__, template_folder="templates")
AFTER_THE_TRIAL = timedelta(days=28)  # from the decision day here to the joint envelope: gardens begin when they can


@challenging.get("/challenges")
def index() -> ResponseReturnValue:
    return render_template("challenges/index.html", challenges=challenges(db()))


@challenging.route("/trials/<int:trial_id>/challenge", methods=["GET", "POST"])
def call(trial_id: int) -> ResponseReturnValue:
    """Call other gardens to ask the same question."""
    trial = trial_or_404(trial_id)
    if trial.rules.carried:
        abort(400, "A trial that is carried on has lots of its own past: call a challenge from the first one.")
    usual = max(trial.decision_on, today()) + AFTER_THE_TRIAL
    typed = request.form.get("opens_on", usual.isoformat())
    if request.method == "GET":
        return render_template("challenges/call.html", trial=trial, opens_on=typed, problem="")
    try:
        opens_on = _day_of(typed)
    except EprobaError as error:
        return render_template("challenges/call.html", trial=trial, opens_on=typed, problem=sentence(error)), 400
    key = new_key()
    plan = plan_without(plan_of_trial(db(), trial), ())
    raw = write_challenge(key, trial.name, opens_on, plan, signing_key(db()))
    called = Challenge(key, trial.name, opens_on, raw, read_challenge(raw).garden, True, None)
    keep_challenge(db(), called, now())
    commit()
    flash("The challenge is called. Give its file or code to the other gardens.")
    return redirect(url_for("challenges.show", key=key))


def _day_of(text: str) -> date:
    """The day of the joint envelope. Raises EprobaError."""
    on = parse_date(text)
    if on <= today():
        raise ChallengeRefused("The envelope opens on a day to come.")
    return on


def _challenge_or_404(key: str) -> Challenge:
    return challenge(db(), key) or abort(404, "There is no such challenge in this garden.")


@challenging.get("/challenges/<key>")
def show(key: str) -> ResponseReturnValue:
    return _page(_challenge_or_404(key))


def _page(asked: Challenge, problems: Sequence[str] = ()) -> str:
    stakes, plan, token = stakes_of(db(), asked.key), _plan(asked), shown_once("challenge", asked.key)
    code = as_code(asked.raw)
    return render_template(
        "challenges/challenge.html",
        challenge=asked,
        stakes=stakes,
        tally=tally(stakes, asked.opened_at is not None) if stakes else "",
        plan=plan,
        questions=sorted(set(questions_of(plan).values())) if plan else [],
        fitting=list(_fitting(plan)) if plan else [],
        code=code,
        picture=qr_code(code, "l") if code else "",
        problems=problems,
        link=url_for("challenges.hand_in", token=token, _external=True) if token else "",
        home_network=current_app.config["SETTINGS"].home_network,
        is_due=today() >= asked.opens_on,
    )


def _plan(asked: Challenge) -> Trial | None:
    """What the challenge asks; None where it names a measure that this garden does not know."""
    brought, known = read_challenge(asked.raw).plan.plan, all_measures(db())
    if any(part.get("measure_key") not in known for part in brought.parts["measures"]):
        return None
    return trial_of_plan(brought, known, asked.opens_on)


def _fitting(plan: Trial) -> Iterator[Trial]:
    """The trials of this garden that ask what the challenge asks."""
    for number in all_trials(db()):
        trial = load_trial(db(), number)
        if trial is not None and not misfits(plan, trial):
            yield trial


@challenging.get("/challenges/<key>/challenge.json")
def file(key: str) -> ResponseReturnValue:
    asked = _challenge_or_404(key)
    return download(asked.raw, "application/json", f"challenge-{plain_name(asked.name)}.json")


@challenging.get("/challenges/<key>/slip-<says>.json")
def slip(key: str, says: str) -> ResponseReturnValue:
    """That this garden takes part, or has stopped, for the one who called."""
    asked = _challenge_or_404(key)
    if says not in ("joined", "left"):
        abort(404, "A slip says that a garden joined or left.")
    plan = _plan(asked)
    units = sum(len(trial.units) for trial in list(_fitting(plan))[-1:]) if plan else 0
    raw = write_slip(asked.key, "joined" if says == "joined" else "left", units, signing_key(db()))
    return download(raw, "application/json", f"{says}-{plain_name(asked.name)}.json")


@challenging.post("/challenges/<key>/files")
def take(key: str) -> ResponseReturnValue:
    """Slips and results of other gardens, say all of a shared folder at once; each is taken or refused alone."""
    request.max_content_length = MOST_BYTES
    asked = _challenge_or_404(key)
    if not asked.called_here:
        abort(400, "Files come back to the garden that called the challenge.")
    problems, taken = _take_all(asked)
    if problems:
        return _page(asked, problems), 400
    flash(f"Taken in: {taken}. What is in the results stays shut until the envelope opens.")
    return redirect(url_for("challenges.show", key=key))


@challenging.post("/challenges/<key>/own/<int:trial_id>")
def own(key: str, trial_id: int) -> ResponseReturnValue:
    """The result of this garden's own trial goes into the envelope."""
    asked, trial = _challenge_or_404(key), trial_or_404(trial_id)
    if not asked.called_here or trial.sealed(today()):
        abort(400, "A result goes in once its own envelope is open, where the challenge was called.")
    try:
        _take_one(asked, BytesIO(result_of(trial)))
    except EprobaError as error:
        db().rollback()
        return _page(asked, [sentence(error)]), 400
    commit()
    flash("Your result is in. It stays shut with the others until the envelope opens.")
    return redirect(url_for("challenges.show", key=key))


@challenging.post("/challenges/<key>/link")
def make_link(key: str) -> ResponseReturnValue:
    """A link by which other gardens in the home network hand in; it is shown once."""
    asked = _challenge_or_404(key)
    if not asked.called_here or asked.opened_at is not None:
        abort(400, "Files come back to the garden that called the challenge, until its envelope is open.")
    token = new_secret()
    open_hand_in(db(), key, token)
    commit()
    show_once("challenge", token, key)
    return redirect(url_for("challenges.show", key=key))


@challenging.route("/hand-in/<token>", methods=["GET", "POST"])
def hand_in(token: str) -> ResponseReturnValue:
    """Where another garden hands in its slip or its result, without a passcode; it sees nothing else."""
    request.max_content_length = MOST_BYTES
    asked = handed_in_by(db(), token) or abort(404, "This link is not in use: ask for the challenge again.")
    problems, taken = _take_all(asked) if request.method == "POST" else ([], 0)
    page = render_template("challenges/hand_in.html", challenge=asked, problems=problems, taken=taken)
    return page, 400 if problems else 200


def _take_all(asked: Challenge) -> tuple[list[str], int]:
    """Take each file in or refuse it alone: what was refused, and how many were taken."""
    sent = [file for file in request.files.getlist("file") if file.filename]
    problems, taken = [], 0
    for upload in sent:
        try:
            with db().begin_nested():
                _take_one(asked, upload.stream)
            taken += 1
        except EprobaError as error:
            problems.append(f"{upload.filename}: {sentence(error)}")
    if not sent:
        problems.append("Choose the files that the other gardens sent.")
    commit()
    return problems, taken


def _take_one(asked: Challenge, stream: IO[bytes]) -> None:
    """One slip or result. Raises EprobaError."""
    raw = stream.read()
    if is_slip(raw):
        note = read_slip(raw)
        if note.challenge != asked.key:
            raise ChallengeRefused("This slip is for another challenge.")
        note_slip(db(), asked.key, note.garden, note.says, note.units, now())
        return
    package = read_package(BytesIO(raw))
    if package.seal.state != "unchanged" or package.changed:
        raise ChallengeRefused(f"{package.seal.words} Ask that garden for its result again.")
    trial = _looked_into(asked, raw)
    note_result(db(), asked.key, package.seal.garden, len(trial.units), trial.key, raw, now())


def _looked_into(asked: Challenge, raw: bytes) -> Trial:
    """The trial of a result, built to see whether it fits, and let go again. Raises EprobaError."""
    package = read_package(BytesIO(raw))
    look = db().begin_nested()
    try:
        present = {str(row.get("key")) for row in package.tables.get("trials", [])}
        own = next((trial for trial in map(_loaded, all_trials(db())) if trial and trial.key in present), None)
        trial = own or _loaded(take_package(db(), package.format, package.tables, package.files).trials[0])
        plan = _plan(asked)
        reasons = ["it can’t be read"] if trial is None or plan is None else misfits(plan, trial)
        if trial is None or reasons:
            raise ChallengeRefused(f"This is the result of another plan: {listed(reasons)}.")
        if trial.sealed(today()):
            raise ChallengeRefused("The trial in this file is not over: its result can be sent once it is.")
        must_be_judged([trial.id])
        return trial
    finally:
        look.rollback()
        db().expire_all()


def _loaded(number: int) -> Trial | None:
    return load_trial(db(), number)


@challenging.post("/challenges/<key>/open")
def open_(key: str) -> ResponseReturnValue:
    """The joint envelope: every result comes in, is judged by its own ledger, and joins the others."""
    asked = _challenge_or_404(key)
    try:
        results = open_envelope(db(), key, today(), now())
    except ChallengeRefused as error:
        return _page(asked, [f"{sentence(error)} It is the {full_date(asked.opens_on)}."]), 400
    problems = []
    for raw in results:
        package = read_package(BytesIO(raw))
        kept = {"seal": package.seal.state, "garden": package.seal.garden}
        try:
            with db().begin_nested():
                taken = take_package(db(), package.format, package.tables, package.files, package.changed, kept)
                must_be_judged(taken.trials)
                for trial_id in taken.trials:
                    was_changed(db(), trial_id)
        except EprobaError as error:
            if "in this garden already" not in sentence(error):  # one’s own result is here anyway
                problems.append(f"{package.seal.garden}: {sentence(error)}")
    commit()
    return _page(_challenge_or_404(key), problems)
