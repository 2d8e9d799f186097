"""Measures: the catalogue's and the gardener's own."""

from collections.abc import Collection
from functools import cache
from typing import cast

from sqlmodel import Session, col, select

from eproba.core.catalogue import measures as catalogue
from eproba.core.measuring.measures import Measure, as_shown
from eproba.core.quantities import System, Units
from eproba.store.database import once, rows_of
from eproba.store.kit import household_kit
from eproba.store.mapping import measure_of
from eproba.store.tables import MeasurePictureRow, OwnMeasureRow


def measures_named(session: Session, keys: Collection[str]) -> dict[str, Measure]:
    """The measures with these keys; the gardener's own are fetched only where one of them is asked for."""
    known = _catalogue(household_system(session))
    return known if set(keys) <= set(known) else all_measures(session)


def household_system(session: Session) -> System:
    """The units of the household, asked once a session."""
    if "system" not in session.info:
        session.info["system"] = household_kit(session).kit.system
    return cast(System, session.info["system"])


def household_units(session: Session) -> Units:
    """How the household is told amounts."""
    return Units(household_system(session))


@cache
def _catalogue(system: System) -> dict[str, Measure]:
    return {key: as_shown(measure, system) for key, measure in catalogue(system).items()}


def picture_of_how(session: Session, key: str) -> bytes | None:
    """A picture of how an own measure is done."""
    row = session.get(MeasurePictureRow, key)
    return None if row is None else row.jpeg


def pictured(session: Session) -> set[str]:
    """The own measures that have one."""
    return set(session.exec(select(MeasurePictureRow.key)))


def all_measures(session: Session) -> dict[str, Measure]:
    """Every measure by key, the catalogue's first."""
    return once(session, "measures", lambda: _all_measures(session))


def _all_measures(session: Session) -> dict[str, Measure]:
    rows = rows_of(session, OwnMeasureRow, order=(col(OwnMeasureRow.name),))
    system = household_system(session)
    return {**_catalogue(system), **{row.key: as_shown(measure_of(row), system) for row in rows}}
