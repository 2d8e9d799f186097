"""The crowded demo garden: a full year of a keen gardener, made up, to see whether every page bears it.

Forty units, every measure, trials of every kind and stage, two overdue, names that are long, unbroken, or strange.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

from sqlmodel import Session

from eproba.core.measuring.measures import own_measure
from eproba.core.planning.cutter import Wish, proposals
from eproba.core.planning.plan import Layout, Plan, PlannedMeasure, PlannedPour, simple_layout
from eproba.core.practice.garden import Truth
from eproba.core.trial.days import Rhythm, regular
from eproba.core.trial.ground import Place, Site
from eproba.core.trial.lots import Dealing
from eproba.core.trial.model import CROSSED, Compared, PlannedTreatment, Role, Rules
from eproba.store.commands.measures import add_own_measure
from eproba.store.commands.rounds import finish_round
from eproba.store.commands.trials import end_early
from eproba.store.demo import laid, make_demo, moment_of, pour, read
from eproba.store.measures import all_measures

LONG = "Comfrey, nettle, dandelion and seaweed steeps beside plain water on the pumpkins in the last bed by the compost"
UNBROKEN = "Unterbodenbewässerungsschlauchverlegungsversuchsanordnungsprotokollführung"
STRANGE = "🥬 Mangold „Größe“ & <b>süß</b> 🪱 – Ødegård’s Ærø-jord"


@dataclass(frozen=True)
class Year:
    """One trial of the year: how many days ago it began, how long it runs, how much of it was done; `ladder`: its
    treatments are rungs, the control the lowest; `away`: the last pours were skipped; `crossed`: two things at once;
    `gain`: what the first one truly gains."""

    name: str
    began: int
    days: int
    treatments: tuple[tuple[str, Role, str], ...]
    each: int
    dealing: Dealing = "blocks"
    every: int | None = 7
    done_until: int = 1000
    ended: bool = False
    declared: bool = True
    compared: Compared = "drench"
    ladder: bool = False
    away: bool = False
    crossed: bool = False
    gain: float | None = None
    own_words: str = ""

    @property
    def poured(self) -> bool:
        return self.compared in ("drench", "dry", "mulch")


CONTROLS: tuple[Role, ...] = ("water control", "untreated", "reference")
WATER: tuple[str, Role, str] = ("Plain water", "water control", "")
STEEPS: tuple[tuple[str, Role, str], ...] = (
    WATER, ("Comfrey steep, of the second cut, strained twice", "test", "comfrey-steep"),
    ("Nettle steep", "test", "nettle-steep"), ("Dandelion steep", "test", "dandelion-steep"),
    ("Seaweed steep", "test", "seaweed-steep"), ("Finished compost", "reference", "compost-top-dressing"),
)  # fmt: skip
WHEY: tuple[tuple[str, Role, str], ...] = (WATER, ("Diluted whey", "test", "diluted-whey"))
MIXES: tuple[tuple[str, Role, str], ...] = (
    ("The usual mix", "reference", ""), ("Peat-free, own label", "test", ""), ("Coir bricks", "test", ""),
    ("Leaf mould of two winters", "test", ""), ("Sieved compost, half sand", "test", ""),
)  # fmt: skip
CROSS: tuple[tuple[str, Role, str], ...] = (
    WATER, ("Diluted whey", "test", "diluted-whey"), ("Aquarium water", "test", "aquarium-water"), ("Both", "test", ""),
)  # fmt: skip
LADDER: tuple[tuple[str, Role, str], ...] = (
    WATER, ("Comfrey steep, 1 + 40", "test", "comfrey-steep"), ("Comfrey steep, 1 + 20", "test", "comfrey-steep"),
    ("Comfrey steep, 1 + 10", "test", "comfrey-steep"), ("Comfrey steep, 1 + 5", "test", "comfrey-steep"),
    ("Comfrey steep, neat", "test", "comfrey-steep"),
)  # fmt: skip
YEAR = (
    Year(LONG, 20, 42, STEEPS, 6),
    Year(UNBROKEN, 60, 28, WHEY, 20, done_until=20),  # overdue, forty units
    Year(STRANGE, 35, 28, WHEY, 4, "pairs", done_until=14),  # overdue
    Year("Whey on sunflowers", 120, 28, WHEY, 6),
    Year("Whey on early pak choi", 200, 21, WHEY, 4, "pairs"),
    Year("Wool or nothing", 300, 35, (("Wool", "test", "wool-mulch"), ("Bare soil", "untreated", "")), 5, every=None),
    Year("Whey, given up", 90, 28, WHEY, 4, done_until=7, ended=True),
    Year("Whey, with a holiday between", 340, 28, WHEY, 6, "completely random", away=True),
    Year("Five potting mixes", 150, 28, MIXES, 6, "completely random", every=None, compared="media"),
    Year(
        "Watered at dawn or at dusk",
        240,
        21,
        (("At dusk", "reference", ""), ("At dawn", "test", "")),
        6,
        every=None,
        compared="way",
    ),
    Year("Comfrey in five strengths", 130, 28, LADDER, 6, ladder=True),
    Year("Next spring: seaweed", -30, 42, (WATER, ("Seaweed steep", "test", "seaweed-steep")), 6, declared=False),
    Year("Whey in a wet May", 190, 28, WHEY, 6, gain=0.12, own_words="A good splash of whey, and chard shoots up."),
    Year("Whey on the roof terrace", 160, 28, WHEY, 6, gain=0.18),
    Year("Whey behind the shed", 400, 28, WHEY, 5, "pairs", gain=-0.04),
    Year("Whey, and the aquarium’s water", 220, 28, CROSS, 6, crossed=True, gain=0.2),
)


def make_crowded(session: Session, today: date) -> None:
    """The demo garden, and the year beside it."""
    make_demo(session, today)
    for key, name, unit in (
        ("own_flower_buds", "Flower buds", "buds"),
        ("own_scent_in_the_evening", "Scent", "points"),
    ):
        add_own_measure(session, own_measure(key, name, unit, 0, 60, 0, "higher", "difference", "Count or score."))
    session.flush()
    for number, year in enumerate(YEAR):
        _trial(session, today, year, number)
    _turns(session, today)
    session.commit()


def _trial(session: Session, today: date, year: Year, number: int) -> None:
    keys = ["plant_height", *(key for key in all_measures(session) if key != "plant_height")]
    measures = [PlannedMeasure(key, 1, 5 if key == "seeds_up" else None) for key in keys[: 12 if number == 0 else 2]]
    count = len(year.treatments)
    plan = Plan(
        name=year.name,
        claim=year.own_words,
        note="Of the year before." if year.began > 100 else "",
        measures=tuple(measures),
        worth=0.15,
        scale="ratio",
        lower_is_better=False,
        summary="last",
        start_on=today - timedelta(days=year.began),
        rhythm=regular(year.days, 7, year.every),
        treatments=tuple(
            replace(
                _planned(*treatment, year.poured),
                rung=float(n) if year.ladder else None,
                things=CROSSED[n] if year.crossed else "",
            )
            for n, treatment in enumerate(year.treatments)
        ),
        control=next(i for i, (_, role, _) in enumerate(year.treatments) if role in CONTROLS),
        ranked=year.compared == "media",
        compared=year.compared,
        layout=_pots(year, count),
        rules=Rules(plants=1, seeds=5, handling="Loosened before each pour, treated or not."),
        pours=_evened(regular(year.days, 7, year.every).pours) if year.crossed else None,
    )
    trial = laid(session, plan, f"crowded-{number}", declared=year.declared)
    if not year.declared:
        return
    last = min(year.done_until, year.began)
    taken = [round_ for round_ in trial.rounds if round_.day <= last]
    gains = {"B": 0.1 * (number % 3), "D": -0.3 if year.compared == "media" else 0.0}
    if year.gain is not None:
        gains = {"B": year.gain, "D": year.gain} if year.crossed else {"B": year.gain}
    if year.away:
        gains = {"B": 0.4}  # large, and held back by its ledger
    if year.ladder:
        gains = {letter: 0.06 * n for n, letter in enumerate("ABCDE")} | {"F": -0.1}  # too strong is too much
    truth = Truth(12.0, 0.5, gains, 0.08, 0.05, 0.03)
    for measure in measures[:2] if number else measures[:1]:
        read(session, trial, taken, measure.key, replace(truth), 100 + number)
    for due_round in taken if number == 0 else ():
        finish_round(
            session, trial.id, due_round.id, moment_of(trial.start_on, due_round.day, 20)
        )  # one measure of twelve
    pour(session, trial, last, {14: "On the road", 21: "On the road"} if year.away else {})
    if year.ended:
        end_early(session, trial.id, today - timedelta(days=year.began - last - 2), "The cat slept in it.")


def _evened(days: Sequence[int]) -> tuple[PlannedPour, ...]:
    """Of two things at once: both bring twice as much water, so plain water makes up for it in the others."""
    control = [PlannedPour("A", day, planned=500.0) for day in days]
    alone = [PlannedPour(letter, day) for letter in "BC" for day in days]
    water = [PlannedPour(letter, day, "water", 0.25, "unit") for letter in "BC" for day in days]
    return tuple(sorted((*control, *alone, *water), key=lambda pour: (pour.day, pour.letter, pour.what)))


def _turns(session: Session, today: date) -> None:
    """Two beds that take turns, ten periods of three days: seaweed steep and the worms that come up."""
    beds = Site((Place("bed", "By the wall", 0, 0, 200, 110), Place("bed", "By the path", 280, 0, 200, 110)))
    (cut,) = proposals(beds, Wish(2, 10, 40, 60, 60, dealing="on and off"))
    rounds = tuple(3 * (i + 1) for i in range(10))
    plan = Plan(
        name="Seaweed and worms, by turns",
        claim="Seaweed steep brings more worms to the surface within three days.",
        note="Two beds only, so they take turns.",
        measures=(PlannedMeasure("surface_worms", 1, None),),
        worth=2.0,
        scale="difference",
        lower_is_better=False,
        summary="last",
        start_on=today - timedelta(days=45),
        rhythm=Rhythm(30, rounds, tuple(day - 3 for day in rounds)),
        treatments=(
            PlannedTreatment("Seaweed steep", "test", "at dusk", 4, "L", recipe="seaweed-steep"),
            PlannedTreatment("Plain water", "water control", "at dusk, from its own can", 4, "L"),
        ),
        control=1,
        layout=Layout(beds, 40, cut.dealing, cut.cuts),
        rules=Rules(handling="Raked lightly before each pour, on or off."),
    )
    trial = laid(session, plan, "by-turns")
    truth = Truth(6.0, 0.02, {"A": 4.5}, 0.9, 1.2, 0.5)
    for round_ in trial.rounds:
        now = [unit.id for unit in trial.living(trial.date_of(round_.day))]
        one = replace(trial, units=tuple(unit for unit in trial.units if unit.id in now))
        read(session, one, [round_], "surface_worms", truth, 500 + round_.day)
    pour(session, trial, 30, {})


def _planned(name: str, role: Role, recipe: str, poured: bool) -> PlannedTreatment:
    amount = 250.0 if poured and role != "untreated" and name != "Both" else None
    unit = "" if amount is None else "g" if recipe in ("wool-mulch", "compost-top-dressing") else "mL"
    return PlannedTreatment(name, role, "", amount, unit, recipe=recipe)


def _pots(year: Year, count: int) -> Layout:
    total = count * year.each
    per_row = next(n for n in (8, 6, 5, 4, total) if total % n == 0)
    return simple_layout("pots", (24, 24), 12, per_row, year.dealing, count, year.each)
