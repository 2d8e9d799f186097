"""What a treatment took, from what was really brewed and poured, and what it would take for a season."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from functools import reduce

from eproba.core.applying.comparing import cost_of
from eproba.core.applying.desk import Mixed, at_the_desk
from eproba.core.applying.prices import HOUR, WATER, bought
from eproba.core.brewing.events import Batch
from eproba.core.brewing.kitchen import Kit
from eproba.core.brewing.mixing import as_made, brew_minutes
from eproba.core.brewing.recipe import Recipe
from eproba.core.trial.days import CAN_MINUTES, POUR_SECONDS
from eproba.core.trial.doses import LITRES, given_amount, is_poured, litres, planned_dose
from eproba.core.trial.model import Pour, Reading, Treatment, Trial, Unit

WEIGHED: dict[str, float] = {"g": 0.001, "kg": 1.0}
SEASON_WEEKS = 26  # from spring to autumn: Eproba's own guess


@dataclass(frozen=True)
class Spent:
    """What one treatment took over a trial. `cost` of what went in, None: prices not known.

    `times` it was really given; `brews` on record, `from_record`: whether brewing was reckoned from them, or from the
    recipe; `a_season`: how often it would be given in a season at this rhythm; `litres` and `kilos` (water too) that
    were carried to its units, in so many `cans`; `hours` and `water`: what all its hours and litres cost (None: no
    price).
    """

    letter: str
    name: str
    units: int
    area_m2: float
    times: int
    brews: int
    from_record: bool
    brew_minutes: float
    pour_minutes: float
    cost: float | None
    a_season: float
    litres: float = 0.0
    kilos: float = 0.0
    cans: int = 0
    hours: float | None = None
    water: float | None = None

    @property
    def minutes(self) -> float:
        return self.brew_minutes + self.pour_minutes

    @property
    def money(self) -> float | None:
        """What all of it cost, work and water too as far as they have a price; None where what went in has none."""
        return None if self.cost is None else self.cost + (self.hours or 0.0) + (self.water or 0.0)

    @property
    def money_a_unit(self) -> float | None:
        return None if self.money is None or not self.units else self.money / self.units

    @property
    def money_a_m2(self) -> float | None:
        return None if self.money is None or not self.area_m2 else self.money / self.area_m2

    @property
    def per_unit(self) -> float:
        """Minutes for one unit."""
        return self.minutes / self.units if self.units else 0.0

    @property
    def per_m2(self) -> float:
        """Minutes for a square metre."""
        return self.minutes / self.area_m2 if self.area_m2 else 0.0

    @property
    def cost_per_m2(self) -> float | None:
        return None if self.cost is None or not self.area_m2 else self.cost / self.area_m2

    @property
    def season_minutes_per_m2(self) -> float:
        """Minutes for a square metre over a season."""
        return self.per_m2 * self.a_season / self.times if self.times else 0.0


def spent(
    trial: Trial, known: Mapping[str, Recipe], kit: Kit, prices: Mapping[str, float], brews: Mapping[int, Batch]
) -> list[Spent]:
    """What each treatment took; `brews` by number, `prices` a kg by ingredient, and of what `prices.py` names.

    Of two things at once each took what went to the units that got it alone; both took a share of each.
    """
    desks = at_the_desk(trial, known, kit)
    singles = [desk for desk in desks if len(desk.treatment.things) == 1]
    spending = []
    for place in desks:
        sources = singles if trial.crossed and len(place.treatment.things) == 2 else [place]
        spending.append(reduce(_and, [_of(place.treatment, desk, trial, prices, brews) for desk in sources]))
    return spending


def reading_minutes(trial: Trial, readings: Iterable[Reading]) -> float:
    """Minutes that the readings took, by the usual time of each measure."""
    seconds = {asked.measure.key: asked.measure.seconds for asked in trial.asked}
    return sum(seconds.get(reading.measure_key, 0) for reading in readings if reading.value is not None) / 60


def _and(one: Spent, other: Spent) -> Spent:
    """What the same units took of one thing and of another."""
    return replace(
        one,
        times=one.times + other.times,
        brews=one.brews + other.brews,
        from_record=one.from_record and other.from_record,
        brew_minutes=one.brew_minutes + other.brew_minutes,
        pour_minutes=one.pour_minutes + other.pour_minutes,
        cost=_sum(one.cost, other.cost),
        a_season=one.a_season + other.a_season,
        litres=one.litres + other.litres,
        kilos=one.kilos + other.kilos,
        cans=one.cans + other.cans,
        hours=_sum(one.hours, other.hours),
        water=_sum(one.water, other.water),
    )


def _sum(one: float | None, other: float | None) -> float | None:
    return None if one is None or other is None else one + other


def _units_of(treatment: Treatment, trial: Trial) -> tuple[Unit, ...]:
    """Its own units; of two places that take turns the one that got it first."""
    return tuple(unit for unit in trial.given_to(treatment.letter, day=0) if unit.letter == treatment.letter)


def _of(
    treatment: Treatment, desk: Mixed, trial: Trial, prices: Mapping[str, float], brews: Mapping[int, Batch]
) -> Spent:
    """What a treatment's units took of what is mixed at one desk: their share of what all units took that got it."""
    letter, own = desk.treatment.letter, _units_of(treatment, trial)
    share = len(own) / max(1, len(trial.given_to(letter, day=0)))
    given = [p for p in trial.pours if p.letter == letter and p.status == "poured" and p.what == "dose"]
    used = _brews_of(given, brews)
    cans = 1 if desk.can is None else desk.can.count
    poured, kilos = _carried(trial, given, own)
    brewing = 0.0
    for number in used:
        brewing += _share(number, given, trial.pours) * brew_minutes(brews[number].recipe, brews[number].litres)
    without = [pour for pour in given if pour.batch is None]
    if desk.mixed is not None:
        litres = desk.mixed.concentrate_litres or desk.mixed.spread or desk.mixed.recipe.yields
        brewing += len(without) * brew_minutes(desk.mixed.recipe, litres)
    making, pouring = share * brewing, len(given) * (POUR_SECONDS * len(own) / 60 + CAN_MINUTES * cans * share)
    return Spent(
        letter=treatment.letter,
        name=treatment.name,
        units=len(own),
        area_m2=sum(unit.cut.ground_m2 for unit in own),
        times=len(given),
        brews=len(used),
        from_record=bool(used) and not without,
        brew_minutes=making,
        pour_minutes=pouring,
        cost=_times(share, _cost(prices, desk, given, trial, brews)),
        a_season=_a_season(trial, letter),
        litres=poured,
        kilos=kilos,
        cans=round(share * cans * len(given)) if poured else 0,
        hours=_times((making + pouring) / 60, prices.get(HOUR)),
        water=_times(poured, prices.get(WATER)),
    )


def _carried(trial: Trial, given: Iterable[Pour], own: Iterable[Unit]) -> tuple[float, float]:
    """Litres, and kilograms in all (a litre weighs one), that went to these units by the record."""
    codes = {unit.code for unit in own}
    poured = spread = 0.0
    for pour in given:
        if (dose := planned_dose(trial, pour)) is None:
            continue
        amount = sum(given_amount(pour, dose, unit) for unit in trial.units if unit.code in codes)
        if is_poured(dose.unit):
            poured += litres(amount, dose.unit) or 0.0
        elif dose.unit in WEIGHED:
            spread += amount * WEIGHED[dose.unit]
    return poured, poured + spread


def _brews_of(given: Iterable[Pour], brews: Mapping[int, Batch]) -> set[int]:
    """The brews on record that these pours took of."""
    return {n for pour in given for n in (pour.batch, pour.other_batch) if n is not None and n in brews}


def _share(number: int, mine: list[Pour], every: Iterable[Pour]) -> float:
    """How much of a brew a treatment's pours took, by how many pours took of it."""
    took = sum(number in (pour.batch, pour.other_batch) for pour in every if pour.status == "poured")
    return sum(number in (pour.batch, pour.other_batch) for pour in mine) / took


def _cost(
    prices: Mapping[str, float], desk: Mixed, given: list[Pour], trial: Trial, brews: Mapping[int, Batch]
) -> float | None:
    """What went in cost, water apart; None where a price is not known."""
    if desk.mixed is None and desk.treatment.amount is not None:
        return _bought(prices, desk.treatment, given, trial)
    prices = {**prices, WATER: 0.0}
    costs: list[float | None] = [0.0]
    for number in _brews_of(given, brews):
        batch = brews[number]
        portions = as_made(batch.recipe, batch.amounts, batch.litres)
        one = cost_of(portions.portions, prices)
        costs.append(None if one is None else one * batch.litres / portions.yields * _share(number, given, trial.pours))
    fresh = sum(pour.batch is None for pour in given)
    if fresh:
        costs.append(None if desk.mixed is None else _times(fresh, cost_of(desk.mixed.amounts, prices)))
    known = [cost for cost in costs if cost is not None]
    return sum(known) if len(known) == len(costs) else None


def _bought(prices: Mapping[str, float], treatment: Treatment, given: Iterable[Pour], trial: Trial) -> float | None:
    """What a thing without a recipe cost: all that was given of it, by its price a litre, a kilogram or a piece."""
    price, amount = prices.get(bought(treatment.name)), 0.0
    if price is None:
        return None
    for pour in given:
        if (dose := planned_dose(trial, pour)) is not None:
            units = trial.given_to(treatment.letter, pour.what, pour.day)
            amount += sum(given_amount(pour, dose, unit) for unit in units)
    return price * amount * (LITRES | WEIGHED).get(treatment.amount_unit, 1.0)


def _times(count: float, cost: float | None) -> float | None:
    return None if cost is None else count * cost


def _a_season(trial: Trial, letter: str) -> float:
    """How often it would be given in a season at the trial's rhythm; what is given once stays once."""
    days = sorted({pour.day for pour in trial.pours if pour.letter == letter and pour.what == "dose"})
    if len(days) < 2:
        return float(len(days))
    every = (days[-1] - days[0]) / (len(days) - 1)
    return 7 * SEASON_WEEKS / every
