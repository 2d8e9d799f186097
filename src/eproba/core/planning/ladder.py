"""A ladder of strengths: rungs as parts of water, as amounts in a litre, or as doses; names follow the numbers."""

from collections.abc import Mapping, Sequence

from eproba.core.brewing.ingredients import RecipeError
from eproba.core.brewing.recipe import WATER, Portion, Recipe
from eproba.core.errors import EprobaError
from eproba.core.quantities import METRIC, System, Units, conversion
from eproba.core.words import figure_or_whole, parse_number

RUNGS = (2, 6)
LITRES: Mapping[System, str] = {"metric": "litre", "US": "gallon"}
Texts = Mapping[str, str]


class LadderError(EprobaError):
    """A ladder that can't be; the message says which kind would do."""


def ladder(
    first: Texts, by: str, numbers: Sequence[float], recipe: Recipe | None, room: int, units: Units = METRIC
) -> list[dict[str, str]]:
    """The rungs of a treatment as typed fields, the weakest first.

    `first`: its fields as typed; `numbers`: parts of water, amounts in a litre (or the household's gallon), or amounts
    as it is given (none: three usual ones); `room`: how many treatments there may be.

    Raises
    ------
    LadderError
        Too few or too many steps, or a kind that the recipe can't be.
    """
    least, most = RUNGS
    numbers = numbers or _usual(first, by, recipe, units)
    if not least <= len(set(numbers)) <= min(most, room) or min(numbers, default=0) <= 0:
        raise LadderError(
            f"A ladder has {least} to {min(most, room)} steps, each above 0, such as 20 10 5; empty: the usual ones."
        )
    if by == "parts":
        if recipe is not None and recipe.liquid and recipe.parts[1] == 0:
            text = f"{recipe.title} is not diluted: more water in it is another recipe"
            raise LadderError(f"{text}. Make a ladder of amounts in a litre, or of doses.")
        ordered = sorted(set(numbers), reverse=True)
        changes = [{"water_parts": f"{number:g}"} for number in ordered]
    elif by == "litre":
        main = main_portion(recipe)
        ordered = sorted(set(numbers))
        changes = [{"times": f"{number / _a_litre(recipe, main, units):.6g}"} for number in ordered]
    else:
        by_ground = _by_ground(first, recipe, units)
        changes = [{"amount": f"{number:g}", **by_ground} for number in sorted(set(numbers))]
    stem = first.get("stem") or first.get("name") or ""
    rungs = []
    for rung, change in enumerate(changes, 1):
        texts = {**first, **change}
        rungs.append({**change, "stem": stem, "rung": str(rung), "name": named(stem, texts, recipe, units)})
    return rungs


def _usual(first: Texts, by: str, recipe: Recipe | None, units: Units) -> list[float]:
    """Steps for who names none: weaker, as it is, stronger."""
    if by == "parts":
        return [20, 10, 5]
    if by == "litre":
        amount = _a_litre(recipe, main_portion(recipe), units)
    elif recipe is not None and first.get("dose") == "recipe":
        amount = float(f"{conversion(recipe.rate_unit, units.system).shown(recipe.rate[1]):.2g}")
    else:
        amount = _number(first.get("amount", "")) or 1.0
    return [amount / 2, amount, 2 * amount]


def _by_ground(first: Texts, recipe: Recipe | None, units: Units) -> dict[str, str]:
    """A dose that was its recipe’s becomes amounts for a square of ground."""
    if recipe is None or first.get("dose") != "recipe":
        return {}
    return {"dose": "m2", "unit": conversion(recipe.rate_unit, units.system).unit.partition("/")[0]}


def named(stem: str, texts: Texts, recipe: Recipe | None, units: Units = METRIC) -> str:
    """The name of a rung, from its numbers."""
    times, parts = _number(texts.get("times", "")) or 1.0, texts.get("water_parts", "")
    if times != 1.0 or (recipe is not None and recipe.liquid and recipe.parts[1] == 0 and not recipe.brews):
        try:
            portion = main_portion(recipe)
        except LadderError:
            return stem
        amount = figure_or_whole(float(f"{times * _a_litre(recipe, portion, units):.4g}"))
        return f"{stem}, {amount} {units.unit(portion.unit)} a {LITRES[units.system]}"
    if parts:
        return f"{stem}, 1 + {parts}"
    per = f"/{units.unit('m²')}" if texts.get("dose") == "m2" else ""
    return f"{stem}, {texts.get('amount', '')} {texts.get('unit', '')}{per}".strip()


def main_portion(recipe: Recipe | None) -> Portion:
    """The one thing that a recipe stirs into water. Raises LadderError where there is none, or where there are more."""
    things = [portion for portion in recipe.portions if portion.ingredient.key != WATER] if recipe is not None else []
    if recipe is None or recipe.brews or not recipe.liquid or len(things) != 1:
        text = "Amounts in a litre suit a recipe that stirs one thing into water, such as molasses water"
        raise LadderError(f"{text}. Choose its recipe, or make a ladder of parts or of doses.")
    return things[0]


def _a_litre(recipe: Recipe | None, portion: Portion, units: Units) -> float:
    """How much of a portion is in a litre of the recipe, or in the household's gallon, in the household's unit."""
    if recipe is None:
        raise RecipeError("There is no litre of nothing.")
    shown = conversion(portion.unit, units.system).shown(portion.amount)
    return shown / conversion("L", units.system).shown(recipe.yields)


def _number(text: str) -> float | None:
    try:
        return parse_number(text)
    except EprobaError:
        return None
