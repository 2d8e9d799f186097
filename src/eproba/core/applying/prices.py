"""What things cost, each price with the day from which it holds: a trial is reckoned at the prices of its days."""

import math
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date

from eproba.core.errors import EprobaError
from eproba.core.quantities import System, is_convertible, number_typed
from eproba.core.words import parse_number

HOUR, WATER = "hour", "water"  # an hour of one's work, a litre of water
BOUGHT, HARVEST = "bought:", "harvest:"  # before the name of what is bought ready for use, of a crop that is picked
SIGNS = {"€": "EUR", "$": "USD", "£": "GBP", "¥": "JPY"}
MOST = 1_000_000.0
_SIGNED = re.compile(r"(?P<before>[^\d\s.,+−-]*)\s*(?P<price>[+−-]?[\d.,]+)\s*(?P<behind>[^\d\s.,]*)")
_FOR = re.compile(r"\s+(?:for|per)\s+|\s*/\s*")


class PriceError(EprobaError):
    """A price that can't be; the message says what to write."""


@dataclass(frozen=True)
class DatedPrice:
    """A price from its day on, for a kilogram, a litre, an hour; `value` None: not known any more."""

    what: str
    on: date
    value: float | None


def prices_on(prices: Iterable[DatedPrice], on: date) -> dict[str, float]:
    """What each thing cost on a day: the last price until then, else the first one after it."""
    by_thing: dict[str, list[DatedPrice]] = {}
    for price in sorted(prices, key=lambda price: price.on):
        by_thing.setdefault(price.what, []).append(price)
    costs: dict[str, float] = {}
    for what, dated in by_thing.items():
        holds = next((price for price in reversed(dated) if price.on <= on), dated[0])
        if holds.value is not None:
            costs[what] = holds.value
    return costs


def bought(name: str) -> str:
    """What a thing’s price is found by, where it is bought ready for use: its name, small or large letters alike."""
    return BOUGHT + " ".join(name.casefold().split())


def harvest(crop: str) -> str:
    """What the worth of a kilogram of a crop is found by."""
    return HARVEST + " ".join(crop.casefold().split())


def harvest_worth(prices: Mapping[str, float], crops: Iterable[str]) -> float | None:
    """What a kilogram of these crops is worth, each counted alike; None where one has no price."""
    worths = [prices.get(harvest(crop)) for crop in crops or ("",)]
    known = [worth for worth in worths if worth is not None]
    return sum(known) / len(known) if known and len(known) == len(worths) else None


def price_typed(text: str, unit: str, currency: str = "", system: System = "metric", usual: float = 1.0) -> float:
    """“8.90”, “8,90 €”, “8.90 for 40 L”, “12 / 25 kg”: the price of one `unit`, as the record keeps it; `usual`: for
    how many of the household's units, where that is not said.

    Raises
    ------
    PriceError
        No number, less than nothing, another currency than the household’s, an amount of nothing.
    """
    typed, *of = _FOR.split(text.strip(), maxsplit=1)
    price, sign = _without_sign(typed)
    if sign and sign != _named(currency):
        other = "Say which currency yours is, above" if not currency else f"All prices are in {currency} here"
        raise PriceError(f"“{text.strip()}” is in another currency. {other}; then write this one in it.")
    try:
        value = parse_number(price)
        amount = _amount(of[0] if of else f"{usual:g}", unit, system)
    except EprobaError as error:
        example = f"8.90 for 40 {unit}" if is_convertible(unit) else "8.90"
        raise PriceError(f"“{text.strip()}” is no price: write it like 8.90, or {example}.") from error
    if not (math.isfinite(value) and 0 <= value <= MOST and amount > 0):
        raise PriceError(f"“{text.strip()}” doesn’t fit: a price is 0 or more, for an amount above 0.")
    return value / amount


def _amount(text: str, unit: str, system: System) -> float:
    """For how much the price is, in the record’s unit."""
    return number_typed(text, unit, system) if is_convertible(unit) else parse_number(text)


def _without_sign(typed: str) -> tuple[str, str]:
    """The number, and the currency that stands before or behind it."""
    sign = _SIGNED.fullmatch(typed.strip())
    if sign is None:
        return typed, ""
    return sign["price"], _named(sign["before"] or sign["behind"] or "")


def _named(currency: str) -> str:
    """A currency by its letters, so that “€” and “EUR” are one."""
    return SIGNS.get(currency.strip(), currency.strip().upper())


def money(value: float, currency: str = "") -> str:
    """“3.10 €”; what is less than a cent keeps two figures; “3.10” in no currency that was named."""
    size = abs(value)
    shown = f"{size:.2f}" if size >= 0.01 or size == 0 else f"{size:.1g}"
    signed = f"−{shown}" if value < 0 else shown
    return f"{signed}\N{NO-BREAK SPACE}{currency}" if currency else signed
