"""The water that a brew is made with, and what helps against what is in it."""

from dataclasses import dataclass
from typing import Literal

WaterKind = Literal["rain", "well", "tap with chlorine", "tap with chloramine", "tap, not known"]
ASCORBIC_MG_PER_L = (2.5, 4.0)  # per mg/L of chlorine or chloramine


@dataclass(frozen=True)
class WaterAdvice:
    """Hours to stand before it is used (0: none), and what to do."""

    stand_hours: float
    text: str


def on_water(kind: WaterKind, litres: float) -> WaterAdvice:
    """What to do with so many litres of this water before it meets anything living."""
    if kind in ("rain", "well"):
        return WaterAdvice(0.0, "Use it as it is.")
    low, high = (litres * each for each in ASCORBIC_MG_PER_L)
    acid = f"ascorbic acid, about {low:.0f} to {high:.0f} mg for these {litres:.3g} L at 1 mg a litre"
    if kind == "tap with chlorine":
        return WaterAdvice(24.0, f"Let it stand open for 24 hours: chlorine leaves. In a hurry: {acid}.")
    if kind == "tap with chloramine":
        return WaterAdvice(0.0, f"Standing does not help against chloramine: take {acid}, or a carbon filter.")
    text = "Ask the waterworks: standing for 24 hours helps against chlorine, not against chloramine; "
    return WaterAdvice(24.0, f"{text}{acid}, or a carbon filter helps against both.")
