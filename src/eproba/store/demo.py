"""The demo garden: a small back plot and a roof terrace, made up, seeded, with known truth, relative to today."""

from collections.abc import Sequence
from datetime import UTC, date, datetime, time, timedelta

from sqlmodel import Session

from eproba.core.applying.prices import HOUR, WATER
from eproba.core.brewing.events import Batch, Event
from eproba.core.catalogue import measures, recipes
from eproba.core.measuring.measures import Measure
from eproba.core.planning.cutter import Wish, proposals
from eproba.core.planning.plan import Layout, Plan, PlannedMeasure, simple_layout
from eproba.core.practice.garden import Plot, Truth, grow
from eproba.core.trial.days import regular
from eproba.core.trial.doses import planned_dose
from eproba.core.trial.ground import Gradient, Place, Site
from eproba.core.trial.model import PlannedTreatment, Round, Rules, SpareRun, Trial
from eproba.store.commands.batches import add_batch, add_event
from eproba.store.commands.kit import keep_kit, keep_prices
from eproba.store.commands.pours import PourLog, log_pours
from eproba.store.commands.readings import add_many
from eproba.store.commands.rounds import note_round
from eproba.store.commands.trials import create_trial, declare_trial, record_spare_run
from eproba.store.kit import Garden, Household
from eproba.store.trials import load_trial

GENERATOR = 7
READER = "Ilse"
PRICES = {HOUR: 6.0, WATER: 0.0025, "comfrey": 0.0, "whey": 0.4, "alfalfa_pellets": 1.2, "wool": 7.5}


def make_demo(session: Session, today: date) -> None:
    """Lay the five demo trials down, and what stands on the shelf, in a garden whose soil is poor."""
    keep_kit(session, Household(garden=Garden(poor=True), currency="€"))
    keep_prices(session, PRICES, today - timedelta(days=60))
    chard(session, today)
    currants(session, today)
    sunflowers(session, today)
    pak_choi(session, today)
    back_plot(session, today)
    session.commit()


def chard(session: Session, today: date) -> None:
    """Finished: a real gain from comfrey steep (21 %), none from diluted whey."""
    plan = Plan(
        name="Comfrey and whey on rainbow chard",
        claim="Comfrey steep, or diluted whey, makes chard leaves wider within four weeks.",
        note="Roof terrace. One sowing, pots filled to the same mark, all moved indoors in the storm of day 17.",
        measures=(PlannedMeasure("widest_leaf", 1, None), PlannedMeasure("leaf_count", 1, None)),
        worth=0.15,
        scale="ratio",
        lower_is_better=False,
        summary="last",
        start_on=today - timedelta(days=30),
        rhythm=regular(28, 7, 7),
        treatments=(
            PlannedTreatment("Plain water", "water control", "rain water from the butt", 250, "mL"),
            PlannedTreatment("Comfrey steep", "test", "on the soil", 250, "mL", recipe="comfrey-steep"),
            PlannedTreatment("Diluted whey", "test", "on the soil", 250, "mL", recipe="diluted-whey"),
        ),
        control=0,
        layout=simple_layout("pots", (24, 24), 12, 6, "blocks", 3, 6),
        rules=Rules(plants=1, handling="Loosened 2 cm deep with a fork before each pour, water control included."),
    )
    trial = laid(session, plan, "chard-terrace")
    read(session, trial, trial.rounds, "widest_leaf", Truth(6.0, 0.32, {"B": 0.21}, 0.05, 0.06, 0.02), 11)
    read(session, trial, trial.rounds, "leaf_count", Truth(4.0, 0.36, {"B": 1.0}, 0.7, 0.4, 0.4), 12)
    pour(session, trial, 28, {})
    note_round(session, trial.id, trial.rounds[2].id, "Greenfly on P4, wiped off. Same for all: none fed.", "")


def currants(session: Session, today: date) -> None:
    """Running, day 9 of 21: wool-fibre mulch and soil moisture, five pairs of patches with guards."""
    plan = Plan(
        name="Wool mulch under the currants",
        claim="Wool-fibre mulch keeps the soil under currants moister through three weeks.",
        note="Back plot. Every patch is raked in the same way, mulched or not.",
        measures=(PlannedMeasure("moisture_meter", 2, None), PlannedMeasure("surface_worms", 1, None)),
        worth=1.0,
        scale="difference",
        lower_is_better=False,
        summary="last",
        start_on=today - timedelta(days=9),
        rhythm=regular(21, 3, None),
        treatments=(
            PlannedTreatment("Wool-fibre mulch", "test", "3 cm thick, moistened", 400, "g", recipe="wool-mulch"),
            PlannedTreatment("Bare soil", "untreated", "raked as the others", None, ""),
        ),
        control=1,
        layout=_under_the_currants(),
        rules=Rules(handling="Raked 1 cm deep on day 0, mulched or not; watered by rain only."),
    )
    trial = laid(session, plan, "currant-plot")
    taken = [round_ for round_ in trial.rounds if round_.day < 9]
    read(session, trial, taken, "moisture_meter", Truth(5.2, -0.08, {"A": 1.6}, 0.35, 0.6, 0.3), 21, replicates=2)
    read(session, trial, taken, "surface_worms", Truth(3.0, -0.05, {"A": 1.0}, 1.0, 0.8, 0.8), 22)
    pour(session, trial, 0, {})


def sunflowers(session: Session, today: date) -> None:
    """Finished one-of-each: aquarium water on sunflowers, two strips."""
    plan = Plan(
        name="Aquarium water on sunflowers",
        claim="Water from the aquarium makes sunflowers taller than tap water does.",
        note="Back plot, along the fence. Two strips only: there was no room for more.",
        measures=(PlannedMeasure("plant_height", 3, None),),
        worth=0.2,
        scale="ratio",
        lower_is_better=False,
        summary="last",
        start_on=today - timedelta(days=50),
        rhythm=regular(42, 14, 7),
        treatments=(
            PlannedTreatment("Aquarium water", "test", "fresh, unmedicated", 4, "L", recipe="aquarium-water"),
            PlannedTreatment("Plain water", "water control", "from its own can", 4, "L"),
        ),
        control=1,
        layout=_along_the_fence(),
    )
    trial = laid(session, plan, "sunflower-fence")
    read(session, trial, trial.rounds, "plant_height", Truth(22, 2.6, {"A": 0.02}, 0.06, 0.0, 0.05), 31, replicates=3)
    pour(session, trial, 42, {21: "Away for the weekend"})


def pak_choi(session: Session, today: date) -> None:
    """Planned: alfalfa-pellet steep on pak choi, starting the day after tomorrow; its brew went foul in the warmth."""
    plan = Plan(
        name="Alfalfa steep on pak choi",
        claim="Alfalfa-pellet steep makes pak choi heavier at harvest.",
        note="",
        measures=(PlannedMeasure("fresh_mass", 1, None), PlannedMeasure("plant_height", 1, None)),
        worth=0.2,
        scale="ratio",
        lower_is_better=False,
        summary="last",
        start_on=today + timedelta(days=2),
        rhythm=regular(35, 7, 14),
        treatments=(
            PlannedTreatment("Alfalfa-pellet steep", "test", "strained", 200, "mL", recipe="alfalfa-pellet-steep"),
            PlannedTreatment("Plain water", "water control", "", 200, "mL"),
        ),
        control=1,
        layout=simple_layout("bench", (20, 20), 8, 8, "pairs", 2, 8),
        rules=Rules(seeds=5, plants=1, thin_on=10, replace_until=7, handling="Same compost to the same mark."),
    )
    trial = laid(session, plan, "pak-choi-terrace", declared=False)
    run = SpareRun("A", today - timedelta(days=6), True, "No wilting, no scorched leaf after five days.", READER)
    record_spare_run(session, trial.id, run)
    steep = brewed(
        session, "alfalfa-pellet-steep", 1.0, moment_of(today, -4, 6), "kitchen window", "Alfalfa for the pak choi"
    )
    looked(session, steep, moment_of(today, -3, 21), 24.5, {"smell": "none", "colour": "cloudy"})
    looked(
        session,
        steep,
        moment_of(today, -1, 20),
        29.0,
        {"smell": "foul", "colour": "dark", "mould": "none", "slime": "yes"},
    )


def back_plot(session: Session, today: date) -> None:
    """Running, day 7 of 28: an unrefined-sugar ferment on two beds of chard, four pairs; a pour and a round today."""
    beds = tuple(Place("bed", f"Chard bed {i + 1}", 260 * i, 0, 220, 160) for i in range(2))
    proposal = next(p for p in proposals(Site(beds), Wish(2, 4, 20, 60, 60)) if p.units_each == 4)
    plan = Plan(
        name="Sugar ferment on the chard beds",
        claim="An unrefined-sugar ferment makes the chard of the back plot taller within four weeks.",
        note="Back plot, two beds beside each other.",
        measures=(PlannedMeasure("plant_height", 2, None), PlannedMeasure("soil_smell", 1, None)),
        worth=0.15,
        scale="ratio",
        lower_is_better=False,
        summary="last",
        start_on=today - timedelta(days=7),
        rhythm=regular(28, 7, 7),
        treatments=(
            PlannedTreatment("Sugar ferment", "test", "at the base", 1.5, "L", recipe="sugar-ferment"),
            PlannedTreatment("Plain water", "water control", "from its own can", 1.5, "L"),
        ),
        control=1,
        layout=Layout(Site(beds), 20, proposal.dealing, proposal.cuts),
        rules=Rules(handling="Loosened 2 cm deep and watered lightly, treated or not."),
    )
    trial = laid(session, plan, "chard-beds")
    first = trial.rounds[:1]
    read(session, trial, first, "plant_height", Truth(14.0, 0.6, {}, 0.07, 0.06, 0.02), 51, replicates=2)
    read(session, trial, first, "soil_smell", Truth(2.0, 0.0, {}, 0.4, 0.2, 0.3), 52)
    ready = {"smell": "sweet", "foam": "light", "mould": "none"}
    used = brewed(session, "sugar-ferment", 0.6, moment_of(today, -13, 17), "under the stairs", "Ferment, first bucket")
    looked(session, used, moment_of(today, -7, 9), 27.0, ready)
    strained = Event(moment_of(today, -7, 10), "strained", litres=0.55, by=READER)
    add_event(session, used, strained, strained.at)
    pour(session, trial, 0, {}, {"A": {used: 0.545}})
    second = brewed(
        session, "sugar-ferment", 1.6, moment_of(today, -6, 17), "under the stairs", "Ferment, second bucket"
    )
    for days in (-5, -4, -3, -2):
        add_event(session, second, Event(moment_of(today, days, 18), "stirred", by=READER), moment_of(today, 0, 0))
    looked(session, second, moment_of(today, -3, 8), 27.5, {"smell": "sweet", "foam": "none"})
    looked(session, second, moment_of(today, -1, 20), 28.0, ready)
    foul = brewed(session, "scrap-steep-blended", 8.0, moment_of(today, -12, 12), "in the sun", "Scraps")
    looked(session, foul, moment_of(today, -2, 9), 31.0, {"mould": "coloured", "smell": "foul"})
    gone = Event(moment_of(today, -2, 9), "thrown away", note="green mould: it stood in the sun", by=READER)
    add_event(session, foul, gone, gone.at)
    nettles = brewed(session, "nettle-steep", 6.0, moment_of(today, -5, 8), "behind the compost", "")
    looked(session, nettles, moment_of(today, -2, 18), 19.0, {"smell": "strong", "foam": "thick", "colour": "cloudy"})
    _standing(session, "comfrey-steep", 9.0, moment_of(today, -1, 18), "north wall")


def moment_of(today: date, days: int, hour: int) -> datetime:
    return datetime.combine(today + timedelta(days=days), time(hour), UTC)


def brewed(session: Session, key: str, litres: float, at: datetime, place: str, name: str) -> int:
    begun = (Event(at - timedelta(hours=24), "water set out", by=READER), Event(at, "mixed", by=READER))
    return add_batch(session, Batch(0, recipes()[key], litres, place, begun, name=name, water="tap with chlorine"))


def _standing(session: Session, key: str, litres: float, since: datetime, place: str) -> int:
    begun = (Event(since, "water set out", by=READER),)
    return add_batch(session, Batch(0, recipes()[key], litres, place, begun, water="tap with chlorine"))


def looked(session: Session, batch_id: int, at: datetime, degrees: float, seen: dict[str, str]) -> None:
    add_event(session, batch_id, Event(at, "looked at", degrees, seen, by=READER), at)


def _under_the_currants() -> Layout:
    """A bed along a hedge that shades one end: pairs across the gradient, a guard of 20 cm between."""
    bed = Place("bed", "Currant bed", 0, 0, 620, 130)
    site = Site((bed,), Gradient("shade", 90), north=20)
    proposal = next(p for p in proposals(site, Wish(2, 5, 20, 60, 50)) if p.units_each == 5)
    return Layout(site, 20, proposal.dealing, proposal.cuts)


def _along_the_fence() -> Layout:
    """Two strips, one of each."""
    strips = tuple(Place("bed", f"Strip {i + 1}", 0, i * 140, 300, 80) for i in range(2))
    proposal = proposals(Site(strips), Wish(2, 1, 60, 300, 80, dealing="one of each"))[0]
    return Layout(Site(strips), 60, proposal.dealing, proposal.cuts)


def laid(session: Session, plan: Plan, seed: str, declared: bool = True) -> Trial:
    dealt_at = datetime.combine(plan.start_on - timedelta(days=1), time(18), UTC)
    trial_id = create_trial(session, plan, seed, dealt_at)
    if declared:
        declare_trial(session, trial_id, dealt_at + timedelta(hours=1))
        session.expire_all()
    trial = load_trial(session, trial_id)
    assert trial is not None
    return trial


def read(
    session: Session, trial: Trial, rounds: Sequence[Round], key: str, truth: Truth, seed: int, replicates: int = 1
) -> None:
    plots = [Plot(unit.code, unit.letter, unit.block) for unit in trial.units]
    grown = _grown(measures()[key], truth, plots, [round_.day for round_ in rounds], seed, replicates)
    ids = {unit.code: unit.id for unit in trial.units}
    for this in rounds:
        at = datetime.combine(trial.date_of(this.day), time(17), UTC)
        rows = [
            {
                "round_id": this.id,
                "unit_id": ids[code],
                "measure_key": key,
                "replicate": replicate,
                "value": value,
                "typed": f"{value:g}",
                "by": READER,
                "at": at,
                "read_at": at,
                "source": "till",
                "client_id": f"demo-{trial.id}-{key}-{day}-{code}-{replicate}",
            }
            for (code, day, replicate), value in grown.items()
            if day == this.day
        ]
        add_many(session, trial.id, rows, at)


def _grown(
    measure: Measure, truth: Truth, plots: Sequence[Plot], days: Sequence[int], seed: int, replicates: int
) -> dict[tuple[str, int, int], float]:
    """Values by unit, day and reading. The same seed keeps each unit's own luck; a little reading noise comes on top
    for further readings."""
    first = grow(measure, truth, plots, days, seed)
    values = {(code, day, 1): value for (code, day), value in first.items()}
    for replicate in range(2, replicates + 1):
        again = grow(measure, truth, plots, days, seed + 1000 * replicate)
        for (code, day), value in first.items():
            values[code, day, replicate] = round(0.85 * value + 0.15 * again[code, day], measure.decimals)
    return values


def pour(
    session: Session, trial: Trial, until: int, skipped: dict[int, str], took: dict[str, dict[int, float]] | None = None
) -> None:
    for pour in trial.pours:
        if pour.day > until:
            continue
        status, note = ("skipped", skipped[pour.day]) if pour.day in skipped else ("poured", "")
        on = trial.date_of(pour.day)
        at = datetime.combine(on, time(18), UTC)
        values: dict[str, object] = {"status": status, "done_on": on, "done_at": at, "note": note}
        litres = (took or {}).get(pour.letter, {})
        if status == "poured":
            dose = planned_dose(trial, pour)
            words, amount = ("", None) if dose is None else (dose.words, dose.amount)
            values |= {"amount": words, "amount_each": amount, "alike": True, "can": "own"}
            values["batch_id"] = next(iter(litres), None)
        log_pours(session, trial.id, [PourLog(pour, values, litres)], READER, at)
