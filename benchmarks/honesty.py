"""How often judging raises a false alarm, covers the truth, and warns without need: simulated through the very judging.

Every cell is seeded. *False alarms*: trials in which nothing works and any treatment is called better or worse, caps
included. *Coverage*: trials in which every interval that carries a verdict holds the truth; where a shift of the
values shifts the interval with them, that is 1 − false alarms by the figures alone. *Rules*: how often a rule of the
ledger speaks up (caution, cap, or a note of something found) in clean trials. The table goes into docs/honesty.md,
which Help shows.
"""

import math
import time
from collections import Counter
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from eproba.core.judging.envelope import confidence_at
from eproba.core.judging.judge import judge_together
from eproba.core.judging.judgement import Comparison, Judgement
from eproba.core.stats.series import Kind, Question, Scale, UnitValue

Array = NDArray[np.float64]
TRIALS, BATCH, SEED = 4_000, 250, 20260801
LAYOUTS = ((2, 6), (4, 6), (6, 8))
LOOKS = (0.2, 0.4, 0.6, 0.8, 1.0)
PAGE = Path(__file__).parents[1] / "docs" / "honesty.md"
OPENING, CLOSING = "<!-- figures -->", "<!-- end of figures -->"


@dataclass(frozen=True)
class Family:
    """How units scatter: draws (trials, units) for a factor on the mean; the truth of a factor, as a gap."""

    name: str
    draw: Callable[[np.random.Generator, Array], Array]
    truth: Callable[[float], float] | None = None
    kind: Kind = "quantity"
    scale: str = "difference"
    noisy: int | None = None
    with_baseline: bool = False
    losing: bool = False
    looks: bool = False
    clean: bool = False
    lots: bool = False
    least_coverage: float = 0.94


def _normal(rng: np.random.Generator, mean: Array) -> Array:
    return 10 * mean + rng.normal(size=mean.shape)


def _t3(rng: np.random.Generator, mean: Array) -> Array:
    return 10 * mean + rng.standard_t(3, size=mean.shape)


def _lognormal(rng: np.random.Generator, mean: Array) -> Array:
    return mean * np.exp(rng.normal(size=mean.shape))


def _poisson(level: float) -> Callable[[np.random.Generator, Array], Array]:
    return lambda rng, mean: rng.poisson(level * mean).astype(float)


def _negative_binomial(rng: np.random.Generator, mean: Array) -> Array:
    return rng.poisson(2 * mean * rng.gamma(1.0, 1.0, mean.shape)).astype(float)


def _zero_inflated(rng: np.random.Generator, mean: Array) -> Array:
    return rng.poisson(3 * mean) * (rng.random(mean.shape) > 0.4).astype(float)


def _score(rng: np.random.Generator, mean: Array) -> Array:
    return rng.binomial(4, np.minimum(0.4 * mean, 1.0)).astype(float)


FAMILIES = (
    Family("normal", _normal, clean=True, lots=True),
    Family("lognormal σ 1, in percent", _lognormal, lambda f: math.log(f), scale="ratio", clean=True),
    Family("lognormal σ 1, by differences", _lognormal, lambda f: math.exp(0.5) * (f - 1), least_coverage=0.91),
    Family("t with 3 df", _t3),
    Family("Poisson 2", _poisson(2), lambda f: 2 * (f - 1), kind="count"),
    Family("negative binomial 2", _negative_binomial, lambda f: 2 * (f - 1), kind="count"),
    Family("zero-inflated Poisson", _zero_inflated, lambda f: 0.6 * 3 * (f - 1), kind="count"),
    Family("scores 0 to 4", _score, lambda f: 1.6 * (f - 1), kind="score"),
    Family("one treatment three times as noisy", _normal, noisy=1),
    Family("the control three times as noisy", _normal, noisy=0),
    Family("the lowest drop out in one arm", _normal, losing=True),
    Family("looked at in every round", _normal, looks=True),
    Family("with a baseline", _normal, with_baseline=True, clean=True),
)  # fmt: skip
FACTOR = 1.5


@dataclass(frozen=True)
class Cell:
    """One family on one layout: the shares, by which the bars are read."""

    number: int
    treatments: int
    units: int
    blocks: bool
    alarms: float
    coverage: float
    rules: dict[str, float]

    @property
    def family(self) -> Family:
        return FAMILIES[self.number]

    @property
    def passes(self) -> bool:
        slack = 3 * math.sqrt(0.065 * 0.935 / TRIALS)
        return self.alarms <= 0.065 + slack and self.coverage >= self.least - 3 * math.sqrt(0.06 * 0.94 / TRIALS)

    @property
    def least(self) -> float:
        """By differences a lognormal is allowed 91 % with two treatments; drop-outs leave no truth to cover."""
        if self.family.losing:
            return 0.0
        return self.family.least_coverage if self.treatments == 2 else 0.94


def main() -> None:
    start = time.perf_counter()
    jobs = [(f, g, n, blocks) for f in range(len(FAMILIES)) for g, n in LAYOUTS for blocks in (False, True)]
    with ProcessPoolExecutor() as pool:  # the longest first, so that none is left alone at the end
        cells = list(pool.map(simulated, *zip(*jobs[::-1], strict=True)))[::-1]
    table = "\n".join(_rows(cells))
    print(table)
    print(f"{time.perf_counter() - start:.0f} s for {len(cells)} cells of {TRIALS} trials (bar: 300 s)")
    failed = [cell for cell in cells if not cell.passes]
    rules = {rule: share for cell in cells for rule, share in cell.rules.items() if cell.family.clean and share > 0.06}
    print(f"{len(failed)} cells and {len(rules)} rules beyond their bars: {sorted(rules)}")
    before, rest = PAGE.read_text("utf-8").split(OPENING)
    PAGE.write_text(f"{before}{OPENING}\n\n{table}\n\n{CLOSING}{rest.split(CLOSING)[1]}", "utf-8")


def simulated(number: int, treatments: int, units: int, blocks: bool) -> Cell:
    """One cell."""
    family = FAMILIES[number]
    rng = np.random.default_rng([SEED, number, treatments, blocks])
    alarms, wrong, rules = 0, 0, Counter[str]()
    for _ in range(TRIALS // BATCH):
        trials = _trials(family, rng, treatments, units, blocks, 1.0)
        for judged in _judged(family, trials):
            alarms += any(_claims(each) for judgement in judged for each in judgement.comparisons)
            wrong += any(_misses(each, 0.0) for judgement in judged for each in judgement.comparisons)
            rules.update({line.rule for line in judged[0].trust if _spoke_up(line.rule, line.says, line.level)})
    if family.truth is not None:
        wrong, truth = 0, family.truth(FACTOR)
        for _ in range(TRIALS // BATCH):
            trials = _trials(family, rng, treatments, units, blocks, FACTOR)
            for judged in _judged(family, trials):
                wrong += any(_misses(each, truth * (i == 0)) for i, each in enumerate(judged[0].comparisons))
    shares = {rule: count / TRIALS for rule, count in sorted(rules.items())}
    return Cell(number, treatments, units, blocks, alarms / TRIALS, 1 - wrong / TRIALS, shares)


def _trials(
    family: Family, rng: np.random.Generator, treatments: int, units: int, blocks: bool, factor: float
) -> list[list[list[UnitValue]]]:
    """A batch of trials: for each of them its looks (one but for early looks), each with all its units."""
    which = np.tile(np.arange(treatments), units)
    mean = np.ones((BATCH, len(which))) + (factor - 1) * (which == 1)
    looks = LOOKS if family.looks else (1.0,)
    values = np.stack([family.draw(rng, mean) for _ in looks])
    if family.looks:  # what a unit is stays with it from round to round
        values = 10 + 0.7 * (values[:1] - 10) + math.sqrt(1 - 0.49) * (values - 10)
    if family.noisy is not None:
        values = np.where(which == family.noisy, 10 + 3 * (values - 10), values)
    start = rng.normal(size=mean.shape) if family.with_baseline else None
    if start is not None:
        values = values + start
    if blocks and family.kind == "quantity" and family.scale == "difference":
        values = values + np.repeat(rng.normal(size=(BATCH, units)), treatments, axis=1)
    lost = np.zeros(mean.shape, dtype=bool)
    if family.losing:  # of the one arm, each third unit from below
        rank = np.argsort(np.argsort(np.where(which == 1, values[0], np.inf), axis=1), axis=1)
        lost = (rank < units // 3) & (which == 1)
    return [
        [
            [
                UnitValue(
                    f"u{i}", "ABCDEF"[k], None if lost[t, i] else float(values[look, t, i]),
                    str(i // treatments) if blocks else None, baseline=None if start is None else float(start[t, i]),
                )
                for i, k in enumerate(which)
            ]
            for look in range(len(looks))
        ]
        for t in range(BATCH)
    ]  # fmt: skip


def _judged(family: Family, trials: Sequence[Sequence[Sequence[UnitValue]]]) -> list[list[Judgement]]:
    """Each trial's judgements, one for each look, each at the price of that look."""
    scale: Scale = "ratio" if family.scale == "ratio" else "difference"
    # The shuffle test caps nothing: beyond one family it only takes the time of all other cells.
    question = Question("A", scale, kind=family.kind, dealt=family.lots)
    if not family.looks:
        return [[judgement] for judgement in judge_together([trial[0] for trial in trials], question, in_full=False)]
    days = [round(100 * share) for share in LOOKS]
    by_look = [
        judge_together(
            [trial[k] for trial in trials],
            replace(question, confidence=confidence_at(day, 100, days[:k]), dealt=False),
            in_full=False,
        )
        for k, day in enumerate(days)
    ]
    return [list(judged) for judged in zip(*by_look, strict=True)]


def _claims(comparison: Comparison) -> bool:
    return comparison.verdict.startswith(("better", "worse"))


def _misses(comparison: Comparison, truth: float) -> bool:
    told = comparison.carrying
    return told is not None and not told.low_adjusted <= truth <= told.high_adjusted


def _spoke_up(rule: str, says: str, level: str) -> bool:
    """Whether a rule found something, and not merely that all is in order, or that lots this few can't reach."""
    return level != "note" or says in ("unequal noise", "another without")


def _rows(cells: Sequence[Cell]) -> list[str]:
    rows = ["| Units scatter | treatments × units | dealt | false alarms | coverage | rules that spoke up |"]
    rows.append("|---|---|---|---|---|---|")
    for cell in cells:
        told = ", ".join(f"{rule} {100 * share:.1f} %" for rule, share in cell.rules.items() if share >= 0.001)
        coverage = "–" if cell.family.losing else f"{100 * cell.coverage:.1f} %"
        rows.append(
            f"| {cell.family.name} | {cell.treatments} × {cell.units} | {'blocks' if cell.blocks else 'random'} | "
            f"{100 * cell.alarms:.1f} %{'' if cell.passes else ' (!)'} | {coverage} | {told or 'none'} |"
        )
    return rows


if __name__ == "__main__":
    main()
