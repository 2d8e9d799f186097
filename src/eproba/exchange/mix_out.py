"""A mix as JSON and as a readable text; the list of recipes."""

import json
from collections.abc import Iterable, Mapping
from typing import Any

from eproba.core.brewing.kitchen import Kit, cans, measured
from eproba.core.brewing.mixing import Mix, parts_as_written
from eproba.core.brewing.recipe import Recipe, time_words, with_amounts
from eproba.core.quantities import METRIC, Amount, Units


def steps_of(mixed: Mix, units: Units = METRIC) -> list[str]:
    """All steps of brewing, straining, diluting and applying, in order."""
    recipe = mixed.recipe
    steps = [with_amounts(step.do, mixed.amounts, units) for step in recipe.brew]
    away = f"Signs to throw it away: {recipe.away_words}." if recipe.away_words else ""
    if recipe.brews:
        ready = f"Ready after {time_words(recipe.hours)}" + (f": {recipe.ready_words}." if recipe.ready_words else ".")
        steps.append(f"{ready} {away}".strip())
    elif away:
        steps.append(away)
    if recipe.strain:
        steps.append(f"Strain: {recipe.strain}.")
    if mixed.water_litres:
        parts = (mixed.concentrate_litres or 0.0, mixed.water_litres)
        concentrate, water = (units(Amount(litres, "L")) for litres in parts)
        steps.append(f"Mix {concentrate} of it with {water} of water.")
    return steps + [with_amounts(step.do, mixed.amounts, units) for step in recipe.apply]


def mix_entry(mixed: Mix, cautions: Mapping[str, str], kit: Kit) -> dict[str, Any]:
    """All figures of a mix as plain data; None for what does not exist."""
    loads = mixed.loads
    return {
        "recipe": mixed.recipe.key,
        "area_m2": mixed.area_m2,
        "application_litres": mixed.application_litres,
        "litres_per_m2": mixed.litres_per_m2,
        "parts": {"concentrate": mixed.parts[0], "water": mixed.parts[1]},
        "readings": [
            {"said": r.said, "means": r.means, "concentrate": r.parts[0], "water": r.parts[1], "used": r.used}
            for r in (parts_as_written(mixed.parts) if mixed.recipe.liquid else [])
        ],
        "concentrate_litres": mixed.concentrate_litres,
        "water_litres": mixed.water_litres,
        "ingredients": [
            {"name": a.ingredient.name, "amount": a.amount, "unit": a.unit, "kitchen": measured(a, kit).text}
            for a in mixed.amounts
        ],
        "steps": steps_of(mixed),
        "loads_per_m2": None
        if loads is None
        else {
            "water_l": loads.water_l,
            "easy_carbon_g": loads.easy_carbon_g,
            "nitrogen_g": list(loads.nitrogen_g),
        },
        "cautions": [cautions[key] for key in mixed.recipe.all_cautions],
    }


def mix_json(mixed: Mix, cautions: Mapping[str, str], kit: Kit) -> str:
    return json.dumps(mix_entry(mixed, cautions, kit), indent=2, ensure_ascii=False, allow_nan=False)


def mix_text(mixed: Mix, cautions: Mapping[str, str], kit: Kit) -> str:
    """The same for reading."""
    recipe = mixed.recipe
    lines = [recipe.title + (f", {mixed.area_m2:g} m²" if mixed.area_m2 else "")]
    if mixed.application_litres is not None:
        parts = " + ".join(f"{part:g}" for part in mixed.parts)
        lines.append(f"To pour: {mixed.application_litres:.4g} L, {parts} (concentrate and water)")
        for way in parts_as_written(mixed.parts):
            lines.append(f"  {'used' if way.used else 'not'}: “{way.said}” read as {way.means}")
        can = cans(mixed, kit)
        if can is not None and mixed.water_litres:
            text = f"{can.count} can{'s' if can.count > 1 else ''} of {can.litres:.3g} L: {can.concentrate.text}"
            lines.append(f"{text} of concentrate and {can.water.text} of water in each")
    else:
        lines.append(f"To spread: {mixed.spread:.4g} {recipe.yields_unit}")
    lines += [f"  {measured(a, kit).text} {a.ingredient.name}" for a in mixed.amounts]
    lines += [f"{n}. {step}" for n, step in enumerate(steps_of(mixed), 1)]
    if mixed.loads is not None:
        low, high = (f"{grams:.2g}" for grams in mixed.loads.nitrogen_g)
        water = "" if mixed.loads.water_l is None else f"{mixed.loads.water_l:.3g} L water, "
        carbon = f"{mixed.loads.easy_carbon_g:.2g} g easy carbon"
        lines.append(f"A square metre gets {water}{carbon}, {low if low == high else f'{low} to {high}'} g nitrogen")
    return "\n".join(lines + [f"! {cautions[key]}" for key in recipe.all_cautions])


def recipes_json(every: Iterable[Recipe]) -> str:
    return json.dumps([{"name": r.key, "title": r.title, "kind": r.kind} for r in every], indent=2, ensure_ascii=False)
