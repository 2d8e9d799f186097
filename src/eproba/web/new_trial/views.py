"""Planning a trial, step by step, back and forth without losing anything."""

import copy
import re
import secrets
from collections.abc import Mapping, Sequence
from contextlib import suppress
from typing import Any

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.brewing.recipe import Recipe
from eproba.core.catalogue import promises
from eproba.core.errors import EprobaError
from eproba.core.planning.advice import Advice, on_days, on_guard, on_place, on_treatments, on_units, on_weekday
from eproba.core.planning.claims import AGAINST, questions_answered
from eproba.core.planning.plan import LETTERS, Plan, dealt_units
from eproba.core.trial.days import RHYTHMS, DaysError, calendar, proposed_rounds
from eproba.core.trial.doses import is_poured
from eproba.core.trial.ground import GroundError, borders
from eproba.core.trial.lots import LotsError
from eproba.core.trial.model import ROLES
from eproba.core.trial.worth import as_kept
from eproba.core.words import parse_number
from eproba.store.commands.drafts import drop_draft, hold_draft, keep_steps, new_draft, take_draft
from eproba.store.commands.locks import Changed
from eproba.store.commands.trials import create_trial
from eproba.store.drafts import draft_of
from eproba.store.measures import all_measures
from eproba.store.recipes import all_recipes
from eproba.store.tables import DraftRow
from eproba.web.new_trial.answers import (
    TREATMENT_FIELDS,
    Answers,
    Forms,
    advised_guard,
    asked_keys,
    built_sentence,
    carry_claim,
    chosen_proposal,
    drawn,
    drawn_site,
    first_answers,
    forms_from,
    guard_cm,
    plan_from,
    planned_measures,
    proposed,
    rhythm_of,
    take_claim,
)
from eproba.web.new_trial.forms import STEPS, TITLES
from eproba.web.pictures.ground_plan import ground_plan
from eproba.web.pictures.weeks import Task, weeks
from eproba.web.ui.clock import now, today
from eproba.web.ui.fields import whole
from eproba.web.ui.looks import looks
from eproba.web.ui.session import db, who

new_trial = Blueprint("new_trial", __name__, template_folder="templates")
STEP = "/trials/new/<int:draft_id>/<any(claim, measure, treatments, ground, chance, days, rules):name>"
LADDER = (("1 in 20", "1", "19"), ("1 in 10", "2", "9"), ("1 in 5", "3", "4"))


@new_trial.post("/trials/new")
def begin() -> ResponseReturnValue:
    draft_id = new_draft(db(), first_answers(today()), now())
    db().commit()
    return redirect(url_for("new_trial.step", draft_id=draft_id, name="claim"))


def _draft_or_404(draft_id: int) -> DraftRow:
    return draft_of(db(), draft_id) or abort(404, "This draft is gone: it was thrown away, or its lots were dealt.")


def _answers(draft: DraftRow) -> Answers:
    """What was typed; steps that an older plan did not have begin with the usual."""
    return {name: draft.answers.get(name, usual) for name, usual in first_answers(today()).items()}


@new_trial.get(STEP)
def step(draft_id: int, name: str) -> ResponseReturnValue:
    draft = _draft_or_404(draft_id)
    forms = forms_from(_answers(draft), all_measures(db()))
    if request.args.get("check"):
        forms[name].validate()
    return _page(draft, name, forms)


@new_trial.post(STEP)
def keep(draft_id: int, name: str) -> ResponseReturnValue:
    """Keep what was typed, then go where asked; on to the next step only when this one is right."""
    draft = hold_draft(db(), draft_id)
    before = _answers(draft)
    answers = {**copy.deepcopy(before), name: _typed()}
    go = request.form.get("go", "next")
    if name == "chance" and go == "next" and _moved(answers):
        go = "take"
    _act(answers, name, go)
    try:
        _save(draft, before, answers, name)
    except Changed as error:
        theirs = _differences(before[name], answers[name])
        return _page(draft, name, forms_from(answers, all_measures(db())), str(error), theirs), 409
    forms = forms_from(answers, all_measures(db()))
    problem = "" if go != "next" else _wrong(name, forms)
    if go == "next" and (forms[name].errors or problem):
        return _page(draft, name, forms, problem), 400
    return redirect(_address(draft_id, _target(name, go)))


def _typed() -> dict[str, list[str]]:
    """The step as typed."""
    return {key: request.form.getlist(key) for key in request.form if key not in ("csrf_token", "go", "seen")}


def _save(draft: DraftRow, before: Answers, answers: Answers, name: str) -> None:
    """Keep the steps that changed, this one over the version that its form was made from."""
    changed = {step: typed for step, typed in answers.items() if step == name or typed != before[step]}
    seen = whole(request.form.get("seen", ""))
    keep_steps(db(), draft, changed, now(), {} if seen is None else {name: seen})
    db().commit()


def _differences(theirs: Mapping[str, list[str]], mine: Mapping[str, list[str]]) -> list[tuple[str, str]]:
    """What stands in fields that somebody else filled otherwise: (field, text)."""
    return [
        (key.replace("-", " ").replace("_", " "), ", ".join(texts) or "empty")
        for key, texts in theirs.items()
        if mine.get(key) != texts and key not in ("places", "auto", "proposal")
    ]


def _act(answers: Answers, name: str, go: str) -> None:
    """What a button does besides going somewhere."""
    if name == "treatments":
        answers[name] = _rows_changed(answers[name], go)
    if name == "claim":
        _take_claim(answers, go)
        carry_claim(answers)
        if go == "next" and not _first(answers, "claim", "claim") and _first(answers, "claim", "thing"):
            forms = forms_from(answers, all_measures(db()))
            answers["claim"]["claim"] = [built_sentence(forms, all_measures(db()))]
    if name == "chance" and go == "take":
        _take_chance(answers)


def _take_claim(answers: Answers, go: str) -> None:
    """“take-tired_bed-1”: the second claim of a promise from the bank."""
    found = re.fullmatch(r"take-(\w+)-(\d{1,3})", go, re.ASCII)
    claims = promises()[found[1]].claims if found and found[1] in promises() else ()
    if found and int(found[2]) < len(claims):
        claim = claims[int(found[2])]
        take_claim(answers, claim, all_measures(db())[claim.measure])


def _first(answers: Answers, name: str, field: str) -> str:
    return (answers[name].get(field) or [""])[0].strip()


def _moved(answers: Answers) -> bool:
    """Whether units or worth stand elsewhere on the chance page than in the plan."""
    forms = forms_from(answers, all_measures(db()))
    if not all(forms[name].validate() for name in ("measure", "ground", "chance")):
        return False
    try:
        plan = {"units": chosen_proposal(forms).units_each, "worth": forms["measure"].worth.number}
        typed = {key: parse_number(_first(answers, "chance", key)) for key in plan if _first(answers, "chance", key)}
    except EprobaError:
        return False
    return any(plan[key] is not None and abs(plan[key] - number) > 1e-9 for key, number in typed.items())


def _take_chance(answers: Answers) -> None:
    """Units, worth and noise as set on the chance page become the plan's; the ground shows how it takes them."""
    flash("Taken into the plan. See how the ground takes it.")
    for key, step, field in (("units", "ground", "units_each"), ("worth", "measure", "worth")):
        if typed := _first(answers, "chance", key):
            answers[step][field] = [typed]
    answers["ground"]["proposal"] = [""]


def _wrong(name: str, forms: Forms) -> str:
    """Why this step can't be left, as far as its own fields do not say it."""
    if not forms[name].validate():
        return ""
    try:
        if name == "ground":
            chosen_proposal(forms)
        if name == "days" and forms["measure"].validate():
            rhythm_of(forms, all_measures(db()))
    except (GroundError, DaysError) as error:
        return str(error)
    return ""


def _target(name: str, go: str) -> str:
    names = list(TITLES)
    if go in names:
        return go
    if go == "take":
        return "ground" if name == "chance" else name
    move = {"next": 1, "back": -1}.get(go, 0)
    return names[max(0, names.index(name) + move)]


def _address(draft_id: int, name: str) -> str:
    if name == "deal":
        return url_for("new_trial.overview", draft_id=draft_id)
    return url_for("new_trial.step", draft_id=draft_id, name=name)


def _rows_changed(typed: dict[str, list[str]], go: str) -> dict[str, list[str]]:
    """Add or take away a row of treatments, the others moving up; or make the first one a ladder of strengths."""
    named = (re.fullmatch(r"treatments-(\d{1,2})-\w+", key, re.ASCII) for key in typed)
    numbers = sorted({int(found[1]) for found in named if found})
    rows = [
        {field: (typed.get(f"treatments-{n}-{field}") or [""])[0] for field in TREATMENT_FIELDS}
        for n in numbers
        if go != f"remove-{n}"
    ]
    if go == "add" and len(rows) < len(LETTERS):
        rows.append(dict.fromkeys(TREATMENT_FIELDS, "") | {"role": "test"})
    if go == "ladder":
        rows = _ladder(rows)
    changed = {key: value for key, value in typed.items() if not key.startswith("treatments-")}
    for n, row in enumerate(rows):
        changed |= {f"treatments-{n}-{field}": [value] for field, value in row.items()}
    return changed


def _ladder(rows: list[dict[str, str]]) -> list[dict[str, str]]:
    """The first tested treatment in three strengths, the control as its lowest rung."""
    first = next((row for row in rows if row["role"] == "test"), rows[0])
    rungs = [
        {**first, "name": f"{first['name']} {how}".strip(), "how": how, "rung": rung, "water_parts": water}
        for how, rung, water in LADDER
    ]
    others = [row for row in rows if row is not first]
    for row in others:
        if row["role"] in ("water control", "untreated") and all(not other["rung"] for other in others):
            row["rung"] = "0"
    return [*rungs, *others][: len(LETTERS)]


def _page(draft: DraftRow, name: str, forms: Forms, problem: str = "", theirs: Sequence[tuple[str, str]] = ()) -> str:
    """A step's page. `theirs`: what somebody else wrote into fields that hold something else here."""
    measures = all_measures(db())
    shown: dict[str, Any] = {"forms": forms, "measures": measures, "roles": ROLES, "letters": LETTERS}
    if name == "claim":
        shown |= {"promises": promises().values(), **_sentence(forms)}
    if name == "treatments":
        roles = [entry.form.role.data for entry in forms["treatments"].treatments]
        shown |= {"questions": questions_answered(roles), "recipes": all_recipes(db())}
        shown["chosen_cautions"] = _cautions(forms, shown["recipes"])
        for entry in forms["treatments"].treatments:
            named = ((key, recipe.title) for key, recipe in shown["recipes"].items())
            entry.form.recipe.choices = [("", "none of the recipes"), *named]
    if name == "ground":
        shown |= _cut(forms) | {"guard": advised_guard(forms["measure"])}
        if forms["ground"].validate():
            forms["ground"].places.data = drawn(drawn_site(forms))
    if name == "chance":
        shown |= _chances(forms)
    if name == "days":
        shown |= _calendar(forms)
    return render_template(
        f"new_trial/{name}.html",
        draft_id=draft.id,
        seen=draft.versions.get(name, 0),
        name=name,
        titles=TITLES,
        form=forms[name],
        problem=problem,
        theirs=theirs,
        advice=_advice(name, forms),
        **shown,
    )


def _cautions(forms: Forms, known: dict[str, Recipe]) -> list[str]:
    """What the chosen recipes are not to be used on: the cautions that decide whether they fit the plan at all."""
    chosen = [known[row.form.recipe.data] for row in forms["treatments"].treatments if row.form.recipe.data in known]
    deciding = ("raw_manure", "raw_leaves", "herbicide", "arsenic", "aquarium", "dogs")
    return list(dict.fromkeys(key for recipe in chosen for key in recipe.all_cautions if key in deciding))


def _sentence(forms: Forms) -> dict[str, Any]:
    """The claim as the trial will ask it, part by part."""
    measures = all_measures(db())
    sentence = built_sentence(forms, measures)
    return {"sentence": sentence, "rhythms": RHYTHMS, "against": AGAINST, "forms": forms, "measures": measures}


@new_trial.post("/trials/new/<int:draft_id>/sentence")
def sentence_again(draft_id: int) -> ResponseReturnValue:
    """The built sentence alone, while the claim is being typed."""
    answers = {**_answers(_draft_or_404(draft_id)), "claim": _typed()}
    forms = forms_from(answers, all_measures(db()))
    return render_template("new_trial/sentence.html", **_sentence(forms))


def _cut(forms: Forms) -> dict[str, Any]:
    """The cutter's proposals with what each can show, or why nothing fits."""
    measures = all_measures(db())
    if not forms["ground"].validate():
        return {"proposals": [], "cut_problem": next(iter(forms["ground"].errors.values()))[0], "chosen": ""}
    ready = forms["measure"].validate() and forms["chance"].validate()
    first = measures.get(forms["measure"].measure.data or "")
    try:
        found = proposed(forms)
    except GroundError as error:
        return {"proposals": [], "cut_problem": str(error), "chosen": ""}
    from eproba.core.planning.chance import ChanceError  # the statistics are heavy: only where they are needed
    from eproba.web.new_trial.outlook import ProposalShown, shown_proposals

    plain = [ProposalShown(each, None, "Choose measure and worth to see its chance.") for each in found]
    try:
        shown = shown_proposals(forms, found, first) if ready and first else plain
    except ChanceError as error:
        return {"proposals": plain, "cut_problem": str(error), "chosen": found[0].key}
    site = drawn_site(forms)
    pictures = {each.key: ground_plan(site, [(cut, None) for cut in each.cuts], {}) for each in found}
    keys = [each.key for each in found]
    kept = forms["ground"].proposal.data
    return {
        "proposals": shown,
        "pictures": pictures,
        "cut_problem": "",
        "chosen": kept if kept in keys else keys[0],
    }


@new_trial.post("/trials/new/<int:draft_id>/proposals")
def cut_again(draft_id: int) -> ResponseReturnValue:
    """The proposals alone, for the page to show while the ground is being drawn."""
    draft = hold_draft(db(), draft_id)
    before = _answers(draft)
    answers = {**before, "ground": _typed()}
    with suppress(Changed):  # the step itself will say it
        _save(draft, before, answers, "ground")
    page = render_template("new_trial/proposals.html", **_cut(forms_from(answers, all_measures(db()))))
    return page, 200, {"X-Step-Version": str(draft.versions.get("ground", 0))}


def _chances(forms: Forms, typed: Any = None) -> dict[str, Any]:
    """The chance page's figures, with other units, noise or worth where typed."""
    forms["chance"].validate()
    if not all(forms[name].validate() for name in ("measure", "ground")):
        return {"outlook": None, "chance_problem": "Measure and ground must be right first: look at those steps."}
    measures = all_measures(db())
    from eproba.web.new_trial.outlook import outlook  # the statistics are heavy: only where they are needed

    try:
        wanted = _wanted(forms, typed or {})
        seen = outlook(forms, chosen_proposal(forms), measures, wanted)
    except EprobaError as error:
        return {"outlook": None, "chance_problem": str(error)}
    return {"outlook": seen, "chance_problem": "", "first": measures[forms["measure"].measure.data]}


def _wanted(forms: Forms, typed: Any) -> dict[str, Any]:
    """Units, noise, worth and blocks as moved on the page; empty ones stay as planned."""
    scale = forms["measure"].scale.data
    wanted: dict[str, Any] = {}
    for key in ("units", "noise", "worth"):
        text = str(typed.get(key, "")).strip()
        if text:
            number = parse_number(text)
            wanted[key] = number if key == "units" else as_kept(number, scale)
    if "units" in wanted:
        wanted["units"] = int(wanted["units"])
    if typed.get("blocks") in ("yes", "no"):
        wanted["blocks"] = typed["blocks"] == "yes"
    return wanted


@new_trial.post("/trials/new/<int:draft_id>/chances")
def chances_again(draft_id: int) -> ResponseReturnValue:
    """The picture and its figures alone, while units, noise or worth are moved."""
    forms = forms_from(_answers(_draft_or_404(draft_id)), all_measures(db()))
    return render_template("new_trial/chances.html", **_chances(forms, request.form))


def _calendar(forms: Forms) -> dict[str, Any]:
    """Every day's work with its minutes."""
    measures = all_measures(db())
    ready = all(forms[name].validate() for name in ("measure", "treatments", "ground", "days", "rules"))
    if not ready:
        return {"weeks": [], "total": 0, "proposed": [], "days_problem": ""}
    measure, start = forms["measure"], forms["measure"].start
    asked = [measures[key] for key in asked_keys(measure)]
    try:
        rhythm, proposal = rhythm_of(forms, measures), chosen_proposal(forms)
    except (DaysError, GroundError) as error:
        return {"weeks": [], "total": 0, "proposed": [], "days_problem": str(error)}
    poured = sum(entry.form.role.data != "untreated" for entry in forms["treatments"].treatments)
    pulls = forms["days"].pull_list or [rhythm.decision_day]
    per_unit = [(measures[m.key], m.per_unit) for m in planned_measures(measure, measures)]
    loads = calendar(rhythm, start, per_unit, len(proposal.cuts), poured * proposal.units_each, pulls)
    tasks = [task for load in loads for task in _tasks(load)]
    return {
        "weeks": weeks(tasks, start, loads[-1].on, forms["days"].weekdays.data),
        "total": sum(load.minutes for load in loads),
        "busiest": max(load.minutes for load in loads),
        "proposed": proposed_rounds(asked, rhythm.decision_day),
        "rhythm": rhythm,
        "why": list(dict.fromkeys(RHYTHMS[each.rhythm] for each in asked)),
        "destructive": [each.name for each in asked if each.destructive],
        "days_problem": "",
    }


def _tasks(load: Any) -> list[Task]:
    words = []
    if load.round:
        words.append(("round", "Baseline" if load.day == 0 else "Round"))
    if load.pull:
        words.append(("pull", "Pull, by lot"))
    if load.pour:
        words.append(("pour", "Pour"))
    return [Task(load.on, kind, text, load.minutes if i == 0 else 0.0) for i, (kind, text) in enumerate(words)]


def _advice(name: str, forms: Forms) -> list[Advice]:
    """Advice on one step, as far as what was typed can be read."""
    measures, measure, treatments = all_measures(db()), forms["measure"], forms["treatments"]
    first = measures.get(measure.measure.data or "")
    if name == "treatments":
        poured = is_poured(treatments.amount_unit.data or "")
        batches = whole(treatments.batches.data or "") or 1
        return on_treatments([entry.form.role.data for entry in treatments.treatments], poured, batches)
    if name == "ground" and forms["ground"].validate() and first:
        try:
            chosen = chosen_proposal(forms)
        except GroundError:
            return []
        guard = on_guard(first, guard_cm(forms), chosen.cuts[0].kind)
        return on_units(chosen.dealing, chosen.units_each, len(treatments.treatments)) + guard
    if name == "measure" and measure.validate() and first:
        return on_days(first, int(measure.decision_day.number or 1)) + on_place(first)
    if name == "days" and measure.validate() and forms["days"].validate():
        return on_weekday(measure.start, int(measure.decision_day.number or 1), forms["days"].weekdays.data)
    return []


@new_trial.route("/trials/new/<int:draft_id>/deal", methods=["GET", "POST"])
def overview(draft_id: int) -> ResponseReturnValue:
    draft = _draft_or_404(draft_id)
    answers = _answers(draft)
    if request.form.get("go") in STEPS:
        return redirect(_address(draft_id, request.form["go"]))
    measures = all_measures(db())
    forms = forms_from(answers, measures)
    for name, form in forms.items():
        if not form.validate():
            flash("Something is still open in this step.")
            return redirect(url_for("new_trial.step", draft_id=draft_id, name=name, check=1))
    try:
        plan = plan_from(forms, measures)
        preview = dealt_units(plan, "only a preview")
    except (GroundError, DaysError, LotsError) as error:
        flash(str(error))
        return redirect(url_for("new_trial.step", draft_id=draft_id, name=error.step))
    if request.method == "POST":
        take_draft(db(), draft_id)
        trial_id = create_trial(db(), plan, secrets.token_hex(8), now(), who())
        db().commit()
        return redirect(url_for("trials.show", trial_id=trial_id, dealt=1))
    return render_template(
        "new_trial/deal.html",
        draft_id=draft_id,
        name="deal",
        titles=TITLES,
        plan=plan,
        measures=measures,
        sentence=built_sentence(forms, measures),
        looks=looks([(letter, t.name, t.role) for letter, t in zip(plan.letters, plan.treatments, strict=True)]),
        ground=ground_plan(plan.layout.site, [(unit.cut, None) for unit in preview], {}),
        advice=[a for name in ("measure", "treatments", "ground", "days") for a in _advice(name, forms)],
        neighbours=_neighbours(plan),
    )


def _neighbours(plan: Plan) -> int:
    """Borders over which a drench, or what comes to it, may cross."""
    return borders([(cut, "") for cut in plan.layout.cuts], "", plan.layout.guard_cm)[1]


@new_trial.post("/trials/new/<int:draft_id>/throw-away")
def throw_away(draft_id: int) -> ResponseReturnValue:
    drop_draft(db(), draft_id)
    db().commit()
    return redirect(url_for("trials.index"))
