"""A recipe: what goes in, how it is brewed and cared for, its signs, strength, use, how long it keeps, its cautions."""

from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import Annotated, Any, Literal

from pydantic import Field

from eproba.core.brewing.ingredients import Ingredient, RecipeError
from eproba.core.keys import check_keys, check_values

Kind = Literal["drench", "dry", "medium", "test"]
Sure = Literal["hearsay", "plausible", "some trials", "well shown"]
SIGNS: dict[str, tuple[str, ...]] = {  # what a check looks at, and what may be seen
    "smell": ("none", "earthy", "sweet", "yeasty", "mildly sour", "sharply sour", "strong", "foul"),
    "bubbles": ("none", "few", "many"),
    "foam": ("none", "light", "thick"),
    "colour": ("pale", "cloudy", "dark"),
    "mould": ("none", "white film", "coloured"),
    "slime": ("no", "yes"),
}
# What a field may hold: a file from elsewhere is as likely wrong as a typed value.
Number = Annotated[float, Field(strict=True, allow_inf_nan=False)]
Text = Annotated[str, Field(strict=True, max_length=3000)]
Name = Annotated[str, Field(strict=True, min_length=1, max_length=80)]
Keys = Annotated[tuple[Name, ...], Field(max_length=40)]
Share = Annotated[Number, Field(gt=0, le=10_000)]
Hours = Annotated[Number, Field(ge=0, le=20_000)]
Days = Annotated[Number, Field(ge=0.1, le=1000)]
Degrees = Annotated[Number, Field(ge=-5, le=80)]
Signs = Mapping[str, Keys]
DEFAULT_POT_SHARE = 0.1  # of a pot's volume, for a drench: Eproba's own default


@dataclass(frozen=True)
class Portion:
    """An amount of one ingredient in a batch, as the craft writes it; `grams` is what is kept."""

    ingredient: Ingredient
    amount: Annotated[Number, Field(gt=0, le=1_000_000)]
    unit: Name

    @property
    def grams(self) -> float:
        return self.ingredient.grams(self.amount, self.unit)


@dataclass(frozen=True)
class Step:
    """One thing to do, with the cautions of the hazard that is met there."""

    do: Annotated[Text, Field(min_length=1)]
    cautions: Keys = ()


@dataclass(frozen=True)
class Phase:
    """How often: every `days` [fewest, most], until day `until` (None: to the end), in a season if one is named."""

    days: tuple[Days, Days]
    name: Text = ""
    until: Annotated[int, Field(strict=True, ge=1, le=10_000)] | None = None


@dataclass(frozen=True)
class School:
    """One way of doing it that growers hold to; empty fields: as the recipe."""

    name: Name
    says: Text
    strength: Text = ""
    time: Text = ""
    interval: Text = ""
    use: Text = ""


@dataclass(frozen=True)
class Recipe:
    """One recipe.

    `portions` make `yields` litres of concentrate (kg or L of what is spread, where `yields_unit` says so); `parts` is
    concentrate and water; `rate` what a square metre gets ([least, usual, most] L or kg, as `rate_unit`); `hours` the
    brewing time from-to at the middle of `temperature`; `stir_hours` between stirrings; `keeps_hours` from ready on;
    `ready`, `away` and `normal` the signs of a check; `ours` names the values that are Eproba's own cautious defaults.
    """

    key: str
    title: Annotated[Name, Field(max_length=80)]
    kind: Kind
    family: Name
    said: Text
    sure: Sure
    needs: Text
    portions: Annotated[tuple[Portion, ...], Field(min_length=1, max_length=40)]
    yields: Share
    rate: tuple[Share, Share, Share]
    minutes: Annotated[int, Field(strict=True, ge=0, le=10_000)]
    use: Text
    phases: Annotated[tuple[Phase, ...], Field(max_length=40)]
    brew: Annotated[tuple[Step, ...], Field(max_length=40)]
    apply: Annotated[tuple[Step, ...], Field(max_length=40)]
    why: Text
    yields_unit: Name = "L"
    rate_unit: Name = "L/m²"
    parts: tuple[Share, Annotated[Number, Field(ge=0, le=10_000)]] = (1.0, 0.0)
    water: Text = ""
    vessel: Text = ""
    cover: Text = ""
    strain: Text = ""
    temperature: tuple[Degrees, Degrees] | None = None
    hours: tuple[Hours, Hours] = (0.0, 0.0)
    stir_hours: Annotated[Number, Field(ge=0.25, le=1000)] | None = None
    keeps_hours: Annotated[Number, Field(ge=0.1, le=100_000)] | None = None
    keeps_how: Text = ""
    ready: Signs | None = None
    away: Signs | None = None
    ready_words: Text = ""
    away_words: Text = ""
    normal_words: Text = ""
    not_for: Keys = ()
    cautions: Keys = ()
    schools: Annotated[tuple[School, ...], Field(max_length=40)] = ()
    ours: Keys = ()
    linear: Annotated[bool, Field(strict=True)] = True
    version: Annotated[int, Field(strict=True, ge=1)] = 1

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
    def liquid(self) -> bool:
        return self.kind == "drench"

    @property
    def brews(self) -> bool:
        """Whether it needs time before it can be used."""
        return self.hours[1] > 0

    @property
    def all_cautions(self) -> tuple[str, ...]:
        """Keys of all its cautions, in the order in which their hazards come."""
        found = [key for step in (*self.brew, *self.apply) for key in step.cautions]
        return tuple(dict.fromkeys([*found, *self.cautions]))

    @property
    def interval(self) -> str:
        """How often, in words."""
        return "; ".join(f"{_every(phase.days)}{f' ({phase.name})' if phase.name else ''}" for phase in self.phases)

    def fewest_days(self, day: int) -> float:
        """The fewest days between two applications on a day of the trial."""
        phase = next((each for each in self.phases if each.until is None or day < each.until), self.phases[-1])
        return phase.days[0]


def time_words(span: tuple[float, float]) -> str:
    """24 hours, 3 to 7 days, 15 to 30 minutes."""
    low, high = span
    size, name = (1 / 60, "minutes") if high < 2 else (1, "hours") if high < 72 else (24, "days")
    told = [f"{round(hours / size, 1):g}" for hours in span]
    return f"{told[1]} {name}" if low == high else f"{told[0]} to {told[1]} {name}"


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
    check_keys(key, entry, Recipe, RecipeError, ["key"])
    values = {name: _frozen(value) for name, value in entry.items()}
    values["portions"] = tuple(_portion(f"{key}: portion", each, ingredients) for each in _rows(key, entry, "portions"))
    for name, table in (("phases", Phase), ("schools", School), ("brew", Step), ("apply", Step)):
        values[name] = tuple(_part(f"{key}: {name}", each, table) for each in _rows(key, entry, name))
    check_values(key, values, Recipe, RecipeError)
    if not values["phases"]:
        raise RecipeError(f"{key}: phases say how often; at least one is needed")
    made = Recipe(key=key, **values)
    if unknown := [each for each in made.all_cautions if each not in cautions]:
        raise RecipeError(f"{key}: unknown caution {', '.join(unknown)}; known are {', '.join(cautions)}")
    return made


def _rows(key: str, entry: Mapping[str, Any], name: str) -> list[Mapping[str, Any]]:
    """The tables under one name of an entry."""
    rows = entry.get(name, [])
    if not isinstance(rows, list | tuple) or not all(isinstance(each, Mapping) for each in rows):
        raise RecipeError(f"{key}: {name} is a list of tables")
    return list(rows)


def _portion(where: str, entry: Mapping[str, Any], ingredients: Mapping[str, Ingredient]) -> Portion:
    check_keys(where, entry, Portion, RecipeError)
    name = str(entry["ingredient"])[:80]
    if name not in ingredients:
        raise RecipeError(f"{where}: unknown ingredient {name}; known are {', '.join(ingredients)}")
    check_values(where, {"amount": entry["amount"], "unit": entry["unit"]}, Portion, RecipeError)
    portion = Portion(ingredients[name], float(entry["amount"]), entry["unit"])
    if not portion.grams > 0:
        raise RecipeError(f"{where}: {portion.ingredient.name} needs an amount above 0")
    return portion


def _part(where: str, entry: Mapping[str, Any], table: type) -> Any:
    check_keys(where, entry, table, RecipeError)
    values = {name: _frozen(value) for name, value in entry.items()}
    check_values(where, values, table, RecipeError)
    return table(**values)


def _frozen(value: Any) -> Any:
    if isinstance(value, list):
        return tuple(_frozen(each) for each in value)
    if isinstance(value, dict):
        return {name: _frozen(each) for name, each in value.items()}
    return value


def recipe_entry(recipe: Recipe) -> dict[str, Any]:
    """A recipe as plain data, the way back from `recipe_from`; what is empty or usual is left out."""
    entry: dict[str, Any] = {}
    for field in fields(Recipe):
        value = getattr(recipe, field.name)
        if field.name == "key" or value is None or value == field.default:
            continue
        entry[field.name] = _plain(field.name, value)
    return entry


def _plain(name: str, value: Any) -> Any:
    if name == "portions":
        return [{"ingredient": p.ingredient.key, "amount": p.amount, "unit": p.unit} for p in value]
    if name in ("phases", "schools", "brew", "apply"):
        return [{k: _thawed(v) for k, v in vars(each).items() if v not in (None, "", ())} for each in value]
    return _thawed(value)


def _thawed(value: Any) -> Any:
    if isinstance(value, tuple):
        return [_thawed(each) for each in value]
    if isinstance(value, Mapping):
        return {name: _thawed(each) for name, each in value.items()}
    return value
