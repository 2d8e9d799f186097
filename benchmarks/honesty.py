"""How often judging is wrong: simulated through the very judging, where it hurts as well as where it is easy.

Every cell of `benchmarks.scatter` is seeded. *False alarms*: trials in which nothing works and anything is called
better or worse, by the figures alone and after the ledger. *Coverage*: trials in which every interval that carries a
verdict holds the truth, at no gap and at the worth, whichever is less. *Found* and *can't tell*: what becomes of a
true worth. *Wrong at its own border*: how often a verdict falls where the truth is just what it denies (by enough to
matter, or by too little, or no difference, where the truth is the worth; no worse, where it is worse by the margin).
The table goes into docs/honesty.md, which Help shows.
"""

import math
import time
from collections import Counter
from collections.abc import Iterable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from scipy import special

from benchmarks.scatter import CELLS, Cell, drawn
from eproba.core.judging.envelope import confidence_at
from eproba.core.judging.judge import judge_together
from eproba.core.judging.judgement import Comparison, Judgement
from eproba.core.stats.combining import combine, supposed
from eproba.core.stats.series import UnitValue

TRIALS, BATCH, SEED = 2_000, 250, 20261130
LOOKS = (20, 40, 60, 80, 100)
FIGURES_BAR, LEDGER_BAR, BORDER_BAR = 0.065, 0.075, 0.065
PAGE = Path(__file__).parents[1] / "docs" / "honesty.md"
OPENING, CLOSING = "<!-- figures -->", "<!-- end of figures -->"
CLAIMED = ("better", "worse")
AT_THE_WORTH = {"better_matters": "matters", "better_trivial": "too little", "same": "none", "no_worse": "no worse"}
GARDENS, SCATTERS, WORTH = (2, 3, 4, 6), (0.0, 0.5, 1.0), 3.0


@dataclass(frozen=True)
class Line:
    """One line of the table; shares of trials, None where there is nothing to tell. `border` by the name of a verdict,
    `warned` by the rule of the ledger."""

    group: str
    name: str
    layout: str
    dealt: str
    figures: float
    ledger: float
    coverage: float | None
    found: float | None
    cannot_tell: float | None
    border: dict[str, float]
    warned: dict[str, float]
    strict: bool = True
    barred: bool = True
    least_coverage: float = 0.94

    @property
    def beyond(self) -> list[str]:
        """The bars that it does not keep."""
        if not self.barred:
            return []
        told = [("false alarms", self.figures, FIGURES_BAR)] if self.strict else []
        told.append(("false alarms after the ledger", self.ledger, LEDGER_BAR))
        told += [(f"“{name}” at its border", share, BORDER_BAR) for name, share in self.border.items() if self.strict]
        told += [(f"ledger: {rule}", share, 0.06) for rule, share in self.warned.items()]
        if self.strict and self.coverage is not None:
            told.append(("coverage", 1 - self.coverage, 1 - self.least_coverage))
        return [name for name, share, bar in told if share > bar + 3 * math.sqrt(bar * (1 - bar) / TRIALS)]


def main() -> None:
    start = time.perf_counter()
    with ProcessPoolExecutor() as pool:  # the longest first, so that none is left alone at the end
        order = sorted(range(len(CELLS)), key=lambda i: -len(CELLS[i].counts) * max(CELLS[i].counts))
        cells = dict(zip(order, pool.map(counted, order), strict=True))
        gardens = [(k, scatter) for k in GARDENS for scatter in SCATTERS]
        joint = [line for of_k in pool.map(together, *zip(*gardens, strict=True)) for line in of_k]
    lines = [*(cells[i] for i in range(len(CELLS))), *joint]
    table = "\n".join(rows(lines))
    print(table)
    print(f"{time.perf_counter() - start:.0f} s for {len(lines)} lines of {TRIALS} trials a truth (bar: 300 s)")
    beyond = [f"{line.name}, {line.layout}: {', '.join(line.beyond)}" for line in lines if line.beyond]
    print("\n".join([f"{len(beyond)} of {len(lines)} lines beyond a bar", *beyond]))
    before, rest = PAGE.read_text("utf-8").split(OPENING)
    PAGE.write_text(f"{before}{OPENING}\n\n{table}\n\n{CLOSING}{rest.split(CLOSING)[1]}", "utf-8")


def counted(number: int) -> Line:
    """One cell, at no gap and at the worth."""
    cell = CELLS[number]
    nothing, worth = (_judged(cell, number, truth) for truth in (0, 1))
    truths = {0: nothing, 1: worth}
    border = Counter(AT_THE_WORTH[_first(looks[-1])] for looks in worth if _first(looks[-1]) in AT_THE_WORTH)
    if cell.question.get("no_worse"):
        worse = _judged(cell, number, -1)
        border = Counter({"no worse": sum(_first(looks[-1]) in ("no_worse", "better") for looks in worse)})
    return Line(
        cell.group, cell.name, cell.layout, "in blocks" if cell.blocks else "anywhere" if cell.dealt else "not at all",
        _share(any(_claims(look, False) for look in looks) for looks in nothing),
        _share(any(_claims(look, True) for look in looks) for looks in nothing),
        min(_share(all(_holds(look, cell, truth) for look in looks) for looks in judged)
            for truth, judged in truths.items()) if _has_truth(cell) else None,
        _share(any(_found(look, cell) for look in looks) for looks in worth),
        _share(_first(looks[-1]) in ("cannot_tell", "seen_not_shown") for looks in worth),
        {name: count / TRIALS for name, count in sorted(border.items())},
        _warned(nothing) if cell.told else {},
        cell.strict, cell.barred, cell.least_coverage,
    )  # fmt: skip


def _judged(cell: Cell, number: int, truth: int) -> list[list[Judgement]]:
    """Every trial's judgements, one for each look, each at the price of that look."""
    rng, question = np.random.default_rng([SEED, number, truth + 1]), cell.asked()
    judged: list[list[Judgement]] = []
    for _ in range(TRIALS // BATCH):
        if not cell.looks:
            trials = drawn(cell, rng, BATCH, truth)
            judged += [[judgement] for judgement in judge_together(trials, question, in_full=False)]
            continue
        last = drawn(cell, rng, BATCH, truth)
        by_look = []
        for k, day in enumerate(LOOKS):  # what a unit is stays with it from round to round
            seen = last if day == LOOKS[-1] else _earlier(last, drawn(cell, rng, BATCH, truth))
            paid = replace(question, confidence=confidence_at(day, LOOKS[-1], LOOKS[:k]))
            by_look.append(judge_together(seen, paid, in_full=False))
        judged += [list(looks) for looks in zip(*by_look, strict=True)]
    return judged


def _earlier(last: Sequence[list[UnitValue]], fresh: Sequence[list[UnitValue]]) -> list[list[UnitValue]]:
    return [
        [replace(a, value=0.7 * (a.value or 0.0) + 0.3 * (b.value or 0.0)) for a, b in zip(one, other, strict=True)]
        for one, other in zip(last, fresh, strict=True)
    ]


def _share(flags: Iterable[bool]) -> float:
    return sum(flags) / TRIALS


def _first(judgement: Judgement) -> str:
    """The verdict on the treatment that may truly gain."""
    if judgement.effects:
        return judgement.effects[0].verdict
    return next(c.verdict for c in judgement.comparisons if c.treatment == "B")


def _claims(judgement: Judgement, held: bool) -> bool:
    """Whether anything is called better or worse, with what the ledger holds back or by the figures alone."""
    verdicts = [c.verdict if held else c.uncapped for c in (*judgement.comparisons, *judgement.effects)]
    trend = judgement.trend is not None and judgement.trend.p < 1 - judgement.question.confidence
    ranked = judgement.ranking is not None and any(pair.shown for pair in judgement.ranking.pairs)
    return trend or ranked or any(verdict.startswith(CLAIMED) for verdict in verdicts)


def _found(judgement: Judgement, cell: Cell) -> bool:
    if cell.question.get("no_worse"):
        return _first(judgement) == "no_worse" or _first(judgement).startswith("better")
    return _first(judgement).startswith("better")


def _has_truth(cell: Cell) -> bool:
    return not cell.loses or cell.loses == "any"


def _holds(judgement: Judgement, cell: Cell, truth: int) -> bool:
    """Whether every interval that carries a verdict holds the truth."""
    gains = ("B", "D") if cell.question.get("crossed") else ("B",)
    return all(_within(c, truth * cell.gap * (c.treatment in gains)) for c in judgement.comparisons)


def _within(comparison: Comparison, gap: float) -> bool:
    carrying, order = comparison.carrying, comparison.order
    if order is not None and order.carries:
        return order.low <= float(special.ndtr(gap / math.sqrt(2))) <= order.high
    return carrying is None or carrying.low_adjusted <= gap <= carrying.high_adjusted


def _warned(judged: Sequence[Sequence[Judgement]]) -> dict[str, float]:
    """How often each rule of the ledger found something, and not merely that lots this few can't reach."""
    rules: Counter[str] = Counter()
    for judgement, *_ in judged:
        lines = (line for line in judgement.trust if line.level != "note" or line.says == "unequal noise")
        rules.update({line.rule for line in lines})
    return {rule: count / TRIALS for rule, count in sorted(rules.items())}


def together(k: int, scatter: float) -> list[Line]:
    """Trials of one question put together, as they are and as if gardens differed by no more than about the worth:
    standard errors of 1 seen with 10 df, a worth of 3, gardens that scatter by a share of it."""
    rng = np.random.default_rng([SEED, k, round(10 * scatter)])
    bounds = {truth: _joined(rng, k, scatter * WORTH, truth) for truth in (0.0, WORTH)}
    lines = []
    for place, name in ((0, "put together"), (1, "put together, if gardens are alike")):
        zero, worth = (np.array([pair[place] for pair in bounds[truth]]) for truth in (0.0, WORTH))
        holds = [((ends[:, 0] <= t) & (t <= ends[:, 1])).mean() for ends, t in ((zero, 0.0), (worth, WORTH))]
        alarms = float(((zero[:, 0] > 0) | (zero[:, 1] < 0)).mean())
        lines.append(
            Line(
                "gardens", f"{name}; they scatter by {scatter:g} worth", f"{k} trials", "–", alarms, alarms,
                float(min(holds)), float((worth[:, 0] > 0).mean()), float((worth[:, 0] <= 0).mean()), {}, {},
                strict=False, barred=place == 0 or scatter <= 0.5,
            )
        )  # fmt: skip
    return lines


def _joined(
    rng: np.random.Generator, k: int, scatter: float, truth: float
) -> list[tuple[tuple[float, float], tuple[float, float]]]:
    joined = []
    for _ in range(TRIALS // 2):
        errors = np.sqrt(rng.chisquare(10, k) / 10)
        gaps = (truth + scatter * rng.normal(size=k) + rng.normal(size=k)).tolist()
        plain = combine(gaps, errors.tolist())
        joined.append(((plain.low or 0.0, plain.high or 0.0), supposed(gaps, errors.tolist(), WORTH)))
    return joined


def rows(lines: Sequence[Line]) -> list[str]:
    """The table as Markdown."""
    heads = ("what", "trials", "arms", "lots", "false alarms", "after the ledger", "coverage", "found", "can’t tell",
             "wrong at its own border", "the ledger warned")  # fmt: skip
    written = [f"| {' | '.join(heads)} |", f"|{'---|' * len(heads)}"]
    for line in lines:
        cells = (
            line.group, line.name, line.layout, line.dealt, _percent(line.figures), _percent(line.ledger),
            _percent(line.coverage), _percent(line.found), _percent(line.cannot_tell), _listed(line.border),
            _listed(line.warned),
        )  # fmt: skip
        mark = " (!)" if line.beyond else " (no bar)" if not line.barred else ""
        written.append(f"| {' | '.join(cells)}{mark} |")
    return written


def _percent(share: float | None) -> str:
    return "–" if share is None else f"{100 * share:.1f} %"


def _listed(shares: dict[str, float]) -> str:
    return ", ".join(f"{name} {100 * share:.1f} %" for name, share in shares.items() if share >= 0.0005) or "–"


if __name__ == "__main__":
    main()
