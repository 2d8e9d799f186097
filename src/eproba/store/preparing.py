"""Databases: made when missing, brought to the newest migration; the demo's laid fresh from a template of the day."""

from collections.abc import Callable
from contextlib import suppress
from datetime import date, datetime

import psycopg
from psycopg import sql
from sqlalchemy.engine import make_url
from sqlmodel import Session

from eproba.core.errors import EprobaError
from eproba.store.database import engine_for
from eproba.store.demo import GENERATOR, make_demo
from eproba.store.demo_crowded import make_crowded
from eproba.store.upgrading import migrate, newest_revision, revisions

DEMO = "eproba_demo"
TEMPLATE = "eproba_template_"
RESTORING = "_restoring"  # after the name of the database that is restored
ASIDE = "_before_"
Finish = Callable[[Session], None]


def named(url: str, database: str) -> str:
    """The same server, another database."""
    return make_url(url).set(database=database).render_as_string(hide_password=False)


def name_of(url: str) -> str:
    return make_url(url).database or "eproba"


def prepare_own(url: str, finish: Finish) -> str:
    """The gardener's own database, kept and brought up to date; returns its URL."""
    with _server(url) as server:
        if not _exists(server, name_of(url)):
            with suppress(psycopg.errors.DuplicateDatabase):  # another machine was quicker
                _create(server, name_of(url))
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
    template = f"{TEMPLATE}{newest_revision()}_{GENERATOR}_{'crowded_' if crowded else ''}{today:%Y%m%d}"
    make = make_crowded if crowded else make_demo
    with _server(url) as server:
        if not _exists(server, template):
            for old in _names(server, TEMPLATE):
                _drop(server, old)
            _make_template(server, url, template, lambda session: _filled(session, make, today, finish))
        _drop(server, DEMO)
        _create(server, DEMO, template)
    return named(url, DEMO)


def _fresh(url: str) -> str:
    return f"{name_of(url)}{RESTORING}"


def begin_restore(url: str) -> str:
    """An empty database to restore into; the present one stays untouched until the end."""
    with _server(url) as server:
        _drop(server, _fresh(url))
        _create(server, _fresh(url))
    return named(url, _fresh(url))


def drop_restore(url: str) -> None:
    """Away with what could not be restored."""
    with _server(url) as server:
        _drop(server, _fresh(url))


def end_restore(url: str, now: datetime) -> str | None:
    """Migrate the restored database and put it in place; the old one is set aside under a dated name.

    Raises EprobaError if the backup is from a newer Eproba.
    """
    fresh = named(url, _fresh(url))
    revision = _revision(fresh)
    if revision not in revisions():
        drop_restore(url)
        raise EprobaError(f"this backup is from a newer Eproba ({revision}): bring Eproba up to date, then restore")
    migrate(fresh)
    return _put_in_place(url, _fresh(url), now)


def set_aside(url: str) -> list[tuple[str, int]]:
    """What was set aside, the latest last: names and sizes in bytes."""
    with _server(url) as server:
        found = sorted(_names(server, f"{name_of(url)}{ASIDE}"))
        query = "SELECT pg_database_size(%s::name)"
        return [(name, int(server.execute(query, (name,)).fetchall()[0][0])) for name in found]


def bring_back(url: str, name: str, now: datetime) -> str | None:
    """What was set aside takes the place of the present data, which are set aside in turn.

    Raises EprobaError if there is no such name.
    """
    _must_be_aside(url, name)
    migrate(named(url, name))
    return _put_in_place(url, name, now)


def delete_aside(url: str, name: str) -> None:
    """Delete what was set aside, for good. Raises EprobaError if there is no such name."""
    _must_be_aside(url, name)
    with _server(url) as server:
        _drop(server, name)


def _must_be_aside(url: str, name: str) -> None:
    found = [each for each, _size in set_aside(url)]
    if name not in found:
        here = ", ".join(found) or "nothing"
        raise EprobaError(f"nothing named {name} was set aside; there is {here}")


def _revision(url: str) -> str:
    with psycopg.connect(url) as connection:
        return str(connection.execute("SELECT version_num FROM alembic_version").fetchall()[0][0])


def _put_in_place(url: str, name: str, now: datetime) -> str | None:
    """Both databases change their names in one transaction: whoever looks sees the old data or the new, never none."""
    stem, number = f"{name_of(url)}{ASIDE}{now:%Y%m%d_%H%M%S}", 1
    with _server(url) as server:
        aside, taken = stem, _names(server, stem)
        while aside in taken:
            number += 1
            aside = f"{stem}_{number}"
        present = _exists(server, name_of(url))
        with server.transaction():
            if present:
                _rename(server, name_of(url), aside)
            _rename(server, name, name_of(url))
    return aside if present else None


def _filled(session: Session, make: Callable[[Session, date], None], today: date, finish: Finish) -> None:
    make(session, today)
    finish(session)


def _make_template(server: psycopg.Connection, url: str, template: str, fill: Finish) -> None:
    building = f"{template}_building"
    _drop(server, building)
    _create(server, building)
    migrate(named(url, building))
    engine = engine_for(named(url, building))
    with Session(engine) as session:
        fill(session)
    engine.dispose()
    _rename(server, building, template)


def _server(url: str) -> psycopg.Connection:
    """A connection to the server itself, outside any transaction."""
    for maintenance in ("postgres", name_of(url)):
        with suppress(psycopg.OperationalError):
            return psycopg.connect(named(url, maintenance), autocommit=True, connect_timeout=5)
    raise ConnectionError("PostgreSQL does not answer; see the logs in EPROBA_HOME")


def _exists(server: psycopg.Connection, name: str) -> bool:
    return name in _names(server, name)


def _names(server: psycopg.Connection, start: str) -> list[str]:
    rows = server.execute("SELECT datname FROM pg_database WHERE starts_with(datname, %s)", (start,)).fetchall()
    return [row[0] for row in rows]


def _create(server: psycopg.Connection, name: str, template: str = "template0") -> None:
    server.execute(sql.SQL("CREATE DATABASE {} TEMPLATE {}").format(sql.Identifier(name), sql.Identifier(template)))


def _drop(server: psycopg.Connection, name: str) -> None:
    server.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(name)))


def _rename(server: psycopg.Connection, old: str, new: str) -> None:
    server.execute(sql.SQL("ALTER DATABASE {} RENAME TO {}").format(sql.Identifier(old), sql.Identifier(new)))
