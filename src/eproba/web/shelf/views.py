"""The brew shelf: batches as vessels, what each wants next; a look at one, its straining, its end."""

from datetime import timedelta

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.brewing.batches import (
    AWAY,
    GONE,
    READY,
    Batch,
    Check,
    brewed_hours,
    dead_yeast,
    ready_window,
    ruled,
    state,
    use_by,
)
from eproba.core.errors import EprobaError
from eproba.core.words import parse_number
from eproba.exchange.photos import PhotoError, photo
from eproba.store.batches import batches, photo_of
from eproba.store.brewing import brewings
from eproba.store.commands.batches import add_batch, add_check, change_batch, lock_batch
from eproba.store.kit import household_kit
from eproba.store.recipes import all_recipes
from eproba.web.pictures.shelf import shelf as drawn_shelf
from eproba.web.pictures.shelf import vessel
from eproba.web.shelf.forms import BatchForm, CheckForm, ThrowForm, batch_made
from eproba.web.ui.clock import now
from eproba.web.ui.session import db, who

shelf = Blueprint("shelf", __name__, template_folder="templates")
AHEAD = timedelta(days=60)


def batch_or_404(batch_id: int) -> Batch:
    found = batches(db(), [batch_id])
    return found[0] if found else abort(404, "There is no such batch.")


def held_or_404(batch_id: int) -> Batch:
    """A batch about to be changed: who comes second sees what the first did."""
    lock_batch(db(), batch_id)
    return batch_or_404(batch_id)


@shelf.get("/shelf")
def index() -> ResponseReturnValue:
    every = batches(db())
    here = [batch for batch in every if state(batch, now()) not in ("used up", "thrown away")]
    gone = [batch for batch in every if state(batch, now()) in ("used up", "thrown away")]
    serves, planned = brewings(db(), now(), every)
    return render_template(
        "shelf/index.html",
        vessels=drawn_shelf(here, now()),
        gone=gone[:20],
        serves=serves,
        planned=[made for made in planned if made.start < now() + AHEAD],
        now=now(),
        state=state,
    )


@shelf.route("/batches/new", methods=["GET", "POST"])
def new() -> ResponseReturnValue:
    """Start a batch: as the recipe says, or with what was really used."""
    known, household = all_recipes(db()), household_kit(db())
    usual = {"recipe": request.args.get("recipe") or "comfrey-steep", "water": household.water}
    form = BatchForm() if request.method == "POST" else BatchForm(data=usual)
    form.recipe.choices = [(k, r.title) for k, r in known.items() if r.kind != "test" and r.family != "controls"]
    recipe = known.get(form.recipe.data or "", known["comfrey-steep"])
    if request.method == "GET":
        form.litres.data = request.args.get("litres") or f"{recipe.yields:g}"
    problem, used = "", {}
    if request.form.get("go") != "look" and form.validate_on_submit():
        try:
            used = _used(recipe.key)
        except EprobaError as error:
            problem = str(error)
        if not problem:
            batch_id = add_batch(db(), batch_made(form, recipe, used, now()), form.water.data)
            db().commit()
            flash("On the shelf. Label the vessel with what it is and the day.")
            return redirect(url_for("shelf.show", batch_id=batch_id))
    page = render_template("shelf/new.html", form=form, recipe=recipe, problem=problem, typed=request.form)
    return page, 400 if problem or form.errors else 200


def _used(recipe: str) -> dict[str, float]:
    """Amounts really used, where they were typed for this recipe."""
    if request.form.get("amounts-of") != recipe:
        return {}
    found = {}
    for name, text in request.form.items():
        if name.startswith("amount-") and text.strip():
            found[name] = parse_number(text)
            if found[name] < 0:
                raise EprobaError(f"{text} can't be: an amount is 0 or more.")
    return found


@shelf.route("/batches/<int:batch_id>", methods=["GET", "POST"])
def show(batch_id: int) -> ResponseReturnValue:
    """One batch: its life so far, and a new look at it, which is ruled on at once."""
    batch, form = batch_or_404(batch_id), CheckForm()
    problem = ""
    if form.validate_on_submit():
        problem = _look(batch, form)
        if not problem:
            return redirect(url_for("shelf.show", batch_id=batch_id))
    last = ruled(batch, now())
    page = render_template(
        "shelf/batch.html",
        batch=batch,
        vessel=vessel(batch, now()),
        form=form,
        throw_form=ThrowForm(prefix="throw-"),
        problem=problem,
        last=last,
        ready=last is not None and last.ruling == READY,
        away=last is not None and last.ruling == AWAY,
        dead=dead_yeast(batch.recipe, batch.checks),
        brewed=brewed_hours(batch, now()),
        window=ready_window(batch, now()),
        until=use_by(batch),
        gone=state(batch, now()) in GONE,
    )
    return page, 400 if problem or form.errors else 200


def _look(batch: Batch, form: CheckForm) -> str:
    """Put the look on record; returns what is in its way, if anything."""
    if state(batch, now()) == "standing":
        return "Its water still stands: there is nothing to look at before it is mixed."
    sent = form.photo.data
    try:
        kept = photo(sent.read()) if sent else None
    except PhotoError as error:
        return str(error)
    check = Check(now(), form.temperature.number, form.seen, (form.note.data or "").strip(), who())
    add_check(db(), batch.id, check, kept)
    db().commit()
    return ""


@shelf.post("/batches/<int:batch_id>/stirred")
def stirred(batch_id: int) -> ResponseReturnValue:
    """Stirring is a look without signs."""
    batch = batch_or_404(batch_id)
    last = batch.checks[-1].seen if batch.checks else {}
    add_check(db(), batch_id, Check(now(), None, last, "stirred", who()), None)
    db().commit()
    flash("Stirred.")
    return redirect(url_for("shelf.show", batch_id=batch_id))


@shelf.post("/batches/<int:batch_id>/mixed")
def mixed(batch_id: int) -> ResponseReturnValue:
    """The water has stood: the ingredients meet now."""
    if state(held_or_404(batch_id), now()) != "standing":
        abort(400, "This batch is mixed already.")
    change_batch(db(), batch_id, made_at=now())
    db().commit()
    flash("Mixed. The clock of the brew runs.")
    return redirect(url_for("shelf.show", batch_id=batch_id))


@shelf.post("/batches/<int:batch_id>/strained")
def strained(batch_id: int) -> ResponseReturnValue:
    if state(held_or_404(batch_id), now()) not in ("brewing", "ready"):
        abort(400, "Only a batch that brews or is ready can be strained.")
    change_batch(db(), batch_id, strained_at=now())
    db().commit()
    flash("Strained.")
    return redirect(url_for("shelf.show", batch_id=batch_id))


@shelf.post("/batches/<int:batch_id>/thrown")
def thrown(batch_id: int) -> ResponseReturnValue:
    if held_or_404(batch_id).thrown_at is not None:
        abort(400, "This batch was thrown away already.")
    form = ThrowForm(prefix="throw-")
    if not form.validate_on_submit():
        flash(next(iter(form.errors.values()))[0])
        return redirect(url_for("shelf.show", batch_id=batch_id))
    change_batch(db(), batch_id, thrown_at=now(), thrown_reason=(form.reason.data or "").strip())
    db().commit()
    flash("Thrown away. Wash the vessel with hot water.")
    return redirect(url_for("shelf.index"))


@shelf.get("/batches/<int:batch_id>/photos/<int:check_id>.jpg")
def picture(batch_id: int, check_id: int) -> ResponseReturnValue:
    found = photo_of(db(), batch_id, check_id)
    if found is None:
        abort(404, "There is no photo of this look.")
    return Response(found, content_type="image/jpeg", headers={"Cache-Control": "private, max-age=86400"})
