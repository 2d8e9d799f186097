"""Made-up trials whose truth is known: as a gardener would see them, with what they hide and what judging says.

Each is grown from a seed alone. The traps are those by which people fool themselves; two of nine scenes have none.
"""

import random
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from eproba.core.judging.envelope import confidence_at
from eproba.core.judging.judge import judge
from eproba.core.judging.judgement import Judgement
from eproba.core.judging.verdicts import Verdict, capped
from eproba.core.measuring.measures import Measure
from eproba.core.practice.deck import Card
from eproba.core.practice.garden import Plot, Truth, grow
from eproba.core.practice.traps import CONTROL, FAIR, Says, Trap
from eproba.core.stats.series import Question, UnitValue
from eproba.core.words import figure_or_whole, lower_first

THINGS = ("Comfrey steep", "Diluted whey", "Aquarium water", "Alfalfa-pellet steep")
CROPS = ("rainbow chard", "pak choi", "sunflowers")
WORTH = 0.10
GAIN = 0.22  # a true one
UNIT_SD, READING_SD, BED_SD = 0.09, 0.03, 0.12
EYE = 0.08  # a gap that makes one look twice
TRIES = 60
DAYS = (0, 7, 14, 21, 28)


@dataclass(frozen=True)
class SeenUnit:
    """One plant, pot or bed as the gardener has it in his notes; `values` by day; None: it was lost."""

    code: str
    treated: bool
    values: tuple[float | None, ...]


@dataclass(frozen=True)
class Scene:
    """A made-up trial. `seen`: what the gardener sees, on `days`; `facts`: numbers for its story; `works`: the truth.

    `judgement` None: there is nothing that could be judged; `held`: why no more than a description is left.
    """

    trap: Trap
    seed: int
    thing: str
    crop: str
    measure: Measure
    days: tuple[int, ...]
    seen: tuple[SeenUnit, ...]
    facts: dict[str, float]
    effect: float
    judgement: Judgement | None
    held: bool

    @property
    def gap(self) -> float:
        """What the eye sees at the end, as a share: treated over untreated; where none are untreated, over before."""
        ends = [(unit.treated, unit.values[-1]) for unit in self.seen if unit.values[-1] is not None]
        mine, others = ([value or 0.0 for treated, value in ends if treated == one] for one in (True, False))
        if not others:
            others = [unit.values[0] or 0.0 for unit in self.seen]
        return (sum(mine) / len(mine)) / (sum(others) / len(others)) - 1

    @property
    def works(self) -> bool:
        return self.effect > 0

    @property
    def verdict(self) -> Verdict:
        """What judging says of it."""
        if self.judgement is None:
            return "seen_not_shown"
        verdict_then = self.judgement.comparisons[0].verdict
        return capped(verdict_then, "described") if self.held else verdict_then

    @property
    def open(self) -> bool:
        """Whether nobody can tell from what is there."""
        return self.verdict in ("cannot_tell", "seen_not_shown")


def scene_of(trap: Trap, seed: int, measures: Mapping[str, Measure]) -> Scene:
    """Grow the scene of a trap; the same seed grows the same. What is to deceive shows a gap that the eye sees."""
    for attempt in range(TRIES):
        rng = random.Random(f"{trap}:{seed}:{attempt}")
        blank = Scene(
            trap=trap, seed=seed, thing=rng.choice(THINGS), crop=rng.choice(CROPS), measure=measures["plant_height"],
            days=DAYS, seen=(), facts={}, effect=0.0, judgement=None, held=False,
        )  # fmt: skip
        if trap == "colouring":
            blank = replace(blank, thing="Sugar ferment", measure=measures["breathing"])
        scene = SCENES[trap](blank, rng)
        if trap in FAIR or scene.gap >= EYE:
            break
    return scene


def seed_for(card: Card, seeds: Iterable[int], measures: Mapping[str, Measure]) -> int:
    """The first of endless seeds that grows a scene of this kind with this truth."""
    return next(seed for seed in seeds if scene_of(card.trap, seed, measures).works == card.works)


def told_facts(scene: Scene) -> dict[str, Any]:
    """What the story of a scene names, as it is said."""
    numbers: dict[str, Any] = {name: figure_or_whole(float(f"{value:.3g}")) for name, value in scene.facts.items()}
    return numbers | {
        "thing": scene.thing,
        "thing_small": lower_first(scene.thing),
        "control": lower_first(CONTROL),
        "crop": scene.crop,
        "measure": lower_first(scene.measure.name),
        "units": sum(unit.treated for unit in scene.seen),
        "others": sum(not unit.treated for unit in scene.seen),
        "gap": f"{abs(100 * scene.gap):.0f} % {'more' if scene.gap >= 0 else 'less'}",
        "day": scene.days[-1],
    }


def right(scene: Scene, says: Says) -> bool:
    """Whether it was the right thing to say: the truth, or that nobody can tell where that is so."""
    if says == "can’t tell":
        return scene.open
    return scene.works == (says == "works")


def caught(scene: Scene, says: Says) -> bool:
    """Whether the trap has caught: what was said is not so, or “works” where nobody can know."""
    return not right(scene, says) or (scene.open and says == "works")


def _grown(scene: Scene, plots: Sequence[Plot], effects: dict[str, float], rng: random.Random, block_sd: float) -> dict[
    tuple[str, int], float
]:  # fmt: skip
    start = rng.uniform(10, 16) if scene.measure.key == "plant_height" else rng.uniform(2, 3)
    truth = Truth(start, start / 24, effects, UNIT_SD, block_sd, READING_SD)
    return grow(scene.measure, truth, plots, scene.days, rng.randrange(10**9))


def _plots(units_each: int, blocks: bool = True) -> list[Plot]:
    return [
        Plot(f"P{2 * i + j + 1}", "AB"[j], str(i + 1) if blocks else None) for i in range(units_each) for j in (0, 1)
    ]


def _seen(scene: Scene, plots: Sequence[Plot], values: dict[tuple[str, int], float]) -> tuple[SeenUnit, ...]:
    return tuple(SeenUnit(p.code, p.letter == "A", tuple(values[p.code, day] for day in scene.days)) for p in plots)


def _judged(
    scene: Scene, plots: Sequence[Plot], last: dict[str, float | None], confidence: float = 0.95
) -> Judgement:  # fmt: skip
    question = Question(CONTROL, "ratio", WORTH, confidence=confidence)
    units = [UnitValue(p.code, scene.thing if p.letter == "A" else CONTROL, last[p.code], p.block) for p in plots]
    return judge(units, question)


def _fair(scene: Scene, rng: random.Random, effect: float, units_each: int = 6) -> Scene:
    """Pairs by lot, one pot each: nothing is wrong with it."""
    plots = _plots(units_each)
    values = _grown(scene, plots, {"A": effect}, rng, BED_SD / 2)
    last: dict[str, float | None] = {p.code: values[p.code, DAYS[-1]] for p in plots}
    return replace(scene, seen=_seen(scene, plots, values), effect=effect, judgement=_judged(scene, plots, last))


def _true_gain(scene: Scene, rng: random.Random) -> Scene:
    return _fair(scene, rng, GAIN, units_each=8)


def _nothing(scene: Scene, rng: random.Random) -> Scene:
    return _fair(scene, rng, 0.0, units_each=8)


def _one_bed_each(scene: Scene, rng: random.Random) -> Scene:
    """Twelve plants in each of two beds: the beds differ, the plants share them."""
    effect = rng.choice((0.0, 0.0, GAIN))
    plots = [Plot(f"{'L' if bed == 'A' else 'R'}{i + 1}", bed, bed) for bed in "AB" for i in range(12)]
    values = _grown(scene, plots, {"A": effect}, rng, BED_SD)
    seen = _seen(scene, plots, values)
    beds = {letter: [u.values[-1] or 0.0 for u in seen if u.treated == (letter == "A")] for letter in "AB"}
    means = {letter: sum(bed) / len(bed) for letter, bed in beds.items()}
    judgement = judge(
        [UnitValue("left", scene.thing, means["A"]), UnitValue("right", CONTROL, means["B"])],
        Question(CONTROL, "ratio", WORTH),
    )
    return replace(scene, seen=seen, effect=effect, judgement=judgement)


def _regression(scene: Scene, rng: random.Random) -> Scene:
    """The weakest of many are treated because they are weak, and get better by themselves."""
    plots = [Plot(f"H{i + 1}", "B", None) for i in range(30)]
    luck = {plot.code: rng.gauss(0, 0.2) for plot in plots}
    passing = {plot.code: rng.gauss(0, 0.2) for plot in plots}  # a bad week: gone four weeks later
    start, end = rng.uniform(10, 16), rng.uniform(1.0, 1.1)
    first = {code: start * (1 + luck[code] / 2 + passing[code]) for code in luck}
    later = {code: start * end * (1 + luck[code] / 2 + rng.gauss(0, 0.06)) for code in luck}
    poorest = sorted(first, key=lambda code: first[code])[:12]
    weakest, again = poorest[::2], poorest[1::2]
    seen = tuple(SeenUnit(code, True, (round(first[code], 1), round(later[code], 1))) for code in weakest)
    facts = {
        "before": sum(first[c] for c in weakest) / 6, "after": sum(later[c] for c in weakest) / 6,
        "others_before": sum(first[c] for c in again) / 6, "others_after": sum(later[c] for c in again) / 6,
        "rise": round(100 * (sum(later[c] for c in weakest) / sum(first[c] for c in weakest) - 1)),
    }  # fmt: skip
    return replace(scene, days=(0, 28), seen=seen, facts=facts, held=True)


def _gradient(scene: Scene, rng: random.Random) -> Scene:
    """The treated stand where the sun is: nobody dealt."""
    effect = rng.choice((0.0, 0.0, GAIN))
    plots = [Plot(f"H{i + 1}", "A" if i < 6 else "B", None) for i in range(12)]
    values = _grown(scene, plots, {"A": effect}, rng, 0.0)
    slope = rng.uniform(0.02, 0.035)
    lit = {(code, day): round(value * (1 + slope * (6 - int(code[1:]))), 1) for (code, day), value in values.items()}
    last: dict[str, float | None] = {p.code: lit[p.code, DAYS[-1]] for p in plots}
    judgement = _judged(scene, plots, last)
    return replace(scene, seen=_seen(scene, plots, lit), effect=effect, judgement=judgement, held=True)


def _peeking(scene: Scene, rng: random.Random) -> Scene:
    """Read every other day, stopped on the day that looked best; the price of that day is what judging asks."""
    scene = replace(scene, days=tuple(range(0, 29, 2)))
    plots = _plots(5)
    values = _grown(scene, plots, {}, rng, BED_SD / 2)
    wander = {p.code: 0.0 for p in plots}
    moved = {}
    for day in scene.days:
        for p in plots:
            wander[p.code] = 0.8 * wander[p.code] + rng.gauss(0, 0.05)
            moved[p.code, day] = round(values[p.code, day] * (1 + wander[p.code]), 1)

    def gap(day: int) -> float:
        mean = {letter: sum(moved[p.code, day] for p in plots if p.letter == letter) / 5 for letter in "AB"}
        return mean["A"] / mean["B"]

    stop = max(scene.days[4:-3], key=gap)
    shown = tuple(day for day in scene.days if day <= stop)
    last: dict[str, float | None] = {p.code: moved[p.code, stop] for p in plots}
    looks = [day for day in shown if 0 < day < stop]
    judgement = _judged(scene, plots, last, confidence_at(stop, 28, looks))
    scene = replace(scene, days=shown)
    return replace(scene, seen=_seen(scene, plots, moved), judgement=judgement, facts={"stop": stop, "of": 28.0})


def _ten_measures(scene: Scene, rng: random.Random) -> Scene:
    """Ten things are measured, the best is told; the one that was to decide shows nothing."""
    plots = _plots(6)
    tries = [_grown(scene, plots, {}, random.Random(rng.randrange(10**9)), BED_SD / 2) for _ in range(10)]

    def gap(values: dict[tuple[str, int], float]) -> float:
        ends = {letter: sum(values[p.code, DAYS[-1]] for p in plots if p.letter == letter) for letter in "AB"}
        return ends["A"] / ends["B"]

    best, first = max(tries, key=gap), min(tries, key=lambda values: abs(gap(values) - 1))
    last: dict[str, float | None] = {p.code: first[p.code, DAYS[-1]] for p in plots}
    judgement = _judged(scene, plots, last)
    return replace(scene, seen=_seen(scene, plots, best), judgement=judgement, facts={"measures": 10.0})


def _drop_outs(scene: Scene, rng: random.Random) -> Scene:
    """It kills the weakest: what is left looks good."""
    plots = _plots(10, blocks=False)
    values = _grown(scene, plots, {}, rng, 0.0)
    treated = sorted((p.code for p in plots if p.letter == "A"), key=lambda code: values[code, DAYS[-1]])
    gone = set(treated[:5])
    seen = tuple(
        replace(unit, values=(*unit.values[:2], None, None, None)) if unit.code in gone else unit
        for unit in _seen(scene, plots, values)
    )
    last = {p.code: None if p.code in gone else values[p.code, DAYS[-1]] for p in plots}
    judgement = _judged(scene, plots, last)
    return replace(scene, seen=seen, judgement=judgement, held=True, facts={"lost": len(gone)})


def _colouring(scene: Scene, rng: random.Random) -> Scene:
    """What is poured gives the reading itself: sugar breathes, whatever the soil does."""
    plots = _plots(6)
    values = _grown(scene, plots, {"A": 0.25}, rng, BED_SD / 2)
    last: dict[str, float | None] = {p.code: values[p.code, DAYS[-1]] for p in plots}
    judgement = _judged(scene, plots, last)
    return replace(scene, seen=_seen(scene, plots, values), judgement=judgement, held=True)


SCENES: dict[Trap, Callable[[Scene, random.Random], Scene]] = {
    "one bed each": _one_bed_each,
    "regression": _regression,
    "gradient": _gradient,
    "peeking": _peeking,
    "ten measures": _ten_measures,
    "drop-outs": _drop_outs,
    "colouring": _colouring,
    "true gain": _true_gain,
    "nothing": _nothing,
}
