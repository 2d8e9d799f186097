"""What somebody said, pasted onto the sheet: what was read of it, laid into the plan, and what was not said."""

from collections.abc import Mapping
from dataclasses import dataclass

from eproba.core.brewing.recipe import Recipe
from eproba.core.catalogue import crops, names_said
from eproba.core.planning.hearsay import LONGEST, Hearsay, Part, heard_in
from eproba.core.planning.phrases import days_words
from eproba.core.trial.doses import Dose, typed_dose
from eproba.core.words import lower_first
from eproba.web.new_trial.steps.step import Answers, Bench, Typed, Walk, first_of
from eproba.web.new_trial.steps.treatments import TreatmentsPage
from eproba.web.new_trial.usual import typed_number, typed_rows
from eproba.web.ui.filters import strength
from eproba.web.ui.session import system

PASTED = "pasted"  # what stands in the field
READ = "pasted_read"  # what was read of it
KEPT = 100_000  # characters of what was pasted


@dataclass(frozen=True)
class Pasted:
    """What was read: (words, as what they are taken), what was not said, both readings of a strength with the one that
    is taken, and what could not be looked at."""

    lines: tuple[tuple[str, str], ...]
    unsaid: tuple[str, ...]
    readings: tuple[tuple[str, str, bool], ...] = ()
    problem: str = ""


def heard_of(answers: Answers, bench: Bench) -> Hearsay | None:
    """What the pasted lines say; None where nothing was pasted."""
    text = first_of(answers["claim"], READ)
    titles = {key: recipe.title for key, recipe in bench.known.recipes.items()}
    return heard_in(text, names_said(), titles, crops(), bench.known.units) if text else None


def said_slots(heard: Hearsay) -> dict[str, str]:
    """The words of the sheet's sentence that were said."""
    slots = {"thing": heard.thing, "crop": heard.crop, "measure": heard.measure}
    slots["within"] = "" if heard.days is None else days_words(heard.days)
    return {slot: words for slot, words in slots.items() if words}


def lay_doses(answers: Answers, heard: Hearsay, bench: Bench) -> None:
    """Strength, amount and interval of the first tested treatment, as they were said."""
    typed, row = answers["treatments"], _tested(answers["treatments"])
    if heard.amount is not None:
        amount, unit = typed_dose(Dose(heard.amount, heard.unit, heard.by), system())
        typed |= _fields(row, dose=heard.by, amount=typed_number(amount), unit=unit)
    if heard.every is not None:
        typed |= _fields(row, often="every" if heard.every else "once", every=str(heard.every or ""))
    if heard.parts is not None:
        lay_parts(answers, heard.parts, bench)


def lay_parts(answers: Answers, parts: float, bench: Bench) -> None:
    """Parts of water: into the strength where the recipe is thinned, in words where there is no recipe."""
    typed, row = answers["treatments"], _tested(answers["treatments"])
    recipe = _recipe(answers, bench)
    if _is_thinned(recipe):
        typed |= _fields(row, water_parts=typed_number(parts))
    elif recipe is None:
        typed |= _fields(row, how=f"1 part and {parts:g} of water" if parts else "Undiluted")


def pasted_of(answers: Answers, walk: Walk) -> Pasted | None:
    """What the page tells of the pasted lines; None where nothing was pasted."""
    heard = heard_of(answers, walk.bench)
    if heard is None:
        return None
    recipe = _recipe(answers, walk.bench)
    lines = [(line.words, _taken(line.part, line.taken, recipe)) for line in heard.heard]
    too_long = len(first_of(answers["claim"], READ)) > LONGEST
    problem = f"Only the first {LONGEST:,} characters were looked at.".replace(",", " ") if too_long else ""
    return Pasted(tuple(lines), _unsaid(heard, recipe, walk), _readings(heard, answers, walk.bench), problem)


def _taken(part: Part, taken: str, recipe: Recipe | None) -> str:
    if part == "strength" and recipe is not None and not _is_thinned(recipe):
        return f"not taken, since “{recipe.title}” is not thinned"
    return taken


def _unsaid(heard: Hearsay, recipe: Recipe | None, walk: Walk) -> tuple[str, ...]:
    """What was not said, with what the plan takes instead."""
    page = walk.steps["treatments"].page(walk)
    given = page.told[0] if isinstance(page, TreatmentsPage) and page.told else ""
    measure = walk.known.measures.get(first_of(walk.answers["measure"], "measure"))
    is_given = walk.draft.compared in ("drench", "dry")
    rest: Mapping[Part, str] = {
        "thing": "What was used? Write it into the first field.",
        "crop": "On which crop? Write it into the second field.",
        "strength": f"No strength was said: its recipe says {strength(recipe.parts)}."
        if recipe is not None and _is_thinned(recipe) else "",
        "rate": f"No rate was said: the plan takes {given}." if is_given and given else "",
        "interval": f"How often was not said: the plan takes {given}." if is_given and given else "",
        "promise": f"What it does was not said: the plan asks for {lower_first(measure.name)}." if measure else "",
        "time": "By when was not said: the plan takes the time in the sentence.",
    }  # fmt: skip
    return tuple(rest[part] for part in heard.unsaid if rest[part])


def _readings(heard: Hearsay, answers: Answers, bench: Bench) -> tuple[tuple[str, str, bool], ...]:
    """Both readings of “1 to 10”: (parts of water, words, whether it is taken)."""
    if heard.parts is None or heard.other_parts is None or not _is_thinned(_recipe(answers, bench)):
        return ()
    typed = first_of(answers["treatments"], f"{_tested(answers['treatments'])}-water_parts")
    both = (typed_number(heard.parts), typed_number(heard.other_parts))
    return tuple((parts, f"1 part and {parts} of water", parts == typed) for parts in both)


def _is_thinned(recipe: Recipe | None) -> bool:
    return recipe is not None and recipe.liquid and recipe.parts[1] > 0


def _recipe(answers: Answers, bench: Bench) -> Recipe | None:
    typed = answers["treatments"]
    return bench.known.recipes.get(first_of(typed, f"{_tested(typed)}-recipe"))


def _tested(typed: Typed) -> str:
    """What the fields of the first tested treatment begin with."""
    rows = [f"treatments-{place}" for place in typed_rows(typed)]
    return next((row for row in rows if first_of(typed, f"{row}-role") == "test"), rows[0])


def _fields(row: str, **texts: str) -> Typed:
    return {f"{row}-{name}": [text] for name, text in texts.items()}
