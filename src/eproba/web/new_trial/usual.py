"""What a plan of each kind usually begins with."""

import re
from collections.abc import Mapping
from dataclasses import fields

from eproba.core.brewing.recipe import Recipe
from eproba.core.quantities import Units, filled
from eproba.core.trial.compared import AGAINST, COMPARED, control_name
from eproba.core.trial.model import Compared, PlannedTreatment, Role
from eproba.web.new_trial.steps.step import Typed, first_of

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
AS_ITS_RECIPE: Typed = {"dose": ["recipe"], "amount": [""], "unit": ["mL"], "often": ["recipe"], "every": [""]}
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


def first_treatments(compared: Compared, place: int, role: Role, units: Units) -> Typed:
    """How a treatment in this role begins, in a plan of this kind."""
    name = "" if role == "test" else control_name(compared, role)
    dose = {key: value[0] for key, value in dose_for(compared, role, units).items()}
    return row_of(place, name=name, role=role, **dose)


def dose_for(compared: Compared, role: str, units: Units, recipe: Recipe | None = None) -> Typed:
    """How much of it is usual, and how often, as this household types it: by its recipe where it has one."""
    follows = role in ("water control", "ingredient control", "killed brew")
    usual = NOTHING if role == "untreated" else AS_THE_WETTEST if follows else DOSES[compared]
    if recipe is not None and usual["dose"][0] in ("unit", "m2"):
        usual = AS_ITS_RECIPE
    if units.system == "metric":
        return usual
    amount, unit = US_AMOUNTS[usual["amount"][0], usual["unit"][0]]
    return usual | {"amount": [amount], "unit": [unit]}


def handling(compared: Compared, units: Units) -> str:
    """What is usually done to every unit, in this household's words."""
    return filled(HANDLING[compared], units)


def kind_of(compared: str) -> Compared:
    """The kind of comparison, where it is one."""
    return compared if compared in COMPARED else "drench"  # type: ignore[return-value]


def typed_rows(treatments: Typed) -> list[int]:
    """The places of the rows of treatments, in their order."""
    matches = (re.fullmatch(r"treatments-(\d{1,2})-\w+", key, re.ASCII) for key in treatments)
    return sorted({int(match[1]) for match in matches if match})


def recipe_called(name: str, recipes: Mapping[str, Recipe]) -> str:
    """The key of the recipe with this title, in whatever case; empty where there is none."""
    title = name.strip().casefold()
    return next((key for key, recipe in recipes.items() if recipe.title.casefold() == title), "")


def roles_of(compared: Compared) -> tuple[Role, ...]:
    """The roles that are offered in a plan of this kind."""
    return ("test", *COMPARED[compared].controls)


def against_offered(compared: Compared, treatments: Typed) -> list[tuple[Role, str]]:
    """Against what a plan of this kind can be judged: its controls; where two are tried without one, the other one."""
    roles = {first_of(treatments, f"treatments-{place}-role") for place in typed_rows(treatments)}
    offered: tuple[Role, ...] = ("test",) if roles == {"test"} else COMPARED[compared].controls
    return [(role, AGAINST[role]) for role in offered]


def typed_number(number: float | None) -> str:
    """A number as it is typed; empty where there is none."""
    return "" if number is None else f"{number:g}"
