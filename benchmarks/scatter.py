"""How units scatter in the cells that `honesty` counts: every way draws trials as an array (trials, units).

A cell draws its trials for a truth: how many worths the first treatment truly lies above the control (−1, 0 or 1).
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from eproba.core.stats.periods import permitted
from eproba.core.stats.series import Kind, Question, Scale, UnitValue

Array = NDArray[np.float64]
Rng = np.random.Generator
Way = Callable[[Rng, Array], Array]
Loss = Literal["", "worst of one", "worst and best", "any", "kills"]
LETTERS = "ABCDEFG"
LEVEL = 20.0


def normal(rng: Rng, shift: Array) -> Array:
    return LEVEL + shift + rng.normal(size=shift.shape)


def t3(rng: Rng, shift: Array) -> Array:
    return LEVEL + shift + rng.standard_t(3, size=shift.shape)


def lognormal(rng: Rng, shift: Array) -> Array:
    """σ 1; the shift is of logs, and the values lie where differences can be told."""
    return np.exp(shift + rng.normal(size=shift.shape))


def counted(draw: Callable[[Rng, Array], Array], level: float) -> Way:
    """Counts round a level; the shift is in counts."""
    return lambda rng, shift: draw(rng, np.maximum(level + shift, 0.0)).astype(float)


def negative_binomial(rng: Rng, mean: Array) -> Array:
    return rng.poisson(mean * rng.gamma(1.0, 1.0, mean.shape)).astype(float)


def zero_inflated(rng: Rng, mean: Array) -> Array:
    return rng.poisson(mean / 0.6) * (rng.random(mean.shape) > 0.4).astype(float)


def score(rng: Rng, mean: Array) -> Array:
    return rng.binomial(4, np.clip(mean / 4, 0.0, 1.0)).astype(float)


def autoregressive(rng: Rng, shift: Array) -> Array:
    """Neighbours alike, 0.8 from one unit to the next, along the order of the units."""
    values = rng.normal(size=shift.shape)
    for i in range(1, shift.shape[1]):
        values[:, i] = 0.8 * values[:, i - 1] + 0.6 * values[:, i]
    return LEVEL + shift + values


@dataclass(frozen=True)
class Cell:
    """One line of the table.

    `counts` units of each arm, the control first, `sd` what they scatter by beside the others; `skewed`: the arm whose
    values are lognormal with the same mean and SD. `worth` in the unit (in percent a fraction). `loses` how units are
    lost, `step` what readings are rounded to, `dealt`: the order in the ground falls by lot. `told`: the ledger's
    warnings are counted, since all is clean here.
    `least_coverage`: skewed values by differences get 91 %. `barred`: False where no judging could help, and the page
    says why.
    """

    name: str
    counts: tuple[int, ...]
    group: str
    way: Way = normal
    blocks: bool = False
    sd: tuple[float, ...] = ()
    skewed: int | None = None
    worth: float = 2.0
    scale: Scale = "difference"
    kind: Kind = "quantity"
    loses: Loss = ""
    step: float = 0.0
    dealt: bool = True
    baseline: bool = False
    told: bool = False
    barred: bool = True
    lots: bool = False
    looks: bool = False
    least_coverage: float = 0.94
    question: dict[str, object] = field(default_factory=dict)

    @property
    def layout(self) -> str:
        same = len(set(self.counts)) == 1
        return f"{len(self.counts)} × {self.counts[0]}" if same else " : ".join(map(str, self.counts))

    @property
    def strict(self) -> bool:
        """Four units or more in each arm, and none more than four times as noisy as another: the figures hold alone."""
        return min(self.counts) >= 4 and self.ratio <= 4 and self.skewed is None and not self.loses

    @property
    def ratio(self) -> float:
        return max(self.sd) / min(self.sd) if self.sd else 1.0

    @property
    def gap(self) -> float:
        """The worth on the scale of the shift."""
        return math.log1p(self.worth) if self.scale == "ratio" else self.worth

    def asked(self) -> Question:
        return Question("A", self.scale, self.worth, kind=self.kind, dealt=self.lots, **self.question)  # type: ignore[arg-type]


def drawn(cell: Cell, rng: Rng, trials: int, truth: int) -> list[list[UnitValue]]:
    """So many trials of a cell; `truth`: how many worths the first treatment lies above the control."""
    arms = _arms(cell)
    shift = np.zeros((trials, len(arms)))
    shift[:, _treated(cell, arms)] = truth * cell.gap
    values = _scattered(cell, rng, arms, shift)
    start = rng.normal(size=values.shape) if cell.baseline else None
    if start is not None:
        values = values + start
    if cell.blocks and cell.scale == "difference" and cell.kind == "quantity" and not cell.question.get("turns"):
        values = values + np.repeat(rng.normal(size=(trials, cell.counts[0])), len(cell.counts), axis=1)
    if cell.step:
        values = cell.step * np.round((values + rng.uniform(0, cell.step, (trials, 1))) / cell.step)
    if cell.scale == "difference" and cell.kind == "count":
        values = np.maximum(values, 0.0)
    lost = _lost(cell, rng, arms, values)
    return [_units(cell, arms, values[i], lost[i], None if start is None else start[i]) for i in range(trials)]


def _arms(cell: Cell) -> NDArray[np.int64]:
    """The arm of each unit, in the order of the ground: blocks one after the other, else arm after arm."""
    if cell.question.get("turns"):
        schedule = permitted(cell.counts[0])[len(permitted(cell.counts[0])) // 3]
        return np.array([int(on == first) for on in schedule for first in (True, False)])
    if cell.blocks:
        return np.tile(np.arange(len(cell.counts)), cell.counts[0])
    return np.repeat(np.arange(len(cell.counts)), cell.counts)


def _treated(cell: Cell, arms: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Who truly gains: the first treatment; of two things at once those that get the first."""
    if cell.question.get("crossed"):
        return np.isin(arms, (1, 3))
    return arms == 1


def _scattered(cell: Cell, rng: Rng, arms: NDArray[np.int64], shift: Array) -> Array:
    if not cell.dealt:
        return cell.way(rng, shift)
    if cell.way is autoregressive:  # the ground is drawn first, then the lots fall on it
        ground = cell.way(rng, np.zeros_like(shift))
        return (
            np.take_along_axis(ground, rng.permuted(np.tile(np.arange(len(arms)), (len(shift), 1)), axis=1), 1) + shift
        )
    values = cell.way(rng, shift)
    if cell.skewed is not None:
        skew = np.exp(rng.normal(size=shift.shape)) - math.exp(0.5)
        values = np.where(arms == cell.skewed, LEVEL + shift + skew / math.sqrt((math.e - 1) * math.e), values)
    if cell.sd:
        times = np.array(cell.sd)[arms]
        values = LEVEL + shift + times * (values - LEVEL - shift)
    if cell.question.get("turns"):
        values = values + 0.3 * np.repeat(np.arange(len(arms) // 2), 2)
    return values


def _lost(cell: Cell, rng: Rng, arms: NDArray[np.int64], values: Array) -> NDArray[np.bool_]:
    lost = np.zeros(values.shape, dtype=bool)
    if cell.loses == "any":
        return rng.random(values.shape) < 0.15
    if cell.loses == "kills":
        return (arms == 1) & (_rank(np.where(arms == 1, rng.random(values.shape), np.inf)) < 3)
    if cell.loses:
        third = cell.counts[1] // 3
        lost |= (arms == 1) & (_rank(np.where(arms == 1, values, np.inf)) < third)
    if cell.loses == "worst and best":
        lost |= (arms == 0) & (_rank(np.where(arms == 0, -values, np.inf)) < third)
    return lost


def _rank(values: Array) -> NDArray[np.int64]:
    return np.argsort(np.argsort(values, axis=1), axis=1)


def _units(
    cell: Cell, arms: NDArray[np.int64], values: Array, lost: NDArray[np.bool_], start: Array | None
) -> list[UnitValue]:
    turns = bool(cell.question.get("turns"))
    return [
        UnitValue(
            f"u{i}", LETTERS[arm], None if lost[i] else float(values[i]),
            block=str(i // len(cell.counts)) if cell.blocks and not turns else None,
            row=str(i // 2) if turns else None, column=str(i % 2) if turns else None,
            baseline=None if start is None else float(start[i]),
        )
        for i, arm in enumerate(arms.tolist())
    ]  # fmt: skip


CROSSED = {"crossed": (("A", ""), ("B", "1"), ("C", "2"), ("D", "12"))}
LADDER = {"ladder": (("A", 0.0), ("B", 1.0), ("C", 2.0), ("D", 3.0))}
FAMILIES = (
    Cell("normal", (6, 6), "scatter", worth=2.0, told=True, lots=True),
    Cell("lognormal σ 1, in percent", (6, 6), "scatter", lognormal, worth=5.0, scale="ratio", told=True),
    Cell("t with 3 df", (6, 6), "scatter", t3, worth=2.5),
    Cell("Poisson 4", (6, 6), "scatter", counted(lambda rng, mean: rng.poisson(mean), 4), worth=4.0, kind="count"),
    Cell("negative binomial 4", (6, 6), "scatter", counted(negative_binomial, 4), worth=8.0, kind="count",
         least_coverage=0.91),
    Cell("zero-inflated Poisson 3", (6, 6), "scatter", counted(zero_inflated, 3), worth=4.0, kind="count",
         least_coverage=0.91),
    Cell("scores 0 to 4", (6, 6), "scatter", counted(score, 1.6), worth=1.5, kind="score"),
    Cell("with a baseline", (6, 6), "scatter", baseline=True, told=True),
)  # fmt: skip


def _families() -> list[Cell]:
    """Every way to scatter, with two and four arms, dealt anywhere and in blocks; the plain one also with six arms."""
    cells = []
    for family in FAMILIES:
        for arms, blocks in ((2, False), (4, True)):
            if not (family.baseline and blocks):  # each trial with a baseline is a design of its own, and takes long
                cells.append(_like(family, (6,) * arms, blocks))
    cells += [_like(FAMILIES[0], counts, blocks) for counts, blocks in (((8,) * 6, False), ((4,) * 3, True))]
    return [*cells, _like(FAMILIES[0], (6,) * 4, False), _like(FAMILIES[0], (6, 6), True)]


def _like(cell: Cell, counts: tuple[int, ...], blocks: bool) -> Cell:
    values = {**vars(cell), "counts": counts, "blocks": blocks}
    return Cell(**values)


def _uneven() -> list[Cell]:
    sizes = ((6, 2), (2, 6), (8, 2), (6, 3), (3, 6), (6, 10), (6, 6, 2), (2, 8, 8), (6, 3, 3, 3))
    cells = [Cell("uneven numbers", counts, "numbers") for counts in sizes]
    layouts: tuple[tuple[int, ...], ...] = ((6, 6), (4, 4, 4, 4), (6, 3, 3, 3), (3, 8))
    for times, name in (
        (0.25, "the control ¼ as noisy"),
        (0.1, "the control ⅒ as noisy"),
        (4.0, "the control 4 × as noisy"),
    ):
        cells += [Cell(name, counts, "noise", sd=(times, *([1.0] * (len(counts) - 1)))) for counts in layouts]
    cells.append(Cell("one treatment 3 × as noisy", (6,) * 4, "noise", blocks=True, sd=(1, 3, 1, 1)))
    cells.append(Cell("a control of two, 3 × as noisy", (2, 8, 8), "noise", sd=(3, 1, 1)))
    cells += [Cell("one arm skewed", (n, n), "shapes", skewed=1) for n in (4, 6, 10)]
    cells += [
        Cell("one arm skewed, the control ⅒ as noisy", (n, n), "shapes", skewed=1, sd=(0.1, 1)) for n in (4, 6, 10)
    ]
    return cells


def _losses() -> list[Cell]:
    cells = [
        Cell(name, counts, "losses", loses=loses)  # type: ignore[arg-type]
        for loses, name in (
            ("worst of one", "the worst third of one arm lost"),
            ("worst and best", "the worst third of one arm lost, the best third of the control"),
            ("any", "any unit lost, 15 in 100"),
        )
        for counts in ((6, 6), (9, 9))
    ]
    margin = {"no_worse": True}
    cells.append(Cell("no worse, asked", (8, 8), "losses", worth=2.0, question=margin))
    return [*cells, Cell("no worse, asked of what kills 3 of 8", (8, 8), "losses", loses="kills", question=margin)]


def _plans() -> list[Cell]:
    rounded = [
        Cell(f"rounded to {step:g} SD", (n, n), "readings", step=step) for step, n in ((1.0, 6), (2.0, 4), (2.5, 6))
    ]
    return [
        *rounded,
        Cell("ground with neighbours alike (0.8), dealt", (6, 6), "ground", autoregressive, worth=2.5),
        Cell("ground with neighbours alike (0.8), not dealt", (6, 6), "ground", autoregressive, dealt=False, worth=2.5,
             barred=False),
        Cell("classes, by order", (6, 6), "order", kind="class"),
        Cell("classes, by order", (5, 5, 5), "order", kind="class"),
        Cell("classes, by order", (8, 8), "order", kind="class", blocks=True),
        Cell("two things at once", (6,) * 4, "questions", question=CROSSED, worth=1.5),
        Cell("two things at once", (6,) * 4, "questions", question=CROSSED, worth=1.5, blocks=True),
        Cell("a ladder: rungs and trend", (6,) * 4, "questions", question=LADDER),
        Cell("a ladder: rungs and trend", (6,) * 4, "questions", question=LADDER, blocks=True),
        Cell("all against all", (6,) * 4, "questions", question={"ranked": True}),
        Cell("all against all", (6,) * 5, "questions", question={"ranked": True}),
        Cell("on and off, with a trend", (8, 8), "questions", question={"turns": True}, worth=1.5, blocks=True),
        Cell("looked at in every round", (6, 6), "looks", looks=True, worth=2.5),
        Cell("looked at in every round", (6,) * 4, "looks", looks=True, worth=2.5, blocks=True),
    ]  # fmt: skip


CELLS = (*_families(), *_uneven(), *_losses(), *_plans())
