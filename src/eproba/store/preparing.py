"""Databases: made when missing, brought to the newest migration; the demo's laid fresh from a template of the day."""

from collections.abc import Callable
from contextlib import suppress
from datetime import date

import psycopg
from sqlmodel import Session

from eproba.store.database import engine_for
from eproba.store.garden import renew_store
from eproba.store.server import connected, create, drop, exists, name_of, named, names, rename, restoring
from eproba.store.upgrading import migrate, newest_revision

DEMO = "eproba_demo"
TEMPLATE = "eproba_template_"
Finish = Callable[[Session], None]


def prepare_own(url: str, finish: Finish) -> str:
    """The gardener's own database, kept and brought up to date; returns its URL."""
    with connected(url) as server:
        if not exists(server, name_of(url)):
            with suppress(psycopg.errors.DuplicateDatabase):  # another machine was quicker
                create(server, name_of(url))
        drop(server, restoring(url))  # of a restore that was killed
    migrate(url)
    engine = engine_for(url)
    with Session(engine) as session:
        finish(session)
    engine.dispose()
    return url


def prepare_demo(url: str, today: date, finish: Finish, crowded: bool = False) -> str:
    """A fresh demo database; its template is made once a day for each migration and generator version.

    `finish` has the last hand on it: what is over gets judged, which the store does not know how to do. `crowded`: a
    full year beside the five trials.
    """
    from eproba.store.demo import GENERATOR, make_demo
    from eproba.store.demo_crowded import make_crowded

    template = f"{TEMPLATE}{newest_revision()}_{GENERATOR}_{'crowded_' if crowded else ''}{today:%Y%m%d}"
    make = make_crowded if crowded else make_demo
    with connected(url) as server:
        if not exists(server, template):
            for old in names(server, TEMPLATE):
                drop(server, old)
            _make_template(server, url, template, lambda session: _filled(session, make, today, finish))
        drop(server, DEMO)
        create(server, DEMO, template)
    engine = engine_for(named(url, DEMO))
    with Session(engine) as session:
        renew_store(session)
        session.commit()
    engine.dispose()
    return named(url, DEMO)


def _filled(session: Session, make: Callable[[Session, date], None], today: date, finish: Finish) -> None:
    make(session, today)
    finish(session)


def _make_template(server: psycopg.Connection, url: str, template: str, fill: Finish) -> None:
    building = f"{template}_building"
    drop(server, building)
    create(server, building)
    migrate(named(url, building))
    engine = engine_for(named(url, building))
    with Session(engine) as session:
        fill(session)
    engine.dispose()
    rename(server, building, template)
