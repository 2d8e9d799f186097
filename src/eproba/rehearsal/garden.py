"""The trials of a rehearsal: three at a time, brews of different lengths, a mulch or a tray of media; each slot begins
anew when its trial is over, planned ahead so that no brew begins too late."""

from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from sqlmodel import Session

from eproba.core.planning.plan import Plan, PlannedMeasure, simple_layout
from eproba.core.trial.days import regular
from eproba.core.trial.model import Compared, PlannedTreatment
from eproba.store.commands.trials import create_trial, declare_trial

DAYS, AHEAD = 42, timedelta(days=23)  # a trial's length; how long before its start it is planned
Treated = tuple[PlannedTreatment, ...]
WATER = PlannedTreatment("Plain water", "water control", "", 250, "mL")


def _poured(name: str, recipe: str, sharing: str = "shared") -> PlannedTreatment:
    return PlannedTreatment(
        name, "test", "on the soil", 250, "mL", recipe=recipe, sharing="fresh" if sharing == "fresh" else "shared"
    )


@dataclass(frozen=True)
class Bed:
    """What a slot compares in its turn: treatments with their days between two pours (None: once)."""

    name: str
    treatments: Treated
    every: int | None
    compared: Compared = "drench"


SLOTS: tuple[tuple[Bed, ...], ...] = (
    (
        Bed("Comfrey and whey", (_poured("Comfrey", "comfrey-steep"), _poured("Whey", "diluted-whey"), WATER), 7),
        Bed("Nettles", (_poured("Nettles", "nettle-steep"), WATER), 14),
    ),
    (
        Bed("Ferment and extract",
            (_poured("Ferment", "sugar-ferment"), _poured("Extract", "compost-extract"), WATER), 14),
        Bed("Alfalfa and air", (
            _poured("Alfalfa", "alfalfa-pellet-steep"), _poured("Aerated", "aerated-compost-brew", "fresh"), WATER,
        ), 14),
        Bed("Bread and rice",
            (_poured("Bread", "stale-bread-steep"), _poured("Rice", "rice-rinse-ferment"), WATER), 21),
    ),
    (
        Bed("Wool mulch", (
            PlannedTreatment("Wool mulch", "test", "3 cm thick", 400, "g", recipe="wool-mulch"),
            PlannedTreatment("Bare soil", "untreated", "raked", None, ""),
        ), None, "mulch"),
        Bed("A tray of media", (
            PlannedTreatment("With worm casts", "test", "sown alike", None, ""),
            PlannedTreatment("The usual mix", "reference", "sown alike", None, ""),
        ), None, "media"),
    ),
)  # fmt: skip


def slots_of(waters_every: int) -> tuple[tuple[Bed, ...], ...]:
    """What stands in each slot; where extract goes into the watering can, one slot asks whether that is more than the
    water."""
    if not waters_every:
        return SLOTS
    extract = replace(_poured("Extract", "compost-extract", "fresh"), each_watering=True)
    return SLOTS[0], (Bed("Extract at every watering", (extract, WATER), waters_every),), SLOTS[2]


def plan_of(slot: int, turn: int, start_on: date, waters_every: int = 0) -> Plan:
    """The plan of a slot's next trial."""
    beds = slots_of(waters_every)[slot]
    bed = beds[turn % len(beds)]
    return Plan(
        name=f"{bed.name} {turn + 1}",
        claim="",
        note="",
        measures=(PlannedMeasure("plant_height", 1, None),),
        worth=0.2,
        scale="ratio",
        lower_is_better=False,
        summary="last",
        start_on=start_on,
        rhythm=regular(DAYS, 14, bed.every),
        treatments=bed.treatments,
        control=len(bed.treatments) - 1,
        layout=simple_layout("pots", (24, 24), 12, 4, "blocks", len(bed.treatments), 4),
        compared=bed.compared,
    )


def lay_down(session: Session, slot: int, turn: int, start_on: date, now: datetime, waters_every: int = 0) -> int:
    """Deal and declare it; returns its id."""
    trial_id = create_trial(session, plan_of(slot, turn, start_on, waters_every), f"rehearsal {slot} {turn}", now)
    declare_trial(session, trial_id, now)
    session.commit()
    return trial_id
