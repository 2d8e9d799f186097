"""The water that a brew is made with, and what helps against what is in it."""

from typing import Literal

from eproba.core.quantities import METRIC, Amount, Units

WaterKind = Literal["rain", "well", "tap with chlorine", "tap with chloramine", "tap, not known"]
ASCORBIC_MG_PER_L = (2.5, 4.0)  # per mg/L of chlorine or chloramine


def ascorbic_acid(litres: float, units: Units = METRIC) -> str:
    """How much of it takes the chlorine or chloramine out of so many litres at once."""
    low, high = (litres * milligrams for milligrams in ASCORBIC_MG_PER_L)
    return f"ascorbic acid, about {low:.0f} to {high:.0f} mg for these {units(Amount(litres, 'L'))} at 1 ppm"


def on_water(kind: WaterKind, litres: float, units: Units = METRIC) -> str:
    """What to do with so many litres of this water before it meets anything living."""
    if kind in ("rain", "well"):
        return "Use it as it is."
    acid = ascorbic_acid(litres, units)
    if kind == "tap with chlorine":
        return f"Let it stand open for 24 hours: chlorine leaves. In a hurry: {acid}."
    if kind == "tap with chloramine":
        return f"Standing does not help against chloramine: take {acid}, or a carbon filter."
    text = "Ask the waterworks: standing for 24 hours helps against chlorine, not against chloramine; "
    return f"{text}{acid}, or a carbon filter helps against both."
