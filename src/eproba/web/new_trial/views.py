"""Planning a trial, step by step, back and forth without losing anything."""

import copy
import secrets
from collections.abc import Iterable, Mapping, Sequence

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from wtforms import Field, FieldList, FormField

from eproba.core.catalogue import crops
from eproba.core.errors import EprobaError
from eproba.core.planning.advice import merged
from eproba.core.planning.draft import StepName, plan_of
from eproba.store.commands.drafts import drop_forgotten, hold_draft, keep_steps, new_draft, take_draft
from eproba.store.commands.gone import throw_away as throw_away_draft
from eproba.store.commands.locks import Changed
from eproba.store.commands.trials import create_trial
from eproba.store.drafts import draft_of, untouched_draft
from eproba.store.recipes import offered_recipes
from eproba.store.tables import DraftRow
from eproba.web.new_trial.following import follow
from eproba.web.new_trial.sheet import SHEETS_OWN, SheetPage, hold_pots, sheet_page, take_said, take_way, words_of
from eproba.web.new_trial.steps.chance import ChanceStep
from eproba.web.new_trial.steps.deal import deal_page
from eproba.web.new_trial.steps.step import Answers, Typed, Walk, first_of
from eproba.web.new_trial.walking import (
    DEAL,
    NAMES,
    Tried,
    answers_against,
    answers_of,
    bench,
    first_answers,
    steps,
    walk_of,
)
from eproba.web.ui.clock import now, today
from eproba.web.ui.fields import whole
from eproba.web.ui.session import db, who
from eproba.web.ui.units import sentence
from eproba.web.verdict.keeping import commit

new_trial = Blueprint("new_trial", __name__, template_folder="templates")
DRAFT = "/trials/new/<int:draft_id>"
SHEET = "sheet"
STEP = f"{DRAFT}/<any({', '.join(NAMES)}):name>"
FOLD = f"{DRAFT}/{SHEET}/<any({', '.join(NAMES)}):name>"
NOT_TOLD = ("places", "auto", "proposal", "among", "cuts", "shown_in")  # what no person reads in a field


@new_trial.route("/trials/new", methods=["GET", "POST"])
def begin() -> ResponseReturnValue:
    """Start a plan; typed or bookmarked, the address goes on with the last one in which nothing was typed yet."""
    if request.method == "GET" and (untouched := untouched_draft(db(), first_answers(today()))) is not None:
        return redirect(_address(untouched, SHEET))
    drop_forgotten(db(), now())
    draft_id = new_draft(db(), first_answers(today()), now())
    commit()
    return redirect(_address(draft_id, SHEET))


@new_trial.post("/trials/new/against")
def against() -> ResponseReturnValue:
    """Two recipes, or two schools of one, against each other; or one against what is fair: the sheet, filled."""
    known = bench().known.recipes
    tried = [Tried(request.form.get(name, ""), request.form.get(f"{name}-how", "")[:60]) for name in ("one", "other")]
    if tried[0].recipe not in known or (tried[1].recipe not in known and tried[1].recipe != ""):
        abort(404, "There is no such recipe.")
    if tried[0] == tried[1]:
        abort(400, "Both are the same: choose another one to compare it with.")
    if tried[1].recipe:
        answers = answers_against((tried[0], tried[1]), today())
    else:
        answers = first_answers(today())
        take_said(answers, {**words_of(answers, bench()), "thing": known[tried[0].recipe].title}, bench())
    draft_id = new_draft(db(), answers, now())
    commit()
    return redirect(_address(draft_id, SHEET))


@new_trial.post("/trials/new/like")
def like() -> ResponseReturnValue:
    """A trial of what is named, as it would have to be: the sheet, filled."""
    answers = first_answers(today())
    for slots in (("thing", "crop"), ("measure",)):  # a crop leads to its measure
        said = {slot: request.form[slot] for slot in slots if request.form.get(slot, "").strip()}
        take_said(answers, words_of(answers, bench()) | said, bench())
    draft_id = new_draft(db(), answers, now())
    commit()
    return redirect(_address(draft_id, SHEET))


def _draft_or_404(draft_id: int) -> DraftRow:
    return draft_of(db(), draft_id) or abort(404, "This draft is gone: it was thrown away, or its lots were dealt.")


@new_trial.get(f"{DRAFT}/{SHEET}")
def sheet(draft_id: int) -> ResponseReturnValue:
    """The whole trial on one sheet."""
    draft = _draft_or_404(draft_id)
    return _sheet(draft, sheet_page(answers_of(draft), bench()))


@new_trial.post(f"{DRAFT}/{SHEET}")
def keep_sheet(draft_id: int) -> ResponseReturnValue:
    """Keep what the sentence says, then do what was pressed: deal the lots, take a help, open a fold."""
    draft, go = hold_draft(db(), draft_id), request.form.get("go", "")
    answers = _as_said(draft)
    problem, leads = _pressed(answers, go)
    try:
        _save_all(draft, answers)
    except Changed as error:
        return _sheet(draft, sheet_page(answers, bench()), sentence(error)), 409
    shown = sheet_page(answers, bench(), whole(request.form.get("deals", "")) or 0, checked=go == DEAL)
    if go == DEAL and shown.is_ready:
        return _deal(draft_id, walk_of(answers))
    if go == DEAL or problem:
        return _sheet(draft, shown, problem or shown.problem or "Something is missing yet: it stands at its word."), 400
    return redirect(_address(draft_id, leads or (go if go in NAMES else SHEET)))


@new_trial.post(f"{DRAFT}/{SHEET}/again")
def sheet_again(draft_id: int) -> ResponseReturnValue:
    """All that follows from the sentence, while it is being typed; and the fold that is open."""
    draft = hold_draft(db(), draft_id)
    answers, version = _as_said(draft), dict[str, str]()
    try:
        _save_all(draft, answers)
        version = {"X-Step-Version": str(_version(draft))}
    except Changed:
        pass  # the sheet itself will say it
    opened = request.form.get("opened", "")
    return _parts(draft, answers, _fold(draft, opened, answers) if opened in NAMES else None), 200, version


@new_trial.get(FOLD)
def fold(draft_id: int, name: StepName) -> str:
    """One step, opened on the sheet."""
    draft = _draft_or_404(draft_id)
    return render_template("new_trial/fold.html", draft_id=draft.id, **_fold(draft, name, answers_of(draft)))


@new_trial.post(FOLD)
def keep_fold(draft_id: int, name: StepName) -> ResponseReturnValue:
    """Keep what was typed in a fold, do what was pressed there; all of the sheet that follows from it."""
    draft, go = hold_draft(db(), draft_id), request.form.get("go", "")
    before, form = answers_of(draft), _typed(name)
    walk = walk_of(_followed(before, name))
    problem, leads = _acted(walk, name, before[name], go)
    hold_pots(before, walk.answers, bench())
    try:
        _save_all(draft, walk.answers)
    except Changed as error:
        problem = sentence(error)
    headers = {"X-Step-Version": str(_version(draft))}
    if go or problem or leads or _asks_otherwise(form, before[name], walk.answers[name], name):
        headers["X-Step-Again"] = "1"
    return _parts(draft, walk.answers, _fold(draft, name, walk.answers, problem)), 200, headers


def _parts(draft: DraftRow, answers: Answers, opened: Mapping[str, object] | None) -> str:
    shown = sheet_page(answers, bench(), whole(request.form.get("deals", "")) or 0)
    return render_template("new_trial/sheet_parts.html", draft_id=draft.id, page=shown, opened=opened)


def _fold(draft: DraftRow, name: StepName, answers: Answers, problem: str = "") -> dict[str, object]:
    """What the page of a fold shows."""
    walk = walk_of(answers)
    step = walk.steps[name]
    return {
        "name": name, "walk": walk, "page": step.page(walk), "form": walk.forms[name], "problem": problem,
        "advice": merged(step.advice(walk)), "seen": _version(draft), "folded": True,
    }  # fmt: skip


def _sheet(draft: DraftRow, shown: SheetPage, problem: str = "") -> str:
    offered = {
        "thing": [recipe.title for recipe in offered_recipes(db()).values() if recipe.family != "controls"],
        "crop": [name for kind in crops().values() for name in kind.names],
    }
    return render_template(
        "new_trial/sheet.html", draft_id=draft.id, page=shown, problem=problem, seen=_version(draft), offered=offered
    )  # fmt: skip


def _as_said(draft: DraftRow) -> Answers:
    """The answers with what the sentence says now."""
    answers = copy.deepcopy(answers_of(draft))
    take_said(answers, request.form, bench())
    return answers


def _pressed(answers: Answers, go: str) -> tuple[str, StepName | None]:
    """Do in place what was pressed; where a gardener has to choose, the step where that is done."""
    if not go.startswith("help-"):
        try:
            take_way(answers, go, bench())
        except EprobaError as error:
            return sentence(error), None
        return "", None
    walk = walk_of(answers)
    problem, leads = _acted(walk, "chance", answers["chance"], go)
    return problem, leads if leads in ("treatments", "days") else None


def _save_all(draft: DraftRow, answers: Answers) -> None:
    """Keep every step that the sentence changed, over the plan that it was made from. Raises Changed."""
    seen = whole(request.form.get("seen", ""))
    if seen is not None and seen != _version(draft):
        text = "This plan was changed in another window since you opened it. Yours is still in the fields"
        raise Changed(f"{text}; go on if it is right.")
    keep_steps(db(), draft, answers, now(), {})
    commit()


def _version(draft: DraftRow) -> int:
    """How often its steps were changed."""
    return sum(draft.versions.values())


@new_trial.get(STEP)
def step(draft_id: int, name: StepName) -> ResponseReturnValue:
    draft = _draft_or_404(draft_id)
    return _page(draft, name, walk_of(answers_of(draft)), checked="check" in request.args)


@new_trial.post(STEP)
def keep(draft_id: int, name: StepName) -> ResponseReturnValue:
    """Keep what was typed, then go where asked; on to the next step only when this one is right."""
    draft = hold_draft(db(), draft_id)
    before, go = answers_of(draft), request.form.get("go", "next")
    walk = walk_of(_followed(before, name))
    problem, leads = _acted(walk, name, before[name], go)
    hold_pots(before, walk.answers, bench())
    try:
        _save(draft, before, walk.answers, name)
    except Changed as error:
        return _page(draft, name, walk, sentence(error), _differences(before[name], walk.answers[name])), 409
    walk = walk_of(walk.answers)
    if go == "next" and not problem:
        problem = walk.steps[name].wrong(walk)
    if problem or (go == "next" and not walk.right[name]):
        return _page(draft, name, walk, problem), 400
    if leads is not None and leads != name:
        flash("Taken into the plan. See how this step takes it.")
    return redirect(_elsewhere(draft_id, go) or _address(draft_id, leads or _target(name, go)))


def _followed(before: Answers, name: StepName) -> Answers:
    """All steps with this one as typed, and what follows from it elsewhere."""
    kept = {field: texts for field, texts in before[name].items() if field.startswith(SHEETS_OWN)}
    answers = {**copy.deepcopy(before), name: kept | _typed(name)}
    follow(before, answers, bench().known)
    return answers


def _acted(walk: Walk, name: StepName, before: Typed, go: str) -> tuple[str, StepName | None]:
    """Do what a button does; what is in its way, and where it leads."""
    try:
        leads = walk.steps[name].act(walk, before, go)
    except EprobaError as error:
        return sentence(error), None
    return "", leads


def _typed(name: StepName) -> Typed:
    """The step as typed."""
    form = {key: request.form.getlist(key) for key in request.form if key not in ("csrf_token", "go", "seen")}
    return steps()[name].tidied(form)


def _save(draft: DraftRow, before: Answers, answers: Answers, name: StepName) -> None:
    """Keep the steps that changed, this one over the version that its form was made from."""
    changed = {step: typed for step, typed in answers.items() if step == name or typed != before[step]}
    seen = whole(request.form.get("seen", ""))
    keep_steps(db(), draft, changed, now(), {} if seen is None else {name: seen})
    commit()


def _saved_on_the_way(draft: DraftRow, before: Answers, answers: Answers, name: StepName) -> dict[str, str]:
    """Keep what is still being typed: the version that its page then stands on. None where another window was quicker:
    the step itself will say it.
    """
    try:
        _save(draft, before, answers, name)
    except Changed:
        return {}
    return {"X-Step-Version": str(draft.versions.get(name, 0))}


def _differences(theirs: Mapping[str, list[str]], mine: Mapping[str, list[str]]) -> list[tuple[str, str]]:
    """What stands in fields that somebody else filled otherwise: (field, text)."""
    return [
        (key.replace("-", " ").replace("_", " "), ", ".join(texts) or "empty")
        for key, texts in theirs.items()
        if mine.get(key) != texts and key not in NOT_TOLD
    ]


def _elsewhere(draft_id: int, go: str) -> str:
    """A place outside the planner that comes back to it."""
    return url_for("measures.index", draft=draft_id) if go == "own" else ""


def _target(name: str, go: str) -> str:
    places = [*NAMES, DEAL]
    if go in (*places, SHEET):
        return go
    move = {"next": 1, "back": -1}.get(go, 0)
    return places[max(0, places.index(name) + move)]


def _address(draft_id: int, name: str) -> str:
    if name in (DEAL, SHEET):
        return url_for("new_trial.overview" if name == DEAL else "new_trial.sheet", draft_id=draft_id)
    return url_for("new_trial.step", draft_id=draft_id, name=name)


def _page(
    draft: DraftRow, name: StepName, walk: Walk, problem: str = "", theirs: Sequence[tuple[str, str]] = (),
    checked: bool = True,
) -> str:  # fmt: skip
    """A step's page. `theirs`: what somebody else wrote into fields that hold something else here; `checked`: what is
    wrong stands at its field (not yet on a page that is opened for the first time)."""
    shown, advice = walk.steps[name].page(walk), merged(walk.steps[name].advice(walk))
    if not checked:
        _unsay(walk.forms[name])
    return render_template(
        "new_trial/steps.html", draft_id=draft.id, seen=draft.versions.get(name, 0), name=name, walk=walk, page=shown,
        form=walk.forms[name], problem=problem, theirs=theirs, advice=advice, folded=False,
    )  # fmt: skip


def _unsay(fields: Iterable[Field]) -> None:
    """What is still empty is no mistake yet."""
    for field in fields:
        if isinstance(field, FieldList | FormField):
            _unsay(field)
        else:
            field.errors = ()


@new_trial.post(f"{STEP}/typed")
def typed(draft_id: int, name: StepName) -> ResponseReturnValue:
    """Keep a step while it is being typed, so that a reload or an empty battery loses nothing."""
    draft = hold_draft(db(), draft_id)
    before, form = answers_of(draft), _typed(name)
    answers = _followed(before, name)
    told = _saved_on_the_way(draft, before, answers, name)
    again = _asks_otherwise(form, before[name], answers[name], name)
    return "", 204, told | ({"X-Step-Again": "1"} if again else {})


def _asks_otherwise(form: Typed, before: Typed, answers: Typed, name: StepName) -> bool:
    """Whether the step asks something else now, or something in it follows what was typed, so that its page is old."""
    leads = any(first_of(form, field) != first_of(before, field) for field in steps()[name].leads)
    return leads or any(first_of(form, field) != first_of(answers, field) for field in form)


@new_trial.post(f"{DRAFT}/sentence")
def sentence_again(draft_id: int) -> ResponseReturnValue:
    """The built sentence alone, while the claim is being typed."""
    walk = walk_of(_followed(answers_of(_draft_or_404(draft_id)), "claim"))
    return render_template("new_trial/sentence.html", page=walk.steps["claim"].page(walk))


@new_trial.post(f"{DRAFT}/proposals")
def cut_again(draft_id: int) -> ResponseReturnValue:
    """The proposals alone, for the page to show while the ground is being drawn."""
    draft = hold_draft(db(), draft_id)
    before = answers_of(draft)
    walk = walk_of(_followed(before, "ground"))
    told = _saved_on_the_way(draft, before, walk.answers, "ground")
    return render_template("new_trial/proposals.html", page=walk.steps["ground"].page(walk)), 200, told


@new_trial.post(f"{DRAFT}/chances")
def chances_again(draft_id: int) -> ResponseReturnValue:
    """The picture and its figures alone, while units, noise or worth are moved."""
    walk = walk_of(answers_of(_draft_or_404(draft_id)))
    return render_template(
        "new_trial/chances.html", page=ChanceStep().page(walk, request.form), walk=walk,
        folded=False,
    )  # fmt: skip


@new_trial.route(f"{DRAFT}/deal", methods=["GET", "POST"])
def overview(draft_id: int) -> ResponseReturnValue:
    draft = _draft_or_404(draft_id)
    if request.form.get("go") in (*NAMES, SHEET):
        return redirect(_address(draft_id, request.form["go"]))
    walk = walk_of(answers_of(draft))
    try:
        shown = deal_page(walk)
    except EprobaError as error:
        flash(sentence(error))
        return redirect(url_for("new_trial.step", draft_id=draft_id, name=getattr(error, "step", "claim"), check=1))
    if request.method == "POST":
        return _deal(draft_id, walk)
    return render_template(
        "new_trial/deal.html", draft_id=draft_id, name=DEAL, walk=walk, page=shown, advice=shown.advice, seen=0
    )


def _deal(draft_id: int, walk: Walk) -> ResponseReturnValue:
    """The lots fall: the draft becomes a trial, once."""
    plan = plan_of(walk.draft, walk.known)
    deals = take_draft(db(), draft_id)
    trial_id = create_trial(db(), plan, secrets.token_hex(8), now(), who(), deals)
    commit()
    return redirect(url_for("trials.show", trial_id=trial_id, dealt=1))


@new_trial.post(f"{DRAFT}/throw-away")
def throw_away(draft_id: int) -> ResponseReturnValue:
    throw_away_draft(db(), draft_id)
    commit()
    return redirect(url_for("trials.index"))
