"""Units to judge: the published reference cases, and small made-up trials."""

import csv
from pathlib import Path

import numpy as np

from eproba.core.judging.series import UnitValue

REFERENCE = Path(__file__).parents[1] / "reference"


def rows(name: str) -> list[dict[str, str]]:
    with (REFERENCE / name).open(newline="") as file:
        return list(csv.DictReader(file))


def units_of(case: str) -> list[UnitValue]:
    def number(text: str | None) -> float | None:
        return float(text) if text else None

    return [
        UnitValue(r["unit"], r["treatment"], number(r["value"]), r.get("block"), baseline=number(r.get("baseline")))
        for r in rows(f"{case}.csv")
    ]


def expected(case: str, scale: str) -> dict[str, dict[str, float]]:
    found = rows(f"{case}.{scale}.expected.csv")
    return {
        r["treatment"]: {k: float(v) for k, v in r.items() if k not in ("case", "scale", "treatment")} for r in found
    }


def made_up(
    seed: int,
    treatments: int = 3,
    each: int = 4,
    blocks: bool = False,
    effect: float = 0.0,
    baseline: bool = False,
    level: float = 10.0,
) -> list[UnitValue]:
    """A trial of treatments A (control), B, C …; B has the true effect."""
    rng = np.random.default_rng(seed)
    units = []
    for i in range(treatments * each):
        letter = "ABCDEFG"[i % treatments]
        start = float(rng.normal(0, 1)) if baseline else 0.0
        value = level + start + float(rng.normal(0, 1)) + (effect if letter == "B" else 0.0)
        block = str(i // treatments) if blocks else None
        units.append(UnitValue(f"u{i}", letter, value, block, baseline=level + start if baseline else None))
    return units
