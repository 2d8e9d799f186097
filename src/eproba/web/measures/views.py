"""The measures: the catalogue's and one's own."""

import secrets
from dataclasses import replace
from typing import Any, cast, get_args

from flask import Blueprint, Response, abort, flash, jsonify, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf.file import FileField
from wtforms import BooleanField, RadioField, SelectField, StringField, TextAreaField, ValidationError
from wtforms.validators import InputRequired

from eproba.core.catalogue import measures as catalogue
from eproba.core.errors import EprobaError
from eproba.core.measuring.calculators import reckon
from eproba.core.measuring.measures import (
    BY_STEPS,
    GROUPS,
    MOST_SECONDS,
    WHEN,
    Kind,
    MeasureError,
    Own,
    by_group,
    inputs_typed,
    own_measure,
)
from eproba.core.quantities import System, conversion
from eproba.core.trial.worth import as_kept
from eproba.core.words import figure
from eproba.store.commands.kit import keep_kit
from eproba.store.commands.measures import add_own_measure, drop_own_measure
from eproba.store.kit import household_kit
from eproba.store.measures import all_measures, picture_of_how, pictured
from eproba.web.ui.fields import NumberField, at_most, whole
from eproba.web.ui.form import OurForm
from eproba.web.ui.session import db, system
from eproba.web.ui.units import sentence
from eproba.web.ui.zone import zone_facts
from eproba.web.verdict.keeping import commit

measures = Blueprint("measures", __name__, template_folder="templates")


OWN_KINDS: dict[Kind, str] = {
    "quantity": "a number, measured", "count": "a count", "proportion": "so many of those sown",
    "score": "a level that I describe", "class": "a class of a kit or chart", "yes or no": "yes or no",
    "day": "something that happens once: its day",
}  # fmt: skip
MOST_LEVELS = 9
UNITS = {"day": "days", "yes or no": "of units", "class": "class", "score": "levels"}


class OwnMeasureForm(OurForm):
    name = StringField("Name", [InputRequired("Name it, e.g. Flowers open."), at_most(60)])
    kind = SelectField("It is", choices=list(OWN_KINDS.items()), default="quantity")
    levels = TextAreaField("Its levels or classes in order, one a line", [at_most(900)])
    unit = StringField("Unit", [at_most(20)])
    low = NumberField("Smallest sensible value", default="0")
    high = NumberField("Largest sensible value", default="100")
    decimals = NumberField("Decimals", 0, 4, whole=True, default="0")
    better = RadioField("Better is", choices=[("higher", "more"), ("lower", "less")], default="higher")
    scale = RadioField(
        "Compared by", choices=[("difference", "differences"), ("ratio", "percent")], default="difference"
    )
    noise = NumberField("Units differ by", 0.0001, 100_000, optional=True)
    seconds = NumberField("Seconds for one unit", 1, MOST_SECONDS, whole=True, default="20")
    when = SelectField("Asked", choices=[(key, words) for key, words in WHEN.items() if key != "after a pour"])
    destructive = BooleanField("The plant is used up")
    how = StringField("How it is done", [at_most(300)])
    picture = FileField("A picture of how")

    @property
    def level_list(self) -> tuple[str, ...]:
        return tuple(line.strip() for line in (self.levels.data or "").splitlines() if line.strip())

    def validate_levels(self, field: Any) -> None:
        if self.kind.data in BY_STEPS and not 2 <= len(self.level_list) <= MOST_LEVELS:
            raise ValidationError(f"Write 2 to {MOST_LEVELS} levels, the lowest first, one a line.")

    def validate_unit(self, field: Any) -> None:
        if not (field.data or "").strip() and self.kind.data not in (*BY_STEPS, "yes or no", "day"):
            raise ValidationError("Each number has a unit: cm, flowers, points.")


@measures.route("/measures", methods=["GET", "POST"])
def index() -> ResponseReturnValue:
    form = OwnMeasureForm()
    if form.validate_on_submit() and _added(form):
        flash(f"“{form.name.data}” can now be measured.")
        draft = whole(request.args.get("draft", ""))
        back = url_for("measures.index") if draft is None else _plan(draft)
        return redirect(back)
    every = all_measures(db())
    page = render_template(
        "measures/index.html",
        **zone_facts(),
        form=form,
        groups=[(GROUPS[group], group, measures) for group, measures in by_group(every).items()],
        when=WHEN,
        pictured=pictured(db()),
        system=system(),
        back="" if (draft := whole(request.args.get("draft", ""))) is None else _plan(draft),
    )
    return page, 400 if form.errors else 200


@measures.post("/measures/units")
def units() -> ResponseReturnValue:
    """The units of the household, everywhere."""
    household = household_kit(db())
    wished = request.form.get("system")
    if wished in get_args(System):
        keep_kit(db(), replace(household, kit=replace(household.kit, system=cast(System, wished))))
        commit()
        flash(
            f"Typed and shown in {wished} units everywhere now. What is on record, in a plan, or typed on a phone and "
            "not sent yet keeps its meaning."
        )
    return redirect(url_for("measures.index"))


@measures.get("/measures/reckon")
def reckon_inputs() -> ResponseReturnValue:
    """What the inputs of a calculator give, while they are typed: the number with its doubt, and what is to be said."""
    measure = all_measures(db()).get(request.args.get("measure", ""))
    if measure is None or measure.calculator is None:
        abort(404)
    try:
        worked = reckon(measure.calculator, inputs_typed(request.args.get("inputs", "")))
    except EprobaError as error:
        return jsonify(said=[sentence(error)], value="")
    main = next(result for result in measure.calculator.results if result.name == measure.calculator.main)
    value, doubt = worked.results[main.name], worked.doubts.get(main.name)
    how = conversion(main.unit, system())
    apart = None if doubt is None else how.apart_shown(doubt)
    about = "" if apart is None else f", give or take {figure(apart)}"
    shown = "" if value is None else f"{how.shown(value):.{main.digits_beside(apart)}f} {how.unit}".rstrip()
    words = f"{main.words}: {shown}{about}" if shown else ""
    return jsonify(said=list(worked.said), value=words)


def _plan(draft_id: int) -> str:
    """The step of the plan that one came from."""
    return url_for("new_trial.step", draft_id=draft_id, name="measure")


def _added(form: OwnMeasureForm) -> bool:
    taken = {measure.name.lower() for measure in all_measures(db()).values()}
    name = (form.name.data or "").strip()
    if name.lower() in taken:
        form.name.errors = [f"There is a measure named “{name}” already."]
        return False
    try:
        measure = own_measure(
            f"own_{secrets.token_hex(6)}",
            name,
            (form.unit.data or "").strip() or UNITS.get(form.kind.data, ""),
            form.low.number or 0,
            form.high.number or 0,
            int(form.decimals.number or 0),
            form.better.data,
            form.scale.data,
            (form.how.data or "").strip(),
            Own(
                form.kind.data,
                form.level_list if form.kind.data in BY_STEPS else (),
                int(form.seconds.number or 20),
                form.when.data,
                bool(form.destructive.data),
                as_kept(form.noise.number, form.scale.data) if form.noise.number else None,
            ),
        )
    except MeasureError as error:
        said = sentence(error).partition(": ")[2]
        form.high.errors = [f"{said[:1].upper()}{said[1:].rstrip('.')}."]
        return False
    try:
        picture = _picture(form)
    except EprobaError as error:
        form.picture.errors = [sentence(error)]
        return False
    add_own_measure(db(), measure, picture)
    commit()
    return True


def _picture(form: OwnMeasureForm) -> bytes | None:
    """The picture that was sent, as it is kept. Raises PhotoProblem."""
    if not form.picture.data:
        return None
    from eproba.exchange.photo_out import kept_small  # OpenCV is slow to load

    return kept_small(form.picture.data.read())


@measures.get("/measures/<key>/how.jpg")
def how(key: str) -> ResponseReturnValue:
    """The picture of how an own measure is done."""
    jpeg = picture_of_how(db(), key) or abort(404, "There is no picture of how this is done.")
    return Response(jpeg, content_type="image/jpeg", headers={"Cache-Control": "private, max-age=86400"})


@measures.post("/measures/<key>/delete")
def drop(key: str) -> ResponseReturnValue:
    if key not in all_measures(db()).keys() - catalogue().keys():
        abort(404, "There is no such measure of your own.")
    if drop_own_measure(db(), key):
        commit()
        flash("Measure deleted.")
    else:
        flash("A trial uses this measure; it stays.")
    return redirect(url_for("measures.index"))
