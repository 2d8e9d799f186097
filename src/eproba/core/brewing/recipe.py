"""A recipe: what goes in, how it is brewed and cared for, its signs, strength, use, how long it keeps, its cautions."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, fields, replace
from typing import Annotated, Any, Literal

from eproba.core.brewing.ingredients import Ingredient, RecipeError, ingredient_entry, ingredient_from
from eproba.core.keys import Allowed, check_keys, check_values
from eproba.core.quantities import Amount, Units
from eproba.core.words import lower_first

Kind = Literal["drench", "dry", "medium", "test"]
KeepsFrom = Literal["mixed", "ready", "strained", "air off"]
Where = Literal["", "poor soil", "dry season", "wet season", "cool months"]
Sure = Literal["hearsay", "plausible", "some trials", "well shown"]
GERMS = {"raw_manure": "raw manure, fish or urine", "fed_brew": "compost fed with molasses"}  # by their caution
SIGNS: dict[str, tuple[str, ...]] = {  # what a check looks at, and what may be seen
    "smell": ("none", "earthy", "sweet", "yeasty", "mildly sour", "sharply sour", "strong", "foul"),
    "bubbles": ("none", "few", "many"),
    "foam": ("none", "light", "thick"),
    "colour": ("pale", "cloudy", "dark"),
    "mould": ("none", "white film", "coloured"),
    "slime": ("no", "yes"),
}
USUAL_AWAY: dict[str, tuple[str, ...]] = {  # where a recipe names no signs to throw it away
    "mould": ("coloured",), "slime": ("yes",), "smell": ("foul",),
}  # fmt: skip
SIGN_WORDS: dict[tuple[str, str], str] = {  # where a word alone is read in two ways
    ("smell", "strong"): "strong: a cowshed, cabbage", ("smell", "foul"): "foul: rotten eggs, carrion, vomit",
    ("smell", "mildly sour"): "mildly sour: yoghurt", ("smell", "sharply sour"): "sharply sour: vinegar, it stings",
    ("smell", "yeasty"): "yeasty: bread dough, beer", ("smell", "earthy"): "earthy: woods after rain",
    ("mould", "white film"): "a white film or mat", ("mould", "coloured"): "coloured: green, black, blue, pink",
    ("slime", "yes"): "yes: it draws threads",
}  # fmt: skip
# What a field may hold: a file from elsewhere is as likely wrong as a typed value.
Number = Annotated[float, Allowed(strict=True, allow_inf_nan=False)]
Text = Annotated[str, Allowed(strict=True, max_length=3000)]
Name = Annotated[str, Allowed(strict=True, min_length=1, max_length=80)]
Keys = Annotated[tuple[Name, ...], Allowed(max_length=40)]
Share = Annotated[Number, Allowed(gt=0, le=10_000)]
Hours = Annotated[Number, Allowed(ge=0, le=20_000)]
Days = Annotated[Number, Allowed(ge=0.1, le=1000)]
Degrees = Annotated[Number, Allowed(ge=-5, le=80)]
Signs = Mapping[str, Keys]
OWN_INGREDIENT, MOST_OWN = "own_", 12  # what the keys of a gardener’s own ingredients begin with
SLOT = re.compile(r"\[(\w+): ([^\]]+)\]")  # of a step, for an amount
WAY = "~"  # between the key of a recipe and that of a school of it
MOST_TITLE = 80
WATER = "water"  # the ingredient that everything else is stirred into
DEFAULT_POT_SHARE = 0.1  # of a pot's volume, for a drench: Eproba's own default


@dataclass(frozen=True)
class Portion:
    """An amount of one ingredient in a batch, as the craft writes it; `grams` is what is kept."""

    ingredient: Ingredient
    amount: Annotated[Number, Allowed(gt=0, le=1_000_000)]
    unit: Name

    @property
    def grams(self) -> float:
        return self.ingredient.grams(self.amount, self.unit)


@dataclass(frozen=True)
class Step:
    """One thing to do, with the cautions of the hazard that is met there."""

    do: Annotated[Text, Allowed(min_length=1)]
    cautions: Keys = ()


@dataclass(frozen=True)
class Phase:
    """How often: every `days` [fewest, most]; if named, only until day `until` of the trial and `where` it is so."""

    days: tuple[Days, Days]
    name: Text = ""
    where: Where = ""
    until: Annotated[int, Allowed(strict=True, ge=1, le=10_000)] | None = None


@dataclass(frozen=True)
class Ground:
    """What a recipe’s phases ask of the place: whether its soil is poor, and the season of the day."""

    poor: bool = False
    dry: bool = False
    wet: bool = False
    cool: bool = False

    def is_so(self, where: Where) -> bool:
        conditions = {"poor soil": self.poor, "dry season": self.dry, "wet season": self.wet, "cool months": self.cool}
        return conditions.get(where, True)


@dataclass(frozen=True)
class School:
    """One way of doing it that growers hold to; empty fields: as the recipe. `portions`, `hours`, `temperature` and
    `parts` are what a batch made in this way takes instead of the recipe’s, `every` the days between two of its
    applications."""

    name: Name
    says: Text
    strength: Text = ""
    time: Text = ""
    interval: Text = ""
    use: Text = ""
    portions: tuple[Portion, ...] = ()
    hours: tuple[Hours, Hours] | None = None
    temperature: tuple[Degrees, Degrees] | None = None
    parts: tuple[Share, Annotated[Number, Allowed(ge=0, le=10_000)]] | None = None
    every: Days | None = None

    @property
    def changes(self) -> bool:
        """Whether a batch can be made in this way, or whether it only says when and where."""
        return bool(self.portions or self.hours or self.temperature or self.parts)


@dataclass(frozen=True)
class Recipe:
    """One recipe.

    `portions` make `yields` litres of concentrate (kg or L of what is spread, where `yields_unit` says so); `parts` is
    concentrate and water; `rate` what a square metre gets ([least, usual, most] L or kg, as `rate_unit`); `hours` the
    brewing time from-to at the middle of `temperature`; `stir_hours` between stirrings; `keeps_hours` from `keeps_from`
    on; `plain_between` how many plain waterings it wants between two applications; `least` the smallest sensible batch;
    `ready`, `away` and `normal` the signs of a look; `ours` names the values that are Eproba's own cautious defaults,
    `as_ours` tells where growers do it otherwise;
    `marks` what can act on a reading itself (“dark”, “sugar” …; see the measures' `misled_by`).
    """

    key: str
    title: Annotated[Name, Allowed(max_length=MOST_TITLE)]
    kind: Kind
    family: Name
    said: Text
    sure: Sure
    needs: Text
    portions: Annotated[tuple[Portion, ...], Allowed(min_length=1, max_length=40)]
    yields: Share
    rate: tuple[Share, Share, Share]
    minutes: Annotated[int, Allowed(strict=True, ge=0, le=10_000)]
    use: Text
    phases: Annotated[tuple[Phase, ...], Allowed(max_length=40)]
    brew: Annotated[tuple[Step, ...], Allowed(max_length=40)]
    apply: Annotated[tuple[Step, ...], Allowed(max_length=40)]
    why: Text
    yields_unit: Name = "L"
    rate_unit: Name = "L/m²"
    parts: tuple[Share, Annotated[Number, Allowed(ge=0, le=10_000)]] = (1.0, 0.0)
    water: Text = ""
    vessel: Text = ""
    cover: Text = ""
    strain: Text = ""
    temperature: tuple[Degrees, Degrees] | None = None
    hours: tuple[Hours, Hours] = (0.0, 0.0)
    stir_hours: Annotated[Number, Allowed(ge=0.25, le=1000)] | None = None
    keeps_hours: Annotated[Number, Allowed(ge=0.1, le=100_000)] | None = None
    keeps_from: KeepsFrom = "ready"
    keeps_how: Text = ""
    plain_between: Annotated[int, Allowed(strict=True, ge=0, le=20)] = 0
    least: Share | None = None
    ready: Signs | None = None
    away: Signs | None = None
    ready_words: Text = ""
    away_words: Text = ""
    normal_words: Text = ""
    not_for: Keys = ()
    cautions: Keys = ()
    schools: Annotated[tuple[School, ...], Allowed(max_length=40)] = ()
    ours: Keys = ()
    as_ours: Text = ""
    marks: Keys = ()
    linear: Annotated[bool, Allowed(strict=True)] = True
    version: Annotated[int, Allowed(strict=True, ge=1)] = 1

    def __post_init__(self) -> None:
        if not self.rate[0] <= self.rate[1] <= self.rate[2]:
            raise RecipeError(f"{self.key}: rate is least, usual, most")
        if self.hours[0] > self.hours[1]:
            raise RecipeError(f"{self.key}: hours go from fewer to more")
        if self.temperature is not None and self.temperature[0] > self.temperature[1]:
            raise RecipeError(f"{self.key}: temperature goes from lower to higher")
        if any(phase.days[0] > phase.days[1] for phase in self.phases):
            raise RecipeError(f"{self.key}: the days of a phase go from fewest to most")
        if not self.all_cautions:
            raise RecipeError(f"{self.key}: every recipe has at least one caution")
        for signs in (self.ready, self.away):
            for sign, seen in (signs or {}).items():
                if sign not in SIGNS or set(seen) - set(SIGNS[sign]):
                    raise RecipeError(f"{self.key}: the sign {sign} is one of {', '.join(SIGNS.get(sign, SIGNS))}")

    @property
    def is_way(self) -> bool:
        """Whether it is another recipe as a school of it makes it."""
        return WAY in self.key

    @property
    def liquid(self) -> bool:
        return self.kind == "drench"

    @property
    def brews(self) -> bool:
        """Whether it needs time before it can be used."""
        return self.hours[1] > 0

    @property
    def away_signs(self) -> Signs:
        """The signs to throw it away: its own and a foul smell, else the usual ones of a brew that it does not call
        ready."""
        good = self.ready or {}
        if self.away is not None or not self.brews:
            away = dict(self.away or {})
            if (away or good) and "foul" not in good.get("smell", ()):
                away["smell"] = tuple(dict.fromkeys([*away.get("smell", ()), "foul"]))
            return away
        usual = {sign: tuple(s for s in looks if s not in good.get(sign, ())) for sign, looks in USUAL_AWAY.items()}
        return {sign: looks for sign, looks in usual.items() if looks}

    @property
    def told_away(self) -> str:
        """The signs to throw it away, in words."""
        signs = (seen_words(sign, look) for sign, looks in self.away_signs.items() for look in looks)
        return self.away_words or ", ".join(signs)

    @property
    def all_cautions(self) -> tuple[str, ...]:
        """Keys of all its cautions, in the order in which their hazards come."""
        every = [key for step in (*self.brew, *self.apply) for key in step.cautions]
        return tuple(dict.fromkeys([*every, *self.cautions]))

    @property
    def germs(self) -> str:
        """What in it carries germs for which a harvest waits; empty where nothing does."""
        return next((words for key, words in GERMS.items() if key in self.all_cautions), "")

    @property
    def interval(self) -> str:
        """How often, in words."""
        return "; ".join(f"{_every(phase.days)}{f' ({phase.name})' if phase.name else ''}" for phase in self.phases)

    def fewest_days(self, day: int, ground: Ground | None = None) -> float:
        """The fewest days between two applications on a day of the trial, by the place and the season."""
        site = ground or Ground()
        fits = (p for p in self.phases if (p.until is None or day < p.until) and site.is_so(p.where))
        return next(fits, self.phases[-1]).days[0]


def in_the_way_of(recipe: Recipe, school: str) -> Recipe:
    """The recipe as one of its schools makes it; as it is where it has none of that name that changes anything."""
    in_the_way = next((school_ for school_ in recipe.schools if school_.name == school and school_.changes), None)
    if in_the_way is None:
        return recipe
    changed = {name: getattr(in_the_way, name) for name in ("portions", "hours", "temperature", "parts")}
    return replace(recipe, **{name: value for name, value in changed.items() if value})


def ways_of(recipe: Recipe) -> dict[str, Recipe]:
    """The recipe as each of its schools makes or gives it, by keys of their own, so that a trial can compare them."""
    ways = {}
    for school in recipe.schools:
        if school.changes or school.every is not None:
            phases = recipe.phases if school.every is None else (Phase((school.every, school.every)),)
            key = f"{recipe.key}{WAY}{'-'.join(re.findall(r'[a-z]+', school.name.lower()))}"
            title = f"{recipe.title}, {lower_first(school.name)}"[:MOST_TITLE]
            ways[key] = replace(
                in_the_way_of(recipe, school.name), key=key, title=title, phases=phases, schools=(), said=school.says
            )
    return ways


def stirred(recipe: Recipe, times: float) -> Recipe:
    """The recipe with so many times as much of everything in the same water."""
    if times == 1:
        return recipe
    portions = (portion if portion.ingredient.key == WATER else replace(portion, amount=times * portion.amount)
                for portion in recipe.portions)  # fmt: skip
    return replace(recipe, portions=tuple(portions))


def with_amounts(text: str, portions: Iterable[Portion], units: Units) -> str:
    """A step with the amounts of this batch in its slots: “[brown_sugar: sugar]” becomes “100 g of sugar”, or “no
    sugar” where a school goes without."""
    amounts = {portion.ingredient.key: units(Amount(portion.amount, portion.unit)) for portion in portions}
    return SLOT.sub(lambda slot: f"{amounts[slot[1]]} of {slot[2]}" if slot[1] in amounts else f"no {slot[2]}", text)


def in_batch_of(recipe: Recipe, litres: float) -> tuple[Portion, ...]:
    """The portions of a batch of another size, in litres or whatever the recipe yields."""
    times = litres / recipe.yields if recipe.linear else 1.0
    return tuple(replace(portion, amount=portion.amount * times) for portion in recipe.portions)


def seen_words(sign: str, look: str) -> str:
    """A look as one says it: foul smell, no slime, light foam."""
    if look in ("none", "no"):
        return f"no {sign}"
    if look == "yes":
        return sign
    return f"{look} of {sign}" if look == "white film" else f"{look} {sign}"


def time_words(span: tuple[float, float]) -> str:
    """24 hours, 3 to 7 days, 15 to 30 minutes."""
    low, high = span
    size, name = (1 / 60, "minutes") if high < 2 else (1, "hours") if high < 72 else (24, "days")
    ends = [f"{round(hours / size, 1):g}" for hours in span]
    return f"{ends[1]} {name}" if low == high else f"{ends[0]} to {ends[1]} {name}"


def _every(days: tuple[float, float]) -> str:
    low, high = days
    if high >= 365:
        return "once" if low >= 365 else f"at most every {_span(low)}"
    if low == high:
        return f"every {_span(low)}"
    if 14 <= low < high and low % 7 == high % 7 == 0:
        return f"every {low / 7:g} to {high / 7:g} weeks"
    return f"every {_span(low)} to {_span(high)}"


def _span(days: float) -> str:
    whole = {7: "week", 14: "2 weeks", 21: "3 weeks", 28: "4 weeks", 1: "day"}
    return whole.get(int(days), f"{days:g} days") if days == int(days) else f"{24 * days:g} hours"


def recipe_from(
    key: str, entry: Mapping[str, Any], ingredients: Mapping[str, Ingredient], cautions: Mapping[str, str]
) -> Recipe:
    """Build a recipe from a TOML or JSON table.

    Raises
    ------
    RecipeError, QuantityError
        Unknown or missing keys, ingredients and cautions, by name; amounts that can't be.
    """
    ingredients = {**ingredients, **_own_ingredients(key, entry)}
    entry = {name: value for name, value in entry.items() if name != "ingredients"}
    check_keys(key, entry, Recipe, RecipeError, ["key"])
    values = {name: _frozen(value) for name, value in entry.items()}
    values["portions"] = tuple(_portion(f"{key}: portion", row, ingredients) for row in _rows(key, entry, "portions"))
    for name, table in (("phases", Phase), ("brew", Step), ("apply", Step)):
        values[name] = tuple(_part(f"{key}: {name}", row, table) for row in _rows(key, entry, name))
    values["schools"] = tuple(_school(f"{key}: schools", row, ingredients) for row in _rows(key, entry, "schools"))
    check_values(key, values, Recipe, RecipeError)
    if not values["phases"]:
        raise RecipeError(f"{key}: phases say how often; at least one is needed")
    recipe = Recipe(key=key, **values)
    if unknown := [caution for caution in recipe.all_cautions if caution not in cautions]:
        raise RecipeError(f"{key}: unknown caution {', '.join(unknown)}; known are {', '.join(cautions)}")
    return recipe


def _own_ingredients(key: str, entry: Mapping[str, Any]) -> dict[str, Ingredient]:
    """Ingredients of the gardener’s own, which a recipe carries along, so that it is whole wherever it goes."""
    rows = entry.get("ingredients", {})
    if not isinstance(rows, Mapping) or len(rows) > MOST_OWN:
        raise RecipeError(f"{key}: ingredients is a table of at most {MOST_OWN} own ingredients")
    own_ingredients = {}
    for name, table in rows.items():
        if not name.startswith(OWN_INGREDIENT) or not isinstance(table, Mapping):
            raise RecipeError(f"{key}: ingredients: {name[:40]} is a table, and its key begins with {OWN_INGREDIENT}")
        own_ingredients[name] = ingredient_from(name, table)
    return own_ingredients


def _rows(key: str, entry: Mapping[str, Any], name: str) -> list[Mapping[str, Any]]:
    """The tables under one name of an entry."""
    rows = entry.get(name, [])
    if not isinstance(rows, list | tuple) or not all(isinstance(row, Mapping) for row in rows):
        raise RecipeError(f"{key}: {name} is a list of tables")
    return list(rows)


def _portion(where: str, entry: Mapping[str, Any], ingredients: Mapping[str, Ingredient]) -> Portion:
    check_keys(where, entry, Portion, RecipeError)
    name = str(entry["ingredient"])[:80]
    if name not in ingredients:
        raise RecipeError(f"{where}: unknown ingredient {name}; known are {', '.join(ingredients)}")
    check_values(where, {"amount": entry["amount"], "unit": entry["unit"]}, Portion, RecipeError)
    portion = Portion(ingredients[name], float(entry["amount"]), entry["unit"])
    portion.ingredient.grams(portion.amount, portion.unit)  # refuses a unit in which nobody can measure it
    return portion


def _school(where: str, entry: Mapping[str, Any], ingredients: Mapping[str, Ingredient]) -> School:
    rows = _rows(where, entry, "portions")
    swapped = tuple(_portion(f"{where}: portion", row, ingredients) for row in rows)
    school_: School = _part(where, {name: value for name, value in entry.items() if name != "portions"}, School)
    return replace(school_, portions=swapped)


def _part(where: str, entry: Mapping[str, Any], table: type) -> Any:
    check_keys(where, entry, table, RecipeError)
    values = {name: _frozen(value) for name, value in entry.items()}
    check_values(where, values, table, RecipeError)
    return table(**values)


def _frozen(value: Any) -> Any:
    if isinstance(value, list):
        return tuple(_frozen(item) for item in value)
    if isinstance(value, dict):
        return {name: _frozen(item) for name, item in value.items()}
    return value


def recipe_entry(recipe: Recipe) -> dict[str, Any]:
    """A recipe as plain data, the way back from `recipe_from`; what is empty or usual is left out."""
    entry: dict[str, Any] = {}
    for field in fields(Recipe):
        value = getattr(recipe, field.name)
        if field.name == "key" or value is None or value == field.default:
            continue
        entry[field.name] = _plain(field.name, value)
    used = [
        portion.ingredient for portion in (*recipe.portions, *(p for school in recipe.schools for p in school.portions))
    ]
    if own := {
        ingredient.key: ingredient_entry(ingredient) for ingredient in used if ingredient.key.startswith(OWN_INGREDIENT)
    }:
        entry["ingredients"] = own
    return entry


def _plain(name: str, value: Any) -> Any:
    if name == "portions":
        return [{"ingredient": p.ingredient.key, "amount": p.amount, "unit": p.unit} for p in value]
    if name in ("phases", "schools", "brew", "apply"):
        return [{k: _plain(k, v) for k, v in vars(item).items() if v not in (None, "", ())} for item in value]
    return _thawed(value)


def _thawed(value: Any) -> Any:
    if isinstance(value, tuple):
        return [_thawed(item) for item in value]
    if isinstance(value, Mapping):
        return {name: _thawed(item) for name, item in value.items()}
    return value
