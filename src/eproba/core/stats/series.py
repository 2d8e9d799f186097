"""What is judged: one number a unit, and the question asked of it."""

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from eproba.core.errors import EprobaError

Scale = Literal["difference", "ratio"]
Design = Literal["completely random", "blocks", "row-column", "one of each"]
Kind = Literal["quantity", "count", "proportion", "score", "class", "day"]


class CannotJudge(EprobaError):
    """The units can't be judged as they are.

    `position` is the unit's place in the sequence (None: the whole), `field` the name of the field at fault;
    the message says what to do.
    """

    def __init__(self, message: str, position: int | None = None, field: str = "") -> None:
        super().__init__(message, field=field)
        self.position = position


def band_of(worth: float, scale: Scale) -> float:
    """A worth on the scale of the estimates: the log of 1 + worth for ratios."""
    return math.log1p(worth) if scale == "ratio" else worth


@dataclass(frozen=True)
class UnitValue:
    """One unit with its summary. `value` None: the unit is lost, and `last` is what its last readings gave; `unread`:
    it lives, and nobody read it. Labels are compared as text."""

    unit: str
    treatment: str
    value: float | None
    block: str | None = None
    row: str | None = None
    column: str | None = None
    baseline: float | None = None
    last: float | None = None
    unread: bool = False


@dataclass(frozen=True)
class Question:
    """What is asked: against which control, on which scale, and from what gap on it would matter.

    `worth` is a plain number in the measure's unit on the difference scale, a fraction (0.1 for 10 %) on the
    ratio scale, or None. `lower_is_better` turns the verdict, never the estimates. `no_worse` asks whether a treatment
    is worse by more than the worth (then a margin). `ladder` scores the treatments that are steps of one strength,
    control included. `ranked` asks all against all, too. `dealt`: the lots fell by chance, in a way that is known.
    `crossed`: two things at once, each treatment with what it gets of them ("", "1", "2", "12", the control none).
    `turns`: two places take turns, on and off, by the period. `kind`: classes are judged by their order alone, and days
    where something has not happened yet (infinity); for scores the order is told beside the gap; for counts the percent
    come from a count model. `usual_sd`: what units usually differ by, on the scale of the estimates, where it is known
    beside the trial: what would settle a question is reckoned on both together. `beside`: comparisons that
    share the risk of a false alarm, and are judged elsewhere.
    """

    control: str
    scale: Scale = "difference"
    worth: float | None = None
    lower_is_better: bool = False
    confidence: float = 0.95
    no_worse: bool = False
    ladder: tuple[tuple[str, float], ...] = ()
    ranked: bool = False
    dealt: bool = True
    kind: Kind = "quantity"
    crossed: tuple[tuple[str, str], ...] = ()
    turns: bool = False
    usual_sd: float | None = None
    beside: int = 0

    @property
    def band(self) -> float | None:
        """Half the width of the worth band on the scale of the estimates (the log scale for ratios)."""
        return None if self.worth is None else band_of(self.worth, self.scale)


def check(units: Sequence[UnitValue], question: Question) -> None:
    """Refuse what can't be judged, before any mathematics.

    Raises
    ------
    CannotJudge
        A unit twice, a value that is no finite number or beyond 1e±100, a value ≤ 0 on the ratio scale, a unit without
        block, row or column where others have one, no control, nothing to compare, a worth that is not above 0, “no
        worse” without a margin.
    """
    if question.worth is not None and not (math.isfinite(question.worth) and question.worth > 0):
        raise CannotJudge("The smallest difference worth having must be a number above 0.", field="worth")
    if question.scale == "ratio" and question.kind in ("class", "day", "score"):
        raise CannotJudge(f"a {question.kind} has no percent: compare it by differences", field="scale")
    if question.no_worse and question.worth is None:
        raise CannotJudge("“No worse” needs a margin: say by how much it may be worse.", field="worth")
    for field in ("block", "row", "column"):
        labels = [getattr(unit, field) for unit in units]
        if any(labels) and not all(labels):
            position = next(i for i, label in enumerate(labels) if not label)
            raise CannotJudge(
                f"unit {units[position].unit} has no {field}, though others have one; give each unit its {field}",
                position,
                field,
            )
    seen: set[str] = set()
    for position, unit in enumerate(units):
        if unit.unit in seen:
            raise CannotJudge(
                f"unit {unit.unit} stands here a second time; give each unit one line (the mean of its readings)",
                position,
                "unit",
            )
        seen.add(unit.unit)
        for field in ("value", "baseline"):
            _check_number(unit, field, question, position)
    living = {unit.treatment for unit in units if unit.value is not None}
    if question.control not in {unit.treatment for unit in units}:
        names = ", ".join(sorted({unit.treatment for unit in units})) or "none"
        raise CannotJudge(
            f"no unit has the control treatment “{question.control}”; the treatments here are: {names}",
            field="treatment",
        )
    if question.control not in living:
        raise CannotJudge(f"every unit of the control “{question.control}” is lost", field="value")
    if len(living) < 2:
        raise CannotJudge("there is no treatment beside the control to compare", field="treatment")


LARGEST, SMALLEST = 1e100, 1e-100  # squares of what lies beyond overflow, or vanish


def _check_number(unit: UnitValue, field: str, question: Question, position: int) -> None:
    number, scale = getattr(unit, field), question.scale
    if number is None or (number == math.inf and field == "value" and question.kind == "day"):
        return
    if question.kind in ("count", "proportion") and number < 0:
        what = "count" if question.kind == "count" else "share"
        raise CannotJudge(f"the {field} of unit {unit.unit} is {number:g}; a {what} is 0 or more", position, field)
    if not math.isfinite(number):
        raise CannotJudge(f"the {field} of unit {unit.unit} is not a finite number", position, field)
    taken_off = scale == "difference" or field == "baseline"
    if taken_off and number != 0 and not SMALLEST <= abs(number) <= LARGEST:
        raise CannotJudge(
            f"the {field} of unit {unit.unit} is {number:g}: differences of such numbers can't be told; give them in "
            "another unit",
            position,
            field,
        )
    if scale == "ratio" and number <= 0:
        raise CannotJudge(
            f"the {field} of unit {unit.unit} is {number:g}; percent need values above 0: correct it, "
            "leave it out if the unit is lost, or compare by differences",
            position,
            field,
        )


def design_of(units: Sequence[UnitValue]) -> Design:
    """Name the design that the labels show (units judged only); rows alone, or columns alone, are blocks."""
    if max(Counter(unit.treatment for unit in units).values()) == 1:
        return "one of each"
    sorts = [field for field in ("block", "row", "column") if any(getattr(unit, field) for unit in units)]
    if not sorts:
        return "completely random"
    return "blocks" if len(sorts) == 1 else "row-column"


def strata_of(units: Sequence[UnitValue]) -> list[str | None] | None:
    """The label within which lots were dealt, unit by unit: its block, or its row or column where those stand alone.

    None for units that lie in two sorts of them at once.
    """
    sorts = [field for field in ("block", "row", "column") if any(getattr(unit, field) for unit in units)]
    if len(sorts) > 1:
        return None
    return [getattr(unit, sorts[0]) if sorts else None for unit in units]
