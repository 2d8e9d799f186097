"""The page of prices: one’s hour, water, what goes into brews, what is bought, what is picked."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.applying.prices import HOUR, WATER, PriceError, bought, harvest, price_typed
from eproba.core.quantities import conversion, is_convertible
from eproba.core.words import figure
from eproba.store.commands.kit import keep_currency, keep_prices
from eproba.store.kit import Household, household_kit
from eproba.store.prices import priceable
from eproba.store.recipes import all_recipes
from eproba.web.ui.clock import today
from eproba.web.ui.session import db, system, typed_system
from eproba.web.ui.units import sentence, units
from eproba.web.verdict.keeping import commit

prices = Blueprint("prices", __name__, template_folder="templates")
A_THOUSAND = 1000.0  # litres: what waterworks reckon by
LONGEST_CURRENCY = 8
GROUPS = {
    "usual": ("Everywhere", "Leave your hour empty if the work is your pleasure."),
    "bought": ("Bought ready for use", "A price for a bag is fine: “8.90 for 40 L”."),
    "brewed": ("What goes into brews", "0 is a price too, for what your garden gives."),
    "picked": ("What your harvest is worth", "What you would pay for it in a shop."),
}


@dataclass(frozen=True)
class PriceLine:
    """One thing that may have a price: for how much of it, what stands in its field, what is amiss with that."""

    key: str
    name: str
    per: str
    kept_unit: str
    typed: str = ""
    problem: str = ""

    @property
    def one(self) -> float:
        """How much the price is for, where nothing else is said."""
        return A_THOUSAND if self.key == WATER else 1.0


@dataclass(frozen=True)
class PriceGroup:
    """Lines under one heading; `hint` below it."""

    title: str
    hint: str
    lines: tuple[PriceLine, ...]


@prices.get("/prices")
def show() -> ResponseReturnValue:
    household = household_kit(db())
    return render_template("prices/prices.html", groups=_groups(household), currency=household.currency, problem="")


@prices.post("/prices")
def keep() -> ResponseReturnValue:
    """Keep what is new from today on; one price that can’t be keeps them all back, and nothing typed is lost."""
    household = household_kit(db())
    currency = " ".join(request.form.get("currency", household.currency).split())
    problem = "Write a currency of up to 8 letters." if len(currency) > LONGEST_CURRENCY else ""
    groups, values = [], dict[str, float | None]()
    for group in _groups(household):
        read = [_read(line, request.form, currency) for line in group.lines]
        values |= {line.key: value for line, value in read if not line.problem}
        groups.append(replace(group, lines=tuple(line for line, _ in read)))
    if problem or any(line.problem for group in groups for line in group.lines):
        page = render_template("prices/prices.html", groups=groups, currency=currency, problem=problem)
        return page, 400
    keep_currency(db(), currency)
    keep_prices(db(), values, today())
    commit()
    flash("Saved. These prices hold from today; trials that are over keep the prices of their days.")
    return redirect(url_for("prices.show"))


def _read(line: PriceLine, form: Mapping[str, str], currency: str) -> tuple[PriceLine, float | None]:
    """A line as it was typed, with its price; what was not touched stays exactly as it was kept."""
    text = form.get(f"price-{line.key}", line.typed).strip()
    kept = household_kit(db()).prices.get(line.key)
    if text == line.typed and typed_system() == system():
        return line, kept
    typed = replace(line, typed=text)
    if not text:
        return typed, None
    try:
        return typed, price_typed(text, line.kept_unit, currency, typed_system(), line.one)
    except PriceError as error:
        return replace(typed, problem=sentence(error)), None


def _groups(household: Household) -> list[PriceGroup]:
    things, known = priceable(db()), household.prices
    kilo, litre = units().unit("kg"), units().unit("L")
    usual = (PriceLine(HOUR, "An hour of your work", "hour", "h"), PriceLine(WATER, "Water", f"1000 {litre}", "L"))
    ready = tuple(PriceLine(bought(name), name, _per(unit), unit) for name, unit in things.bought)
    ingredients = tuple(PriceLine(key, _name_of(key), kilo, "kg") for key in _ingredients(things.recipes, known))
    crops = things.crops or ("",)
    picked = tuple(PriceLine(harvest(crop), crop.capitalize() or "What you pick", kilo, "kg") for crop in crops)
    lines = {"usual": usual, "bought": ready, "brewed": ingredients, "picked": picked}
    return [
        PriceGroup(title, hint, tuple(replace(line, typed=_shown(line, known)) for line in lines[group]))
        for group, (title, hint) in GROUPS.items()
        if lines[group]
    ]


def _name_of(ingredient: str) -> str:
    return ingredient.replace("_", " ").capitalize()


def _per(unit: str) -> str:
    return units().unit(unit) if is_convertible(unit) else unit


def _ingredients(recipes: tuple[str, ...], known: Mapping[str, float]) -> Iterator[str]:
    """What the recipes of this garden ask for, and whatever has a price already."""
    of_all = all_recipes(db())
    asked = {portion.ingredient.key for key in recipes if key in of_all for portion in of_all[key].portions}
    named = {key for key in known if ":" not in key}
    yield from sorted((asked | named) - {HOUR, WATER})


def _shown(line: PriceLine, known: Mapping[str, float]) -> str:
    """A price as its field shows it."""
    if line.key not in known:
        return ""
    one = line.one * (1 / conversion(line.kept_unit, system()).factor if is_convertible(line.kept_unit) else 1.0)
    return figure(known[line.key] * one, 2)
