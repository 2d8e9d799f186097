"""The treatments: each with its role, recipe, strength, its own dose and its own days; ladders of strengths."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, fields
from datetime import date
from typing import Any

from wtforms import (
    BooleanField,
    FieldList,
    FormField,
    HiddenField,
    SelectField,
    SelectMultipleField,
    StringField,
    ValidationError,
)
from wtforms.validators import InputRequired
from wtforms.widgets import CheckboxInput, ListWidget

from eproba.core.applying.schedule import SHARINGS
from eproba.core.brewing.recipe import Recipe
from eproba.core.errors import EprobaError
from eproba.core.planning.advice import SPRAYED, Advice, on_spray, on_treatments
from eproba.core.planning.claims import questions_answered
from eproba.core.planning.dosing import (
    BY,
    OFTEN,
    By,
    Dosed,
    DoseProblem,
    DoseRhythm,
    Given,
    Wanted,
)
from eproba.core.planning.draft import StepName, TreatmentsPart, chosen, doses_of
from eproba.core.planning.ladder import named
from eproba.core.planning.plan import LETTERS
from eproba.core.planning.rates import on_unlike
from eproba.core.planning.rows import crossed, laddered
from eproba.core.planning.visits import on_measuring
from eproba.core.quantities import SQUARES, System, conversion
from eproba.core.trial.compared import COMPARED
from eproba.core.trial.days import MOST_DAYS, WEEKDAYS
from eproba.core.trial.doses import US_DOSES, Dose, given_words, is_poured, metric_dose, typed_dose
from eproba.core.trial.ground import Cut
from eproba.core.trial.model import CROSSED, ROLES, Compared, PlannedTreatment, Role, Trial
from eproba.core.words import NumberError, parse_number
from eproba.web.new_trial.steps.days import day_list, dose_days, on_given
from eproba.web.new_trial.steps.step import Bench, PlannerStep, Typed, Walk, first_of
from eproba.web.new_trial.usual import ROW, first_treatments, kind_of, roles_of, row_of, typed_number, typed_rows
from eproba.web.ui.fields import AmountField, AmountForm, NumberField, WithUnitField, at_most
from eproba.web.ui.form import OurRow
from eproba.web.ui.session import system
from eproba.web.ui.units import sentence, units

ROLE_NAMES: Mapping[str, str] = {
    "test": "Test",
    "water control": "Plain water, same volume",
    "untreated": "Untreated",
    "ingredient control": "Ingredient alone",
    "killed brew": "Brew killed by boiling",
    "reference": "Known good thing",
}
LADDERS = {
    "parts": "parts of water to one of it: 20 10 5",
    "litre": "amounts in so much water",
    "dose": "doses: 50 100 200, as its amount is given",
}
UNITS: Mapping[System, list[str]] = {
    "metric": ["mL", "L", "g", "kg", "handful", *US_DOSES], "US": [*US_DOSES, "handful", "mL", "L", "g", "kg"],
}  # fmt: skip
DECIDING = ("raw_manure", "raw_leaves", "herbicide", "arsenic", "aquarium", "dogs")  # whether a recipe fits at all


def by_choices() -> list[tuple[str, str]]:
    """How an amount can be given, the ground in the household's squares."""
    return list({**BY, "m2": f"for a {SQUARES[system()]} of ground"}.items())


BY_DOSE = ("amount", "amount_unit", "per", "each_watering")  # come of how much and how often
TYPED = tuple(field.name for field in fields(PlannedTreatment) if field.name not in BY_DOSE)
KNOWN: Mapping[str, Collection[str]] = {"sharing": SHARINGS, "things": CROSSED}


class TreatmentForm(OurRow):
    name = StringField("Name", [InputRequired("Name it."), at_most(60)])
    stem = HiddenField()
    role = SelectField("Role", choices=list(ROLE_NAMES.items()))
    how = StringField("Way of use, in words", [at_most(200)])
    rung = NumberField("Rung", 0, 20, whole=True, optional=True)
    recipe = SelectField("Recipe", validate_choice=False)
    water_parts = NumberField("Parts of water to one part", 0, 5000, optional=True)
    times = NumberField("Times as strong as its recipe", 0.01, 100, optional=True)
    sharing = SelectField("Brewed as", choices=list(SHARINGS.items()), default="shared", validate_choice=False)
    dose = SelectField("How much", choices=lambda: by_choices(), default="unit")
    amount = WithUnitField("Amount", 0.001, 100_000, optional=True)
    unit = SelectField("of", choices=lambda: UNITS[system()], default=lambda: UNITS[system()][0])
    pot = AmountField("A pot holds", "L", 0.05, 1000, optional=True)
    often = SelectField("How often", choices=list(OFTEN.items()), default="once")
    every = NumberField("Every", 1, MOST_DAYS, whole=True, optional=True)
    until = NumberField("until day", 1, MOST_DAYS, whole=True, optional=True)
    then = NumberField("then every", 1, MOST_DAYS, whole=True, optional=True)
    days = StringField("On days", [at_most(300)])
    on = SelectMultipleField(
        "On", choices=list(enumerate(WEEKDAYS)), coerce=int, widget=ListWidget(prefix_label=False),
        option_widget=CheckboxInput(),
    )  # fmt: skip
    things = HiddenField()
    label = StringField("What its label promises, word for word", [at_most(600)])

    def validate_days(self, field: Any) -> None:
        self.day_list = day_list(field.data)


def ladder_choices() -> list[tuple[str, str]]:
    example = "a litre of water: 6 12 24 mL" if system() == "metric" else "a gallon of water: 1 2 4 fl oz"
    return list({**LADDERS, "litre": f"amounts in {example}"}.items())


class TreatmentsForm(AmountForm):
    treatments = FieldList(FormField(TreatmentForm), min_entries=2, max_entries=len(LETTERS))
    batches = NumberField("Batches brewed, or bags bought, of each", 1, 50, whole=True)
    blind = BooleanField("Tags do not name the treatment (blind)")
    even = BooleanField("Plain water makes up what a treatment gets less than the wettest")
    ladder_by = SelectField("A ladder of", choices=lambda: ladder_choices(), default="parts", validate_choice=False)
    ladder_rungs = StringField("Its steps (empty: three usual ones)", [at_most(60)])

    def translate(self, typed_in: System) -> None:
        """What is given by the ground is meant for a square of other size."""
        super().translate(typed_in)
        for row in self.treatments:
            number = row.form.amount.data
            if row.form.dose.data == "m2" and number:
                row.form.amount.data = on_another_square(number, typed_in, system())

    def validate_treatments(self, field: Any) -> None:
        names = [(entry.form.name.data or "").strip().lower() for entry in field]
        for entry, name in zip(field, names, strict=True):
            if name and names.count(name) > 1:
                entry.form.name.errors = [*entry.form.name.errors, "Two treatments have this name; tell them apart."]
                raise ValidationError("Two treatments have the same name.")


@dataclass(frozen=True)
class TreatmentsPage:
    """Questions that the controls answer, recipes that are offered, cautions, what was evened out and what was not."""

    compared: Compared
    letters: str
    roles: Mapping[Role, str]
    recipes: Mapping[str, Recipe]
    questions: tuple[tuple[Role, bool, str], ...]
    cautions: tuple[str, ...]
    evened: tuple[str, ...]
    told: tuple[str, ...]
    ladder: bool
    crossed: bool


class TreatmentsStep(PlannerStep[TreatmentsForm, TreatmentsPart]):
    name = "treatments"
    title = "Treatments"
    form = TreatmentsForm

    def first(self, today: date) -> Typed:
        rows = first_treatments("drench", 0, "test", units()) | first_treatments("drench", 1, "water control", units())
        return rows | {"batches": ["1"], "even": ["y"], "ladder_by": ["parts"], "ladder_rungs": [""]}

    def again(self, trial: Trial, today: date) -> Typed:
        typed: Typed = {"batches": [str(trial.batches)], "blind": ["y"] if trial.blind else [], "even": []}
        if any(pour.what == "water" for pour in trial.pours):
            typed["even"] = ["y"]
        for i, treatment in enumerate(trial.treatments):
            typed |= _again(i, treatment.letter, trial)
        return typed

    def made(self, typed: Typed, bench: Bench) -> TreatmentsForm:
        form = super().made(typed, bench)
        for entry in form.treatments:
            offered = ((key, recipe.title) for key, recipe in bench.known.recipes.items())
            recipe = bench.known.recipes.get(entry.form.recipe.data or "")
            entry.form.unit.choices = list(dict.fromkeys([*UNITS[system()], *([recipe.yields_unit] if recipe else [])]))
            entry.form.recipe.choices = [("", "no recipe"), *offered]
        return form

    def read(self, form: TreatmentsForm) -> TreatmentsPart:
        return TreatmentsPart(
            wanted=tuple(_wanted(entry.form) for entry in form.treatments),
            batches=int(form.batches.number or 1),
            blind=bool(form.blind.data),
            even=bool(form.even.data),
        )

    def settled(self, part: TreatmentsPart, bench: Bench) -> str:
        return " · ".join(
            f"{letter} {planned.treatment.name}" for letter, planned in zip(LETTERS, part.wanted, strict=False)
        )

    def act(self, walk: Walk, before: Typed, go: str) -> StepName | None:
        compared = first_of(walk.answers["claim"], "compared") or "drench"
        walk.answers["treatments"] = _rows_changed(walk.answers["treatments"], go, compared, walk.bench)
        return None

    def wrong(self, walk: Walk) -> str:
        try:
            dosed_of(walk)
        except EprobaError as error:
            return sentence(error)
        return ""

    def page(self, walk: Walk) -> TreatmentsPage:
        form: Any = walk.forms["treatments"]
        compared = walk.draft.compared
        offered = roles_of(compared)
        roles: list[Role] = []
        for entry in form.treatments:
            chosen_role = entry.form.role.data
            roles.append(chosen_role)
            entry.form.role.choices = [
                (role, name) for role, name in ROLE_NAMES.items() if role in offered or role == chosen_role
            ]
        doses = _doses_or_none(walk, form)
        questions = [question for question in questions_answered(roles) if question[0] in offered]
        return TreatmentsPage(
            compared=compared,
            letters=LETTERS,
            roles=ROLES,
            recipes=walk.known.recipes,
            questions=tuple(questions),
            cautions=_cautions(form, walk.known.recipes),
            evened=() if doses is None else doses.evened,
            told=() if doses is None else _told(doses),
            ladder=any(entry.form.rung.data for entry in form.treatments),
            crossed=any(entry.form.things.data for entry in form.treatments),
        )

    def advice(self, walk: Walk) -> list[Advice]:
        form: Any = walk.forms["treatments"]
        roles: list[Role] = [entry.form.role.data for entry in form.treatments]
        batches = 1 if walk.draft.treatments is None else walk.draft.treatments.batches
        doses, compared = _doses_or_none(walk, form), walk.draft.compared
        poured = any(is_poured(t.amount_unit) for t in doses.treatments) if doses else compared == "drench"
        counsel = on_treatments(roles, poured, batches, compared)
        for entry in form.treatments:
            counsel += on_spray(entry.form.name.data or "This", entry.form.how.data or "")
        if doses is None:
            return counsel
        cuts = cuts_of(walk)
        counsel += [Advice(True, line) for line in doses.uneven]
        counsel += on_given(walk, doses, cuts) + on_unlike(doses, cuts, units())
        given_to = cuts[: max(1, walk.draft.units_given(cuts))]
        return counsel + on_measuring(doses.treatments, given_to, walk.known.recipes, walk.bench.kit)


def on_another_square(number: str, typed_in: System, wanted: System) -> str:
    """An amount for a square metre as one for a square foot, or back; what is no number stays."""
    try:
        amount = parse_number(number)
    except NumberError:
        return number
    return f"{amount * conversion('m²', typed_in).factor / conversion('m²', wanted).factor:.4g}"


def _wanted(form: Any) -> Wanted:
    """One row that is right."""
    by_ground = form.dose.data == "m2"
    amount, unit = metric_dose(form.amount.number, form.unit.data, units().unit("m²") if by_ground else "m²")
    number = {name: getattr(form, name).number for name in ("every", "until", "then")}
    whole = {name: None if value is None else int(value) for name, value in number.items()}
    by: By = "nothing" if form.role.data == "untreated" else form.dose.data
    return Wanted(
        treatment=PlannedTreatment(**{name: value for name in TYPED if (value := _value(form, name)) is not None}),
        given=Given(by, amount, unit, form.pot.number),
        rhythm=DoseRhythm(form.often.data, weekdays=tuple(form.on.data or ()), days=form.day_list, **whole),
    )


def _value(form: Any, name: str) -> Any:
    """What stands in the field of a treatment; None: nothing, or nothing that it can be."""
    field = form[name]
    if isinstance(field, NumberField):
        return field.number
    text = (field.data or "").strip()
    return text if text in KNOWN.get(name, (text,)) else None


def _again(place: int, letter: str, trial: Trial) -> Typed:
    """A treatment's row as it would be typed again: its own dose, and its own days one by one."""
    t = trial.treatment(letter)
    given = [pour for pour in trial.pours if pour.letter == letter and pour.what == "dose"]
    follows = any(pour.planned is not None for pour in given)
    days = sorted({pour.day for pour in given})
    amount, unit = (None, "mL") if t.amount is None else typed_dose(Dose(t.amount, t.amount_unit, t.per), system())
    described = {name: getattr(t, name) for name in TYPED}
    texts = {name: value if isinstance(value, str) else typed_number(value) for name, value in described.items()}
    return row_of(
        place, **texts, dose="nothing" if t.amount is None else "like" if follows else t.per,
        amount="" if follows else typed_number(amount), unit=unit,
        often="like" if follows else "watering" if t.each_watering else "days" if days else "once",
        every=str(days[1] - days[0]) if t.each_watering and len(days) > 1 else "",
        days="" if follows or t.each_watering else " ".join(map(str, days)),
    )  # fmt: skip


def _rows_changed(typed: Typed, go: str, compared: str, bench: Bench) -> Typed:
    """Add or take away a row of treatments, the others moving up; or make the first one a ladder of strengths."""
    rows = [_row(typed, place) for place in typed_rows(typed) if go != f"remove-{place}"]
    if go == "add" and len(rows) < len(LETTERS):
        rows.append(_row(first_treatments(kind_of(compared), 0, "test", units()), 0))
    if go == "ladder":
        numbers = [parse_number(text) for text in first_of(typed, "ladder_rungs").replace(";", " ").split()]
        rows = laddered(rows, first_of(typed, "ladder_by") or "parts", numbers, bench.known.recipes, units())
    if go == "crossed":
        kind = kind_of(compared)
        both = _row(row_of(0, role="test", dose="nothing", often="once"), 0)
        rows = crossed(rows, both, _row(first_treatments(kind, 0, COMPARED[kind].controls[0], units()), 0))
    if go.startswith("remove-") or go in ("add", "ladder"):
        rows = [row | {"things": [""]} for row in rows]  # it is no cross of two things any more
    changed = {key: value for key, value in typed.items() if not key.startswith("treatments-")}
    for n, row in enumerate(rows):
        row = _named(row, bench)
        changed |= {f"treatments-{n}-{field}": value for field, value in row.items()}
    return changed


def _row(typed: Typed, n: int) -> Typed:
    return {field: typed.get(f"treatments-{n}-{field}") or [""] for field in ROW} | {
        "on": typed.get(f"treatments-{n}-on", [])
    }


def _named(row: Typed, bench: Bench) -> Typed:
    """The name of a rung follows its numbers."""
    stem = first_of(row, "stem")
    if not stem or not first_of(row, "rung"):
        return row
    texts = {name: first_of(row, name) for name in ("water_parts", "times", "amount", "unit", "dose")}
    return row | {"name": [named(stem, texts, bench.known.recipes.get(first_of(row, "recipe")), units())]}


def cuts_of(walk: Walk) -> tuple[Cut, ...]:
    """The cuts that the plan has now. Raises GroundError where nothing fits."""
    ground = walk.draft.ground
    return () if ground is None else chosen(walk.draft, ground, walk.known).cuts


def dosed_of(walk: Walk) -> Dosed | None:
    """Doses and days over the ground as it is cut now; None where other steps are not right yet.

    Raises
    ------
    DoseProblem, GroundError
        Doses and days that can't be; ground on which nothing fits.
    """
    draft = walk.draft
    if draft.treatments is None or draft.measure is None or draft.ground is None:
        return None
    return doses_of(draft, cuts_of(walk), walk.known)


def _doses_or_none(walk: Walk, form: Any) -> Dosed | None:
    """What can be told of the doses; what is wrong with one stands at its field."""
    try:
        return dosed_of(walk)
    except DoseProblem as problem:
        field = getattr(form.treatments[problem.row].form, problem.field)
        field.errors = [*field.errors, str(problem)]
    except EprobaError:
        pass  # the ground says it itself
    return None


def _told(doses: Dosed) -> tuple[str, ...]:
    """Each treatment's dose and days as they come out."""
    told = zip(doses.treatments, dose_days(doses), strict=True)
    return tuple(given_words(treatment, days, units()) for treatment, days in told)


def _cautions(form: Any, known: Mapping[str, Recipe]) -> tuple[str, ...]:
    """What the chosen recipes are not to be used on: the cautions that decide whether they fit the plan at all."""
    picked = [known[row.form.recipe.data] for row in form.treatments if row.form.recipe.data in known]
    keys = [key for recipe in picked for key in recipe.all_cautions if key in DECIDING]
    if any(SPRAYED.search(row.form.how.data or "") for row in form.treatments):
        keys.append("mist")
    return tuple(dict.fromkeys(keys))
