"""The strip of two places that take turns: period by period which is on, what is washed out, where a round reads."""

from dataclasses import dataclass

from eproba.core.trial.model import Trial
from eproba.web.ui.looks import Look

LEFT, RIGHT, TOP, ROW, GAP = 130.0, 740.0, 14.0, 46.0, 8.0


@dataclass(frozen=True)
class Turn:
    """One place in one period: its box, and what it gets."""

    x: float
    y: float
    width: float
    look: Look | None


@dataclass(frozen=True)
class TurnsDrawn:
    """Boxes, washouts (x, width), round marks, days at the changes; `now`: today on the strip, where it is on it."""

    places: tuple[tuple[float, str], ...]
    boxes: tuple[Turn, ...]
    washouts: tuple[tuple[float, float], ...]
    rounds: tuple[float, ...]
    days: tuple[tuple[float, str], ...]
    now: float | None
    height: float
    words: str


def turns_drawn(trial: Trial, looks: dict[str, Look], today: int) -> TurnsDrawn:
    """Draw the turns of a trial; `today` as a day of it. Without looks nobody is told who has its turn."""
    length, periods = trial.period_days, trial.periods

    def x(day: float) -> float:
        return round(LEFT + (RIGHT - LEFT) * day / trial.decision_day, 1)

    wheres = list(dict.fromkeys(unit.cut.where for unit in sorted(trial.units, key=lambda unit: unit.cut.number)))
    names = [trial.site.places[next(u.cut.place for u in trial.units if u.cut.where == where)].name for where in wheres]
    if len(set(names)) < len(names):
        names = [f"{name} {i}" for i, name in enumerate(names, start=1)]
    top = {where: TOP + (ROW + GAP) * i for i, where in enumerate(wheres)}
    boxes = [
        Turn(
            x((int(unit.block or 1) - 1) * length) + 1, top[unit.cut.where], x(length) - LEFT - 2,
            looks.get(unit.letter),
        )
        for unit in trial.units
    ]  # fmt: skip
    words = [
        f"{name}: " + ", ".join(
            trial.treatment(unit.letter).name if looks else "not told"
            for unit in sorted(trial.units, key=lambda unit: unit.cut.number) if unit.cut.where == where
        )
        for where, name in zip(wheres, names, strict=True)
    ]  # fmt: skip
    return TurnsDrawn(
        places=tuple((top[where] + ROW / 2 + 5, name) for where, name in zip(wheres, names, strict=True)),
        boxes=tuple(boxes),
        washouts=tuple((x(i * length), x(length // 2) - LEFT) for i in range(periods)),
        rounds=tuple(x(round_.day) for round_ in trial.rounds),
        days=tuple((x(i * length), f"{i * length}") for i in range(periods + 1)),
        now=x(today) if 0 <= today <= trial.decision_day else None,
        height=TOP + 2 * (ROW + GAP) + 30,
        words=f"{periods} periods of {length} days. {'; '.join(words)}.",
    )
