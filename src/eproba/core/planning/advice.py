"""Advice where a choice weakens the trial. Advice never forbids: the gardener decides."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import comb

from eproba.core.measuring.measures import Measure
from eproba.core.measuring.numbers import one_in
from eproba.core.planning.lots import Dealing
from eproba.core.planning.trial import Role


@dataclass(frozen=True)
class Advice:
    """What is weak, why, and what would be stronger."""

    weak: bool
    text: str


def on_treatments(roles: Sequence[Role], poured: bool) -> list[Advice]:
    """Is there a fair control?"""
    if not any(role in ("water control", "untreated") for role in roles):
        text = (
            "No water control and nothing untreated: you will learn which of these is ahead, not whether either works."
        )
        return [Advice(True, text)]
    if poured and "water control" not in roles:
        text = "A drench is mostly water. Without plain water as a control, a gain may be the watering alone."
        return [Advice(True, text)]
    return []


def best_reachable_p(dealing: Dealing, units_each: int) -> float:
    """The smallest p that shuffling one treatment against the control can give."""
    deals = comb(2 * units_each, units_each) if dealing == "completely random" else 2**units_each
    return min(1.0, 2 / deals)


def on_units(dealing: Dealing, units_each: int, treatments: int) -> list[Advice]:
    """Are there units enough for any answer?"""
    if units_each == 1:
        text = (
            "One unit of each can be described, never judged: two places always differ a little. "
            "Split each bed into patches, or use pots; four of each is a start, six are good."
        )
        return [Advice(True, text)]
    lines = []
    smallest = best_reachable_p(dealing, units_each)
    if smallest >= 0.05:
        text = f"With {units_each} of each, the lots alone can’t give less than {one_in(smallest)}. "
        text += f"From {_enough(dealing)} of each on they can pass 1 in 20."
        lines.append(Advice(True, text))
    else:
        text = f"With {units_each} of each, the lots can speak against luck up to {one_in(smallest)}: "
        text += "enough for a clear gain."
        lines.append(Advice(False, text))
    if dealing == "completely random" and units_each * treatments >= 12:
        text = "If the light, the slope or the wall differs along the rows, blocks keep like with like."
        lines.append(Advice(False, text))
    return lines


def _enough(dealing: Dealing) -> int:
    return next(n for n in range(2, 20) if best_reachable_p(dealing, n) < 0.05)


def on_days(measure: Measure, decision_day: int) -> list[Advice]:
    """Does the decision day suit the measure?"""
    if measure.key in ("plant_height", "widest_leaf", "fresh_mass", "leaf_count") and decision_day < 10:
        return [Advice(True, "Growth shows slowly: leaves need two to four weeks to answer.")]
    if measure.key == "surface_worms" and decision_day > 14:
        return [Advice(True, "Worms at the surface answer within two days; a late look shows the weather.")]
    return []
