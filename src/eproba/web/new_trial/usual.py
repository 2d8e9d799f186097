"""What a plan of each kind usually begins with, and how a change of the kind changes what nobody has touched."""

from collections.abc import Mapping
from dataclasses import fields

from eproba.core.planning.draft import Known
from eproba.core.quantities import filled
from eproba.core.trial.compared import COMPARED
from eproba.core.trial.model import Compared, PlannedTreatment, Role
from eproba.web.new_trial.steps.step import Answers, Typed, first_of
from eproba.web.ui.session import system
from eproba.web.ui.units import units

CONTROL_NAMES: Mapping[str, str] = {
    "water control": "Plain water",
    "untreated": "Untreated",
    "ingredient control": "Ingredient alone",
    "killed brew": "Brew, boiled",
    "reference": "Known good thing",
}
OWN_CONTROL_NAMES: Mapping[Compared, Mapping[str, str]] = {
    "mulch": {"untreated": "Bare soil"},
    "media": {"reference": "The usual mix"},
    "way": {"reference": "The usual way", "untreated": "Nothing done"},
}
ROW = (  # what a row of treatments is typed in
    *(field.name for field in fields(PlannedTreatment) if field.name not in ("amount_unit", "per")),
    "stem", "dose", "unit", "pot", "often", "every", "until", "then", "days",
)  # fmt: skip
US_AMOUNTS: Mapping[tuple[str, str], tuple[str, str]] = {  # the usual ones, as a US household begins
    ("250", "mL"): ("8", "fl oz"), ("1", "kg"): ("3", "oz"), ("", "mL"): ("", "fl oz"), ("", "L"): ("", "gal"),
}  # fmt: skip
DOSES: Mapping[Compared, Typed] = {
    "drench": {"dose": ["unit"], "amount": ["250"], "unit": ["mL"], "often": ["every"], "every": ["7"]},
    "dry": {"dose": ["m2"], "amount": ["1"], "unit": ["kg"], "often": ["once"], "every": [""]},
    "mulch": {"dose": ["m2"], "amount": ["1"], "unit": ["kg"], "often": ["once"], "every": [""]},
    "media": {"dose": ["nothing"], "amount": [""], "unit": ["L"], "often": ["once"], "every": [""]},
    "way": {"dose": ["nothing"], "amount": [""], "unit": ["mL"], "often": ["once"], "every": [""]},
}
NOTHING: Typed = {"dose": ["nothing"], "amount": [""], "unit": ["mL"], "often": ["once"], "every": [""]}
AS_THE_WETTEST: Typed = {"dose": ["like"], "amount": [""], "unit": ["mL"], "often": ["like"], "every": [""]}
HANDLING: Mapping[Compared, str] = {
    "drench": "Loosened {2 cm} deep before each pour, treated or not.",
    "dry": "Raked {5 cm} deep and watered alike, treated or not.",
    "mulch": "Weeded before the mulch is laid, and watered alike, mulched or not.",
    "media": "Equal pots, filled to the same mark, sown and watered alike.",
    "way": "Everything else is done to all alike.",
}


def row_of(place: int, **fields: str) -> Typed:
    """One row of treatments as typed; what is not named is empty."""
    empty = dict.fromkeys(ROW, "") | {"sharing": "shared", "unit": "mL", "times": "1"}
    return {f"treatments-{place}-{name}": [value] for name, value in (empty | fields).items()}


def first_treatments(compared: Compared, place: int, role: str) -> Typed:
    """How a treatment in this role begins, in a plan of this kind."""
    name = "" if role == "test" else control_name(compared, role)
    return row_of(place, name=name, role=role, **{key: value[0] for key, value in dose_for(compared, role).items()})


def control_name(compared: Compared, role: str) -> str:
    return OWN_CONTROL_NAMES.get(compared, {}).get(role, CONTROL_NAMES.get(role, ""))


def dose_for(compared: Compared, role: str) -> Typed:
    """How much of it is usual, and how often, as this household types it."""
    follows = role in ("water control", "ingredient control", "killed brew")
    usual = NOTHING if role == "untreated" else AS_THE_WETTEST if follows else DOSES[compared]
    if system() == "metric":
        return usual
    amount, unit = US_AMOUNTS[usual["amount"][0], usual["unit"][0]]
    return usual | {"amount": [amount], "unit": [unit]}


def handling(compared: Compared) -> str:
    """What is usually done to every unit, in this household's words."""
    return filled(HANDLING[compared], units())


def as_the_kind_wants(answers: Answers, was: Compared, now: Compared, known: Known) -> None:
    """Change what nobody has touched: controls, doses, first measure, handling."""
    treatments, controls = answers["treatments"], COMPARED[now].controls
    for row in sorted({key.rsplit("-", 1)[0] for key in treatments if key.startswith("treatments-")}):
        role = first_of(treatments, f"{row}-role")
        as_begun = all(treatments.get(f"{row}-{key}") == value for key, value in dose_for(was, role).items())
        wanted = role if role == "test" or role in controls else controls[0]
        if as_begun or wanted != role:
            treatments.update({f"{row}-{key}": value for key, value in dose_for(now, wanted).items()})
        if first_of(treatments, f"{row}-name") in ("", control_name(was, role)):
            treatments[f"{row}-name"] = [control_name(now, wanted)]
        treatments[f"{row}-role"] = [wanted]
    if first_of(answers["claim"], "against") not in controls:
        answers["claim"]["against"] = [controls[0]]
    _first_measure(answers["measure"], was, now, known)
    if first_of(answers["rules"], "handling") == handling(was):
        answers["rules"]["handling"] = [handling(now)]


def _first_measure(typed: Typed, was: Compared, now: Compared, known: Known) -> None:
    usual = (COMPARED[was].first or ("plant_height",))[0]
    wanted = known.measures[(COMPARED[now].first or ("plant_height",))[0]]
    if first_of(typed, "measure") != usual or wanted.key == usual:
        return
    worth = "15" if wanted.scale == "ratio" else f"{wanted.noise_on('difference'):.2g}"
    typed.update(measure=[wanted.key], scale=[wanted.scale], better=[wanted.better], worth=[worth])
    if wanted.kind == "proportion" and not first_of(typed, "sown"):
        typed["sown"] = ["10"]


def roles_of(compared: Compared) -> tuple[Role, ...]:
    """The roles that are offered in a plan of this kind."""
    return ("test", *COMPARED[compared].controls)


def typed_number(number: float | None) -> str:
    """A number as it is typed; empty where there is none."""
    return "" if number is None else f"{number:g}"
