"""The brew shelf: batches as vessels, what each wants next; one batch with its events, each of them correctable."""

from dataclasses import dataclass
from datetime import timedelta

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.applying.comparing import added, carbon_warnings
from eproba.core.applying.schedule import SHARINGS
from eproba.core.brewing.batches import GONE, dead_yeast, ruling_of, standing, state
from eproba.core.brewing.clock import brewed_hours, ready_window, use_by
from eproba.core.brewing.events import Batch, Event, What, left, measured_in
from eproba.core.brewing.mixing import Mix, Want, as_made, differs, mix
from eproba.core.brewing.recipe import Portion, Recipe, in_batch_of
from eproba.core.brewing.water import ascorbic_acid, on_water
from eproba.core.errors import EprobaError
from eproba.core.quantities import portion_shown
from eproba.core.words import parse_number
from eproba.store.batches import batch_changes, batches, photo_of
from eproba.store.brewing import brewings
from eproba.store.commands.batches import add_batch, add_event, correct_batch, correct_event
from eproba.store.days import water_stood
from eproba.store.kit import household_kit
from eproba.store.recipes import offered_recipes
from eproba.web.pictures.shelf import shelf as drawn_shelf
from eproba.web.pictures.shelf import vessel
from eproba.web.shelf.forms import BatchForm, LookForm, PutRightForm, ThrowForm, batch_made
from eproba.web.stations import season
from eproba.web.ui.clock import now
from eproba.web.ui.fields import moment_of, written
from eproba.web.ui.session import db, typed_system, who
from eproba.web.ui.units import sentence, units
from eproba.web.verdict.keeping import commit

shelf = Blueprint("shelf", __name__, template_folder="templates")
AHEAD = timedelta(days=60)
DONE: dict[What, str] = {
    "mixed": "Mixed. The clock of the brew runs.", "stirred": "Stirred.", "air on": "The air runs.",
    "air off": "The air is off: from now on it keeps for hours.", "strained": "Strained.", "put cool": "Put cool.",
}  # fmt: skip


def batch_or_404(batch_id: int) -> Batch:
    batch = batches(db(), [batch_id])
    return batch[0] if batch else abort(404, "There is no such batch.")


@shelf.get("/shelf")
def index() -> ResponseReturnValue:
    every = batches(db())
    on_shelf = [batch for batch in every if state(batch, now()) not in ("used up", "thrown away")]
    gone = [batch for batch in every if state(batch, now()) in ("used up", "thrown away")]
    serves, planned = brewings(db(), now(), every, season=season())
    return render_template(
        "shelf/index.html",
        vessels=drawn_shelf(on_shelf, now(), units()),
        gone=gone[:20],
        serves=serves,
        planned=[brewing for brewing in planned if brewing.start < now() + AHEAD],
        sharings=SHARINGS,
        now=now(),
        standing=standing,
    )


@shelf.route("/batches/new", methods=["GET", "POST"])
def new() -> ResponseReturnValue:
    """Start a batch: as the recipe says, or with what was really used."""
    known, household = offered_recipes(db()), household_kit(db())
    usual = {"recipe": request.args.get("recipe") or "comfrey-steep", "water": household.water}
    wanted = known.get(request.values.get("recipe") or usual["recipe"], known["comfrey-steep"])
    unit = measured_in(wanted)
    form = BatchForm(unit) if request.method == "POST" else BatchForm(unit, data=usual)
    form.recipe.choices = [(k, r.title) for k, r in known.items() if r.kind != "test" and r.family != "controls"]
    recipe = known.get(form.recipe.data or "", known["comfrey-steep"])
    ways = [school for school in recipe.schools if school.changes]
    form.school.choices = [("", "the recipe"), *((s.name, f"{s.name}: {s.strength or s.time}") for s in ways)]
    if request.method == "GET":
        form.litres.process_data(request.args.get("litres") or f"{recipe.yields:g}")
    problem, stood_key = "", request.values.get("stood", "")
    stood = water_stood(db(), stood_key)
    if request.form.get("go") != "look" and form.validate_on_submit():
        try:
            return _put_on_the_shelf(batch_made(form, recipe, _used(recipe), now(), who(), stood))
        except EprobaError as error:
            problem = sentence(error)
    litres = _litres(form, recipe)
    page = render_template(
        "shelf/new.html",
        form=form,
        stood=stood,
        stood_key=stood_key,
        recipe=recipe,
        portions=in_batch_of(recipe, litres),
        problem=problem,
        typed=request.form,
        written_in=written_in,
        water=on_water(form.water.data, litres, units()) if recipe.liquid and form.water.data else None,
        latest=written(now()),
    )
    return page, 400 if problem or form.errors else 200


def _litres(form: BatchForm, recipe: Recipe) -> float:
    """How much is typed, right or not yet; else what the recipe makes."""
    try:
        typed = form.litres.read(form.litres.data or "")
    except EprobaError:
        return recipe.yields
    return typed if 0 < typed <= (form.litres.high or typed) else recipe.yields


def _put_on_the_shelf(batch: Batch) -> ResponseReturnValue:
    batch_id = add_batch(db(), batch)
    commit()
    flash("On the shelf. Print its label, or write on the vessel what it is and since when.")
    if batch.water == "tap with chlorine" and batch.mixed_at is not None and batch.recipe.liquid:
        flash(f"Mixed at once with chlorinated water: chlorine kills what should grow. {_hurry(batch)}")
    return redirect(url_for("shelf.show", batch_id=batch_id))


def _hurry(batch: Batch) -> str:
    return f"{ascorbic_acid(batch.litres, units()).capitalize()}."


def written_in(portion: Portion) -> tuple[float, str]:
    """How many of the unit that a form shows one of the recipe's own is, and that unit."""
    shown, unit = portion_shown(portion.amount, portion.unit, typed_system())
    return shown / portion.amount, unit


def _used(recipe: Recipe) -> dict[str, float]:
    """Amounts really used, in the units of the recipe, where they were typed for it."""
    if request.form.get("amounts-of") != recipe.key:
        return {}
    used = {}
    for portion in recipe.portions:
        text = request.form.get(f"amount-{portion.ingredient.key}", "")
        if text.strip():
            amount = parse_number(text)
            if not 0 <= amount <= MOST_USED:
                raise EprobaError(f"{text} doesn’t fit: an amount is 0 or more, up to {MOST_USED:g}.")
            used[portion.ingredient.key] = amount / written_in(portion)[0]
    return used


MOST_USED = 100_000.0


@shelf.route("/batches/<int:batch_id>", methods=["GET", "POST"])
def show(batch_id: int) -> ResponseReturnValue:
    """One batch: its life so far, and a new look at it, which is ruled on at once."""
    batch = batch_or_404(batch_id)
    form = LookForm(batch.unit)
    problem = ""
    if form.validate_on_submit():
        try:
            sent = form.photo.data
            kept = _photo(sent.read()) if sent else None
            add_event(db(), batch.id, form.event("looked at", now(), who()), now(), kept)
            commit()
            return redirect(url_for("shelf.show", batch_id=batch_id))
        except EprobaError as error:
            db().rollback()
            problem = sentence(error)
    return _page(batch, problem, form), 400 if problem or form.errors else 200


def _photo(content: bytes) -> bytes:
    """A photograph as it is kept. Raises PhotoProblem."""
    from eproba.exchange.photo_out import kept_small  # OpenCV is slow to load

    return kept_small(content)


def _page(batch: Batch, problem: str = "", form: LookForm | None = None) -> str:
    household = household_kit(db())
    right = PutRightForm(
        batch.unit,
        formdata=None,
        data={"litres": batch.litres, "place": batch.where, "name": batch.name},
        prefix="right-",
    )
    return render_template(
        "shelf/batch.html",
        batch=batch,
        vessel=vessel(batch, now(), units()),
        standing=standing(batch, now()),
        ruling=ruling_of(batch),
        form=form or LookForm(batch.unit, formdata=None),
        throw_form=ThrowForm(formdata=None, prefix="throw-"),
        right_form=right,
        problem=problem,
        dead=dead_yeast(batch, units()),
        brewed=brewed_hours(batch, now()),
        window=ready_window(batch),
        until=use_by(batch),
        left=left(batch),
        gone=state(batch, now()) in GONE,
        changes=batch_changes(db(), batch.id),
        brings=_brings(batch, household.prices),
        latest=written(now()),
    )


@dataclass(frozen=True)
class Brings:
    """What a batch brings where it is used as its recipe says, by what really went in; its price, what differs."""

    mixed: Mix
    cost: float | None
    other: list[str]
    warnings: list[str]


def _brings(batch: Batch, prices: dict[str, float]) -> Brings | None:
    really = as_made(batch.recipe, batch.amounts, batch.litres)
    try:
        mixed = mix(really, Want(area_m2=1.0))
        brought = added("", batch.title, mixed, 1, prices, 0.0)
    except EprobaError:
        return None  # a recipe of old, whose amounts can’t be put into grams
    mixed_now = mix(really, Want(area_m2=batch.litres / really.rate[1] * (sum(really.parts) if really.liquid else 1.0)))
    cost = added("", "", mixed_now, 1, prices, 0.0).cost
    total = None if cost is None or mixed_now.area_m2 is None else cost * mixed_now.area_m2
    return Brings(mixed, total, differs(batch.recipe, batch.amounts, batch.litres), carbon_warnings(brought, units()))


@shelf.post("/batches/<int:batch_id>/happened")
def happened(batch_id: int) -> ResponseReturnValue:
    """Something was done to it: mixed, stirred, strained, air on or off, put cool."""
    what = next((event for event in DONE if event == request.form.get("what")), None)
    if what is None:
        abort(400, f"What happened is one of {', '.join(DONE)}.")
    form = LookForm(batch_or_404(batch_id).unit)
    if not form.validate():
        return _page(batch_or_404(batch_id), next(iter(form.errors.values()))[0]), 400
    try:
        add_event(db(), batch_id, form.event(what, now(), who()), now())
    except EprobaError as error:
        db().rollback()
        return _page(batch_or_404(batch_id), sentence(error)), 400
    commit()
    flash(DONE[what])
    return redirect(url_for("shelf.show", batch_id=batch_id))


@shelf.post("/batches/<int:batch_id>/thrown")
def thrown(batch_id: int) -> ResponseReturnValue:
    form = ThrowForm(prefix="throw-")
    if not form.validate_on_submit():
        return _page(batch_or_404(batch_id), next(iter(form.errors.values()))[0]), 400
    try:
        at = moment_of(form.at.data or "", now())
        add_event(db(), batch_id, Event(at, "thrown away", note=(form.reason.data or "").strip(), by=who()), now())
    except EprobaError as error:
        db().rollback()
        return _page(batch_or_404(batch_id), sentence(error)), 400
    commit()
    flash("Thrown away. Wash the vessel with hot water. If it was a mistake, take it back on its page.")
    return redirect(url_for("shelf.index"))


@shelf.post("/batches/<int:batch_id>/right")
def put_right(batch_id: int) -> ResponseReturnValue:
    """How much was made, where it stands, its name: as it really is; what stood there is kept."""
    form = PutRightForm(batch_or_404(batch_id).unit, prefix="right-")
    if not form.validate_on_submit():
        return _page(batch_or_404(batch_id), next(iter(form.errors.values()))[0]), 400
    place, name = ((field.data or "").strip() for field in (form.place, form.name))
    try:
        correct_batch(db(), batch_id, float(form.litres.number or 0), place, name, who(), now())
    except EprobaError as error:
        db().rollback()
        return _page(batch_or_404(batch_id), sentence(error)), 400
    commit()
    flash("Corrected. The old version is kept below.")
    return redirect(url_for("shelf.show", batch_id=batch_id))


@shelf.route("/batches/<int:batch_id>/events/<int:event_id>", methods=["GET", "POST"])
def event(batch_id: int, event_id: int) -> ResponseReturnValue:
    """One event as it really was, or taken back."""
    batch = batch_or_404(batch_id)
    old = next((event for event in batch.events if event.id == event_id and event_id), None)
    if old is None:
        abort(404, "There is no such event any more: it was taken back.")
    form = LookForm(batch.unit) if request.method == "POST" else LookForm(batch.unit, data=_filled(old))
    problem = ""
    if form.validate_on_submit():
        back = request.form.get("go") == "back"
        try:
            correct_event(db(), batch_id, event_id, None if back else form.event(old.what, now(), old.by), who(), now())
            commit()
            flash("Taken back." if back else "Corrected. The old version is kept below.")
            return redirect(url_for("shelf.show", batch_id=batch_id))
        except EprobaError as error:
            db().rollback()
            problem = sentence(error)
    page = render_template(
        "shelf/event.html", batch=batch, event=old, form=form, problem=problem, latest=written(now())
    )
    return page, 400 if problem or form.errors else 200


def _filled(old: Event) -> dict[str, str]:
    numbers = {"temperature": old.temperature, "litres": old.litres}
    return {
        "at": written(old.at),
        "note": old.note,
        **{name: "" if value is None else f"{value:g}" for name, value in numbers.items()},
        **old.seen,
    }


@shelf.get("/batches/<int:batch_id>/label")
def label(batch_id: int) -> ResponseReturnValue:
    """A label for the vessel: what, since when, use by; not for drinking."""
    batch = batch_or_404(batch_id)
    return render_template("shelf/label.html", batch=batch, until=use_by(batch), window=ready_window(batch))


@shelf.get("/batches/<int:batch_id>/photos/<int:event_id>.jpg")
def picture(batch_id: int, event_id: int) -> ResponseReturnValue:
    picture_ = photo_of(db(), batch_id, event_id)
    if picture_ is None:
        abort(404, "There is no photo of this look.")
    return Response(picture_, content_type="image/jpeg", headers={"Cache-Control": "private, max-age=86400"})
