"""Plans, results, whole trials and a whole garden, out of here and in elsewhere: by file, nothing calls out."""

import logging
from collections.abc import Mapping, Sequence
from datetime import timedelta
from io import BytesIO
from typing import IO

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.errors import EprobaError
from eproba.core.trial.blinding import hides_lots, peeks
from eproba.core.trial.model import Trial
from eproba.core.words import full_date, listed
from eproba.exchange.challenge_file import CODE, is_challenge, read_challenge
from eproba.exchange.data_package import read_package, write_package
from eproba.exchange.limits import MOST_BYTES, MOST_PACKAGE_BYTES, megabytes
from eproba.exchange.plan_file import PlanFile, read_plan, write_plan
from eproba.store.anonymous import free_words, plan_without, without_names
from eproba.store.challenges import Challenge
from eproba.store.commands.challenges import keep_challenge
from eproba.store.commands.drafts import new_draft
from eproba.store.commands.locks import was_changed
from eproba.store.commands.packages import PackageRefused, take_package
from eproba.store.garden import signing_key
from eproba.store.glances import glances
from eproba.store.measures import all_measures
from eproba.store.packages import FORMAT, Table, garden_tables, tables_of
from eproba.store.plans import Unknown, plan_of_trial, standing_in, take_along, trial_of_plan, unknown_in
from eproba.store.readings import all_readings
from eproba.store.recipes import all_recipes, offered_recipes
from eproba.store.trials import all_trials, load_trial
from eproba.web.new_trial.walking import answers_on_own_ground
from eproba.web.pictures.ground_plan import trial_plan
from eproba.web.ui.clock import now, today
from eproba.web.ui.looks import trial_looks
from eproba.web.ui.responses import download, file_name
from eproba.web.ui.session import db, sees_lots, trial_or_404
from eproba.web.ui.units import sentence, units
from eproba.web.verdict.keeping import commit

packages = Blueprint("packages", __name__, template_folder="templates")
log = logging.getLogger("eproba.packages")
PEEKS = (
    "The package tells who got what beside what was read. While the envelope is shut, that is an early look: open it "
    "early, which is priced and on record, and take the file then; or wait for the decision day."
)
HIDDEN = "The package tells who got what: take it on the device of the one who pours, or once the envelope is open."


@packages.get("/trials/<int:trial_id>/package.zip")
def out(trial_id: int) -> ResponseReturnValue:
    """The whole trial: tables with their descriptions, and its pictures."""
    trial = trial_or_404(trial_id)
    if hides_lots(trial, today(), sees_lots()):
        abort(403, HIDDEN)
    if _peeks(trial):
        flash(PEEKS)
        return redirect(url_for("verdict.open_early", trial_id=trial_id))
    tables, files = tables_of(db(), [trial_id])
    return _zip(trial.name, file_name(trial), tables, files)


@packages.get("/trials/<int:trial_id>/result.zip")
def result(trial_id: int) -> ResponseReturnValue:
    """The trial as a result for others: without names, places, notes and pictures."""
    trial = trial_or_404(trial_id)
    if trial.sealed(today()):
        abort(404, "A result leaves once the envelope is open.")
    raw = result_of(trial, request.args.getlist("keep"))
    return download(raw, "application/zip", f"result-{trial.key}.zip")


def result_of(trial: Trial, keep: Sequence[str] = ()) -> bytes:
    """A trial as a result for others, signed; of its free words those that are kept."""
    tables, _ = tables_of(db(), [trial.id])
    return _written("A trial of another garden", f"result-{trial.key}", without_names(tables, keep), {})


@packages.get("/trials/<int:trial_id>/for-others")
def for_others(trial_id: int) -> ResponseReturnValue:
    """What would leave as a plan or a result, free words one by one, before it leaves."""
    trial = trial_or_404(trial_id)
    is_open = not trial.sealed(today())
    return render_template(
        "packages/for_others.html", trial=trial, is_open=is_open, plan_words=free_words(trial, False),
        result_words=free_words(trial, True),
    )  # fmt: skip


@packages.get("/garden.zip")
def garden() -> ResponseReturnValue:
    """Everything of this garden."""
    trials = [trial for trial in map(_trial, all_trials(db())) if trial is not None]
    if any(hides_lots(trial, today(), sees_lots()) for trial in trials):
        abort(403, HIDDEN)
    if peeks := [f"“{trial.name}”" for trial in trials if _peeks(trial)]:
        abort(403, f"{PEEKS} That is so for {listed(peeks)}. To keep all of it safe meanwhile: ./eproba backup.")
    tables, files = garden_tables(db())
    return _zip("A whole garden", "garden", tables, files)


def _peeks(trial: Trial) -> bool:
    return peeks(trial, today(), all_readings(db(), trial.id))


def _trial(trial_id: int) -> Trial | None:
    return load_trial(db(), trial_id)


def _zip(title: str, name: str, tables: Sequence[Table], files: Mapping[str, bytes]) -> ResponseReturnValue:
    return download(_written(title, name, tables, files), "application/zip", f"{name}.zip")


def _written(title: str, name: str, tables: Sequence[Table], files: Mapping[str, bytes]) -> bytes:
    return write_package(title, name, FORMAT, tables, files, now(), signing_key(db()))


@packages.get("/trials/<int:trial_id>/plan.json")
def plan(trial_id: int) -> ResponseReturnValue:
    """The plan for others: question, treatments, doses, days, measures, worth; no names, no ground, no lots."""
    trial = trial_or_404(trial_id)
    struck = plan_without(plan_of_trial(db(), trial), request.args.getlist("keep"))
    return download(write_plan(struck), "application/json", f"plan-{file_name(trial)}.json")


@packages.route("/trials/take-in", methods=["GET", "POST"])
def take_in() -> ResponseReturnValue:
    """A plan, a result, a whole trial or a whole garden in, whichever the file is."""
    request.max_content_length = MOST_PACKAGE_BYTES
    if request.method == "GET":
        return _take_in()
    sent = request.files.get("file")
    pasted = BytesIO(request.form.get("plan", "").encode(errors="surrogatepass"))
    file = sent.stream if sent and sent.filename else pasted
    raw = b""
    try:
        if not _is_text(file):
            return _package_in(file)
        raw = file.read(MOST_BYTES + 1)
        return _challenge_in(raw) if is_challenge(raw) else _plan_in(read_plan(raw))
    except Unknown as error:
        db().rollback()
        page = render_template(
            "packages/unknown.html", problem=sentence(error), unknown=error, plan=raw.decode("utf-8", "replace"),
            measures=all_measures(db()), recipes=offered_recipes(db()),
        )  # fmt: skip
        return page, 400
    except EprobaError as error:
        db().rollback()
        return _take_in(sentence(error)), 400


def _take_in(problem: str = "") -> str:
    return render_template("packages/take_in.html", problem=problem, most=megabytes(MOST_PACKAGE_BYTES))


def _is_text(file: IO[bytes]) -> bool:
    """Whether it is a plan, a challenge or its code, and no package."""
    begins = file.read(200).lstrip()
    file.seek(0)
    return begins.startswith((b"{", CODE.encode()))


def _challenge_in(raw: bytes) -> ResponseReturnValue:
    """A challenge is kept, and its plan becomes a draft."""
    asked = read_challenge(raw)
    taken_up = Challenge(asked.key, asked.name, asked.opens_on, asked.raw, asked.garden, False, None)
    if not keep_challenge(db(), taken_up, now()):
        db().rollback()
        flash("This challenge is here already.")
        return redirect(url_for("challenges.show", key=asked.key))
    return _plan_in(asked.plan, f"Its envelope opens on {full_date(asked.opens_on)}; what to do is under Challenges.")


def _package_in(file: IO[bytes]) -> ResponseReturnValue:
    """Built, judged, and looked at as every list does, before it is kept."""
    package = read_package(file)
    seal = package.seal
    kept = {"seal": seal.state, "garden": seal.garden}
    taken = take_package(db(), package.format, package.tables, package.files, package.changed, kept)
    must_be_judged(taken.trials)
    for trial_id in taken.trials:
        was_changed(db(), trial_id)
    commit()
    flash(seal.words)
    if package.changed or seal.state == "changed":
        what = f" in it ({listed([name.replace('_', ' ') for name in package.changed])})" if package.changed else ""
        flash(f"Something{what} is not as it was written: what came in bears that mark.")
    if taken.here_already:
        names = listed([f"“{name}”" for name in taken.here_already[:5]])
        more = "" if len(taken.here_already) <= 5 else f" and {len(taken.here_already) - 5} more"
        flash(f"Here already, and left as they are: {names}{more}.")
    if len(taken.trials) > 1:
        flash(f"{len(taken.trials)} trials are in this garden now, with all that is on record of them.")
        return redirect(url_for("trials.index"))
    flash("The trial is in this garden now, with all that is on record of it.")
    return redirect(url_for("trials.show", trial_id=taken.trials[0]))


def must_be_judged(trials: Sequence[int]) -> None:
    """Whatever a page or a list does with these trials, it can. Raises PackageRefused."""
    from eproba.web.verdict.findings import try_judging  # judging is heavy: only where it is needed

    try:
        for trial_id in trials:
            try_judging(db(), trial_id)
            trial = trial_or_404(trial_id)
            trial_plan(trial, trial_looks(trial), units())
        glances(db(), today(), limit=len(trials))
    except Exception as error:  # rows from outside fail in ways that nobody foresees; nothing of them is kept
        log.warning("a package can't be judged", exc_info=error)
        text = "A trial of this package can’t be judged: its rows don’t fit together. Nothing of it was kept."
        raise PackageRefused(text) from error


def _plan_in(plan: PlanFile, besides: str = "") -> ResponseReturnValue:
    """A plan becomes a draft: question, treatments, doses and days as they came, the ground open."""
    chosen = standing_in(plan.plan, request.form)
    missing = unknown_in(chosen, all_measures(db()), all_recipes(db()))
    if missing is not None:
        raise missing
    take_along(db(), chosen, now())
    trial = trial_of_plan(chosen, all_measures(db()), today() + timedelta(days=1))
    draft_id = new_draft(db(), answers_on_own_ground(trial, today(), chosen.units_each), now())
    commit()
    if plan.changed:
        flash("This plan was changed after it was written: look whether it still asks what you were told it asks.")
    flash("The plan is here as a draft. Say in its sentence what you have; your lots will be dealt anew.")
    if besides:
        flash(besides)
    return redirect(url_for("new_trial.sheet", draft_id=draft_id))
