"""What is really added, treatment beside treatment: litres, easy carbon, nitrogen, cost, minutes; and what is amiss.

References
----------
Anderson, T.-H. & Domsch, K. H. (1989). Ratios of microbial biomass carbon to total organic carbon in arable soils. Soil
Biology and Biochemistry 21: the yardstick, about 20 to 60 g of carbon a square metre in the top 10 cm.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from eproba.core.brewing.mixing import Mix, brew_minutes
from eproba.core.brewing.recipe import Portion
from eproba.core.quantities import METRIC, Amount, Units
from eproba.core.trial.doses import unequal

SMALL_C, SAFE_C = 10.0, 40.0  # one pour below is small; above is beyond the safe band
LOCKED_N = 0.05  # g of nitrogen that microbes lock up for each g of easy carbon


@dataclass(frozen=True)
class Added:
    """What one treatment adds: a square metre and application, and over the trial. `cost` None: prices not known."""

    letter: str
    name: str
    water_l: float
    easy_carbon_g: float
    nitrogen_g: tuple[float, float]
    cost: float | None
    minutes: float
    applications: int


def added(
    letter: str, name: str, mixed: Mix, applications: int, prices: Mapping[str, float], pour_minutes: float
) -> Added:
    """A treatment's loads; `prices` a kg by ingredient (water is free), `pour_minutes` for one application."""
    loads = mixed.loads
    surface, cost = mixed.area_m2 or 1.0, cost_of(mixed.amounts, prices)
    return Added(
        letter=letter,
        name=name,
        water_l=(loads.water_l or 0.0) if loads else 0.0,
        easy_carbon_g=loads.easy_carbon_g if loads else 0.0,
        nitrogen_g=loads.nitrogen_g if loads else (0.0, 0.0),
        cost=None if cost is None else cost / surface,
        minutes=brew_minutes(mixed.recipe, _made(mixed)) + pour_minutes,
        applications=applications,
    )


def cost_of(portions: Sequence[Portion], prices: Mapping[str, float]) -> float | None:
    """What ingredients cost, by `prices` a kg; water is free. None where a price is not known."""
    costs = [
        prices.get(portion.ingredient.key, 0.0 if portion.ingredient.key == "water" else None) for portion in portions
    ]
    known = [cost * portion.grams / 1000 for cost, portion in zip(costs, portions, strict=True) if cost is not None]
    return sum(known) if len(known) == len(costs) else None


def _made(mixed: Mix) -> float:
    """How much of the batch one application takes."""
    return mixed.concentrate_litres or mixed.spread or mixed.recipe.yields


def warnings(treatments: Sequence[Added], units: Units = METRIC) -> list[str]:
    """What is unequal, a sentence each."""
    waters = [treatment.water_l for treatment in treatments]
    if unequal(waters):
        least = min(treatments, key=lambda treatment: treatment.water_l)
        most = max(treatments, key=lambda treatment: treatment.water_l)
        much, little = (units(Amount(float(f"{added.water_l:.2g}"), "L", "m²")) for added in (most, least))
        text = f"Unequal water: {most.name} gets {much}, {least.name} {little}"
        return [f"{text}. Give the same volume, or nobody can tell the brew from its water."]
    return []


def carbon_warnings(added: Added, units: Units = METRIC) -> list[str]:
    lines, carbon = [], added.easy_carbon_g
    if round(carbon) > SAFE_C:  # as it is told
        given, safe = units(Amount(round(carbon), "g", "m²")), units(Amount(SAFE_C, "g", "m²"))
        text = f"{added.name}: {given} of easy carbon in one pour is beyond the safe band of {safe}"
        lines.append(f"{text}: the soil may turn airless. Dilute it, or pour less.")
    if carbon >= SMALL_C and LOCKED_N * carbon > added.nitrogen_g[0]:
        locked = units(Amount(round(LOCKED_N * carbon - added.nitrogen_g[0], 1), "g", "m²"))
        text = f"{added.name}: much carbon, little nitrogen: microbes may lock up about {locked} of nitrogen "
        lines.append(f"{text}for a while, and leaves turn pale.")
    return lines
