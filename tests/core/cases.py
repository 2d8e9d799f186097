"""Units to judge: the published reference cases, and small made-up trials."""

import csv
from datetime import UTC, date, datetime
from pathlib import Path

import numpy as np

from eproba.core.planning.dosing import Wanted
from eproba.core.stats.series import UnitValue
from eproba.core.trial.ground import Cut, Site, row_of
from eproba.core.trial.model import Asked, PlannedTreatment, Pour, Reading, Round, Treatment, Trial, Unit

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


def small_trial(catalogue, first="fresh_mass", kind="pots"):
    """Six pairs of comfrey steep and plain water, three rounds, one application of each; units P0 to P11."""
    day0 = date(2026, 5, 1)
    treatments = (
        Treatment("Comfrey steep", "test", "", 250, "mL", id=1, letter="A"),
        Treatment("Plain water", "water control", "", 250, "mL", id=2, letter="B"),
    )
    place = row_of(kind, 25, 25, 10, 2, 6)
    unit = "pot" if place.standing else "patch"
    cuts = [
        Cut(unit, i, 0, i // 6, i % 6, i, 35.0 * (i % 6), 35.0 * (i // 6), 25.0, 25.0, str(i // 2 + 1))
        for i in range(12)
    ]
    return Trial(
        id=1, name="t", claim="c", note="",
        asked=(Asked(catalogue[first], 1, None), Asked(catalogue["leaf_count"], 2, None)),
        worth=0.15, scale=catalogue[first].scale, lower_is_better=False, summary="last", start_on=day0,
        decision_day=28, dealing="blocks", seed="s", algorithm="a", dealt_at=datetime(2026, 4, 30, tzinfo=UTC),
        deals=1, site=Site((place,)), guard_cm=10.0, control="B", treatments=treatments,
        units=tuple(Unit(i, "AB"[i % 2], cut) for i, cut in enumerate(cuts)),
        rounds=tuple(Round(i, day, True, "", key=f"r{i}", pull=day == 28) for i, day in enumerate((0, 14, 28))),
        pours=tuple(Pour(i, "AB"[i % 2], 0, "poured", day0, "", "", "") for i in range(2)),
        started_on=day0, closed_at=datetime(2026, 5, 29, 18, tzinfo=UTC),
    )  # fmt: skip


def reading(trial, number, this, unit, key, value):
    """One reading as it was planned."""
    return Reading(number, this.id, unit.id, key, 1, value, "", "", 1)


def wanted(name, role, given, rhythm, **more):
    """A treatment as it is planned."""
    return Wanted(PlannedTreatment(name, role, **more), given, rhythm)
