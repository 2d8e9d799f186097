"""Pictures of the practice garden: each plant's course with what the eye takes from it, and the calibration picture."""

from collections.abc import Sequence
from dataclasses import dataclass

from eproba.core.practice.learning import Bin
from eproba.core.practice.scenes import Scene
from eproba.core.words import figure
from eproba.web.pictures.gap_ruler import ticks_between

WIDTH, HEIGHT, LEFT, RIGHT, TOP, FOOT = 760.0, 320.0, 56.0, 610.0, 18.0, 280.0
SIDE, MARGIN = 300.0, 48.0


@dataclass(frozen=True)
class DrawnCourse:
    """One unit's course: a path and where it ends (None: it was lost under way)."""

    code: str
    treated: bool
    path: str
    end: tuple[float, float] | None
    stop: tuple[float, float]


@dataclass(frozen=True)
class SceneDrawn:
    """All courses; `means`: treated or not, where their mean ends, its label."""

    courses: tuple[DrawnCourse, ...]
    means: tuple[tuple[bool, float, str], ...]
    days: tuple[tuple[float, int], ...]
    ticks: tuple[tuple[float, str], ...]
    unit: str
    words: str


def scene_drawn(scene: Scene) -> SceneDrawn:
    """Draw what the gardener has in his notes."""
    every = [value for unit in scene.seen for value in unit.values if value is not None]
    low, high = 0.0, 1.06 * max(every)
    last = scene.days[-1] or 1

    def x(day: float) -> float:
        return round(LEFT + (RIGHT - LEFT) * day / last, 1)

    def y(value: float) -> float:
        return round(FOOT - (FOOT - TOP) * (value - low) / (high - low), 1)

    courses = []
    for unit in scene.seen:
        points = [(x(day), y(v)) for day, v in zip(scene.days, unit.values, strict=True) if v is not None]
        path = "M" + "L".join(f"{a} {b}" for a, b in points)
        whole = unit.values[-1] is not None
        courses.append(DrawnCourse(unit.code, unit.treated, path, points[-1] if whole else None, points[-1]))
    means = []
    for treated in (True, False):
        ends = [u.values[-1] for u in scene.seen if u.treated == treated and u.values[-1] is not None]
        if ends:
            mean = sum(value or 0.0 for value in ends) / len(ends)
            means.append((treated, y(mean), f"{figure(mean)} {scene.measure.unit}"))
    words = ", ".join(f"{'with it' if treated else 'without'} {label}" for treated, _, label in means)
    return SceneDrawn(
        courses=tuple(courses),
        means=_apart(means),
        days=tuple((x(day), day) for day in scene.days if len(scene.days) < 8 or day % 4 == 0),
        ticks=tuple((y(at), label.lstrip("+")) for at, label in ticks_between(low, high, False)),
        unit=scene.measure.unit,
        words=f"Courses of {len(scene.seen)} units over {last} days. Means at the end: {words}.",
    )


def _apart(means: Sequence[tuple[bool, float, str]]) -> tuple[tuple[bool, float, str], ...]:
    """Labels that would stand over each other move apart."""
    if len(means) < 2 or abs(means[0][1] - means[1][1]) >= 24:
        return tuple(means)
    middle, first_above = (means[0][1] + means[1][1]) / 2, means[0][1] <= means[1][1]
    moved = (-12, 12) if first_above else (12, -12)
    return tuple((with_it, round(middle + by, 1), label) for (with_it, _, label), by in zip(means, moved, strict=True))


@dataclass(frozen=True)
class Calibration:
    """Said against right: a stake for each sureness, larger with more rounds; the string is where both agree."""

    stakes: tuple[tuple[float, float, float, str], ...]
    words: str


def calibration_drawn(bins: Sequence[Bin]) -> Calibration:
    """Lay sureness along, from a coin to certain, and the share of right ones up, from none to all."""

    def at(percent: float) -> float:
        return round(MARGIN + SIDE * (percent - 50) / 50, 1)

    stakes = tuple(
        (at(bin_.sure), round(MARGIN + SIDE - SIDE * bin_.right / bin_.rounds, 1),
         round(0.7 + 0.12 * min(bin_.rounds, 8), 2), f"{bin_.right} of {bin_.rounds}")
        for bin_ in bins
    )  # fmt: skip
    words = "; ".join(f"{bin_.sure} % sure: right {bin_.right} of {bin_.rounds} times" for bin_ in bins)
    return Calibration(stakes, f"{words}." if words else "No round yet.")
