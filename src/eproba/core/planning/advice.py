"""Advice where a choice weakens the trial. Advice never forbids: the gardener decides."""

import re
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from math import comb

from eproba.core.measuring.measures import Measure
from eproba.core.quantities import METRIC, Amount, Units
from eproba.core.stats.periods import FEWEST, MOST, best_schedule_p
from eproba.core.stats.reach import can_show, fewest_that_can
from eproba.core.trial.compared import COMPARED
from eproba.core.trial.days import WEEKDAYS, period_of_pour
from eproba.core.trial.ground import UnitKind
from eproba.core.trial.lots import Dealing, in_blocks
from eproba.core.trial.model import Compared, Role
from eproba.core.words import listed, lower_first, minutes_text, one_in, plural

NOTHING_ADDED: tuple[Role, ...] = ("water control", "untreated")
ROUNDED = 0.05  # a rate typed as one reads it
ONE_BATCH = (
    "With one batch for all units, you’ll learn about that brew or bag, not about the recipe. "
    "Several batches, each in its own blocks, would tell about the recipe."
)
ONE_BAG = (
    "With one bag of each, you’ll learn about these bags, not about the brands. "
    "Several bags of each, every one in its own blocks, would tell about the brand."
)
SPRAYED = re.compile(r"\b(spray|sprayed|spraying|mist|misted|foliar|leaf|leaves)\b", re.I)
MANURE_DAYS = (120, 90)  # before a harvest that touches the soil; before one that does not
LEAST_SQUARE = 4  # of three treatments there are 12 squares, of four 144 or more


@dataclass(frozen=True)
class Advice:
    """What is weak, why, and what would be stronger; `about`: the treatment that it is said of."""

    weak: bool
    says: str
    about: str = ""

    @property
    def text(self) -> str:
        return f"{self.about}: {self.says}" if self.about else self.says


def merged(advice: Sequence[Advice]) -> list[Advice]:
    """Each thing once: what is said of several treatments (the rungs of a ladder, say) is said of all of them."""
    about: dict[tuple[bool, str], list[str]] = {}
    for line in advice:
        names = about.setdefault((line.weak, line.says), [])
        names += [line.about] if line.about and line.about not in names else []
    return [Advice(weak, says, listed(names) if names else "") for (weak, says), names in about.items()]


def on_treatments(roles: Sequence[Role], poured: bool, batches: int = 1, compared: Compared = "drench") -> list[Advice]:
    """Is there a fair control, and of how many batches will the verdict speak?"""
    if not any(role in NOTHING_ADDED for role in roles) and "reference" not in roles:
        text = (
            "No water control and nothing untreated: you will learn which of these is ahead, not whether either works."
        )
        return [Advice(True, text)]
    controls = COMPARED[compared].controls
    if not any(role in NOTHING_ADDED for role in roles) and set(NOTHING_ADDED) & set(controls):
        text = "A known good thing alone tells which is ahead; something untreated would tell whether either works."
        return [Advice(True, text)]
    if poured and "water control" not in roles and "water control" in controls:
        text = "A drench is mostly water. Without plain water as a control, a gain may be the watering alone."
        return [Advice(True, text)]
    return [] if batches > 1 or compared == "way" else [Advice(False, ONE_BAG if compared == "media" else ONE_BATCH)]


def on_kind(compared: Compared) -> list[Advice]:
    """What a kind of comparison asks for besides its measures."""
    if compared != "media":
        return []
    text = (
        "Growing media: nothing can be read before they are sown, so there is no baseline. Test a slurry of each bag"
        " before (one part by mass, four parts of water, left overnight; pH and conductivity) and write it into the"
    )
    return [Advice(False, f"{text} note: too salty a mix shows before a seed is lost in it.")]


def on_spray(name: str, how: str) -> list[Advice]:
    """Is it brought onto leaves?"""
    if not SPRAYED.search(how):
        return []
    text = (
        f"{name} on leaves: nothing brewed belongs on what is eaten raw. Pour it on the soil, or take a crop of"
        " which nothing sprayed is eaten; and spray the control with plain water, since wet leaves do something too."
    )
    return [Advice(True, text)]


def on_rate(
    name: str, on_a_m2: float, rate: tuple[float, float, float], unit: str, units: Units = METRIC
) -> list[Advice]:
    """Is a dose within what its recipe gives to a square metre?"""
    least, usual, most = rate
    if least * (1 - ROUNDED) <= on_a_m2 <= most * (1 + ROUNDED):
        return []
    given = units(Amount.of(float(f"{on_a_m2:.2g}"), unit))
    text = f"{given}; its recipe gives {units(Amount.of(least, unit, most))}"
    text += f", usually {units(Amount.of(usual, unit))}" if least < most else ""
    return [Advice(True, f"{text}. Another dose tests something else than the recipe.", name)]


def on_unlike_units(sizes: str, by_unit: Sequence[str], amounts: Sequence[str]) -> list[Advice]:
    """Units of several sizes and the same amount for each: the small ones get more on a square metre."""
    if not by_unit:
        return []
    text = (
        f"The units are not alike ({sizes}), and {listed(list(by_unit))} is given by the unit: {listed(list(amounts))}"
    )
    return [Advice(True, f"{text}. Give it by the ground, or take a cut of equal units.")]


def best_reachable_p(dealing: Dealing, units_each: int) -> float:
    """The smallest p that shuffling one treatment against the control can give."""
    if dealing == "on and off":
        return best_schedule_p(units_each)
    deals = 2**units_each if in_blocks(dealing) else comb(2 * units_each, units_each)
    return min(1.0, 2 / deals)


def on_square(side: int) -> list[Advice]:
    """What a Latin square takes out, and what its lots can say."""
    text = "A Latin square takes out what differs along both ways. "
    if side < LEAST_SQUARE:
        return [Advice(True, f"{text}So small a one has too few deals: its lots alone can’t pass 1 in 20.")]
    return [Advice(False, f"{text}The whole square is dealt again, which tests whether anything works at all.")]


def on_units(dealing: Dealing, units_each: int, treatments: int) -> list[Advice]:
    """Are there units enough for any answer?"""
    if units_each == 1:
        text = (
            "One unit of each can be described, never judged: two places always differ a little. "
            "Split each bed into patches, or use pots; four of each is a start, six are good."
        )
        return [Advice(True, text)]
    if dealing == "Latin square":
        return on_square(units_each)
    lines = []
    smallest = best_reachable_p(dealing, units_each)
    if smallest >= 0.05:
        text = f"With {units_each} of each, the lots alone can’t give less than {one_in(smallest)}. "
        text += f"From {_enough(dealing)} of each on they can pass 1 in 20."
        lines.append(Advice(True, text))
    else:
        text = f"With {units_each} of each, a large gain can be shown beyond luck "
        text += f"(at best {one_in(smallest)})."
        lines.append(Advice(False, text))
    if dealing == "completely random" and units_each * treatments >= 12:
        text = "If the light, the slope or the wall differs along the rows, blocks keep like with like."
        lines.append(Advice(False, text))
    return lines


def by_order_words(units_each: int, compared: int, blocks: bool, days: bool) -> str:
    """Whether any order of so few units could show anything; of days that goes by order where some wait."""
    what = "Where it has not come for some units, days go by order" if days else "Classes go by their order"
    if can_show(units_each, compared, blocks):
        return f"{what}: {units_each} of each can show it, if they stand apart enough."
    fewest = fewest_that_can(compared, blocks)
    return f"{what}: with {units_each} of each no order at all could show anything; {fewest} of each can."


def on_order(measure: Measure, dealing: Dealing, units_each: int, treatments: int) -> list[Advice]:
    """What goes by order asks for units enough that some order could show it."""
    if measure.kind not in ("class", "day") or units_each < 2 or dealing in ("on and off", "Latin square"):
        return []
    compared, blocks = treatments - 1, in_blocks(dealing)
    if can_show(units_each, compared, blocks):
        return []
    return [Advice(True, by_order_words(units_each, compared, blocks, measure.kind == "day"))]


def lots_words(dealing: Dealing, units_each: int, smallest: float) -> str:
    """What shuffling can say at best, beside a chance that the calculation gives."""
    if smallest < 0.05:
        return one_in(smallest)
    text = f"{one_in(smallest)}: the lots alone can’t confirm a gain, and the verdict rests on the calculation"
    return f"{text}; from {_enough(dealing)} {'periods' if dealing == 'on and off' else 'of each'} on they can"


def _enough(dealing: Dealing) -> int:
    sizes = range(FEWEST, MOST + 1, 2) if dealing == "on and off" else range(2, 20)
    return next(n for n in sizes if best_reachable_p(dealing, n) < 0.05)


def on_gradient(kind: str) -> list[Advice]:
    """A gradient that was drawn, and lots that fall across it anywhere (`kind`: that of the gradient)."""
    if not kind:
        return []
    text = f"The ground was drawn with a gradient ({kind}), and this cut lets the lots fall across it anywhere"
    return [Advice(True, f"{text}. Blocks across it keep like with like.")]


def on_turns(dealing: Dealing, measure: Measure, compared: Compared) -> list[Advice]:
    """When two places may take turns, and what such a trial can't do."""
    if dealing != "on and off":
        return []
    lines = []
    if measure.destructive or measure.adds_up or measure.rhythm != "soil life":
        text = f"{measure.name} does not go back when a place is off again"
        lines.append(
            Advice(True, f"{text}: turns fit what answers within days and goes back, such as life in the soil.")
        )
    if compared in ("dry", "mulch", "media"):
        lines.append(Advice(True, "What lies in the ground stays there: it can’t be switched off for a period."))
    text = "It speaks of these two places alone, and not of what builds up over a season."
    lines.append(Advice(False, f"Turns make much of two places. {text} The first half of each period is not read."))
    return lines


def on_idle_turns(name: str, days: Sequence[int], decision_day: int, periods: int) -> list[Advice]:
    """Periods into which no application of what is tried falls: a place that is on there gets none of it."""
    length = decision_day // periods
    served = {period_of_pour(day, length, periods) for day in days}
    idle = [str(period) for period in range(1, periods + 1) if period not in served]
    if not idle:
        return []
    text = (
        f"In period{'s' if len(idle) > 1 else ''} {listed(idle)} of {periods} nothing of {lower_first(name)} is given"
    )
    return [Advice(True, f"{text}: a place that is on then gets none of it. Give it every {plural(length, 'day')}.")]


def on_guard(measure: Measure, guard_cm: float, kind: UnitKind, units: Units = METRIC) -> list[Advice]:
    """Is the guard wide enough for what is measured?"""
    if kind in ("pot", "cell") or guard_cm >= measure.guard_cm:
        return []
    text = f"For {measure.name.lower()} a guard of {units(Amount(measure.guard_cm, 'cm'))} or more is advised: "
    return [Advice(True, text + "water and worms cross a narrower one, and a neighbour loses what a patch wins.")]


def on_place(measure: Measure) -> list[Advice]:
    """What the place must have to answer at all; the baseline shows it."""
    if not measure.silent:
        return []
    return [Advice(False, f"The baseline will show whether the place can answer. {measure.silent}")]


def on_days(measure: Measure, decision_day: int) -> list[Advice]:
    """Does the decision day suit the measure?"""
    if measure.key in ("plant_height", "widest_leaf", "fresh_mass", "leaf_count") and decision_day < 10:
        return [Advice(True, "Growth shows slowly: leaves need two to four weeks to answer.")]
    if measure.key == "surface_worms" and decision_day > 14:
        return [Advice(True, "Worms at the surface answer within two days; a late look shows the weather.")]
    return []


def on_weekday(start_on: date, decision_day: int, weekdays: Collection[int]) -> list[Advice]:
    """Day 0 and the decision day stay where they were put: say where they would suit."""
    lines = []
    for name, day in (("Day 0", 0), ("The decision day", decision_day)):
        on = start_on + timedelta(days=day)
        if on.weekday() in weekdays:
            continue
        near = next(on + timedelta(days=step) for step in (-1, 1, -2, 2, -3, 3) if _suits(on, step, weekdays))
        text = f"{name} is a {WEEKDAYS[on.weekday()]}, not one of your days; {near:%a} {near.day} {near:%b} would be"
        lines.append(Advice(False, f"{text}{f' (day {(near - start_on).days})' if day else ''}."))
    return lines


def _suits(on: date, step: int, weekdays: Collection[int]) -> bool:
    return (on + timedelta(days=step)).weekday() in weekdays


def on_minutes(day: int, takes: float, has: float) -> list[Advice]:
    """Does the longest round fit into the minutes that there are?"""
    if takes <= has:
        return []
    text = f"The round of day {day} takes {minutes_text(takes)} with its application; under Chance you have"
    return [Advice(True, f"{text} {minutes_text(has)}. Read fewer things, have fewer units, or take more time.")]


def on_intervals(name: str, pours: Sequence[int], fewest: Sequence[float], interval: str) -> list[Advice]:
    """Are the pours as far apart as the recipe wants? `fewest` days for each of them; `interval` in words."""
    for earlier, day, least in zip(pours, pours[1:], fewest[1:], strict=False):
        if day - earlier < least:
            text = f"poured again after {day - earlier} days, on day {day}; its recipe wants {least:g} at least"
            return [Advice(True, f"{text}: {interval}.", name)]
    return []


def on_germs(name: str, germs: str, last_pour: int, decision_day: int) -> list[Advice]:
    """Germs of raw manure, or of a brew that was fed, and what is cut on the decision day."""
    touching, else_ = (last_pour + days for days in MANURE_DAYS)
    if decision_day >= touching:
        return []
    text = f"{name} carries germs of {germs}: what touches the soil is eaten from day {touching} on"
    return [Advice(True, f"{text} at the soonest, other fruit from day {else_}; what is cut before is not eaten.")]
