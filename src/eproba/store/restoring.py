"""A backup takes the place of the data, which are set aside; what was set aside comes back, or goes."""

from datetime import datetime

import psycopg
from sqlmodel import Session

from eproba.core.errors import EprobaError
from eproba.store.database import engine_for
from eproba.store.garden import renew_store
from eproba.store.server import connected, create, drop, exists, name_of, named, names, rename, restoring
from eproba.store.upgrading import migrate, revisions

ASIDE = "_before_"


def model_garden(url: str) -> str:
    """What the migrations make of an empty database, where the backup goes afterwards."""
    fresh = begin_restore(url)
    migrate(fresh)
    return fresh


def begin_restore(url: str) -> str:
    """An empty database to restore into; the present one stays untouched until the end."""
    with connected(url) as server:
        drop(server, restoring(url))
        create(server, restoring(url))
    return named(url, restoring(url))


def drop_restore(url: str) -> None:
    """Away with what could not be restored."""
    with connected(url) as server:
        drop(server, restoring(url))


def end_restore(url: str, now: datetime) -> str | None:
    """Migrate the restored database and put it in place; the old one is set aside under a dated name.

    Raises EprobaError if the backup is from a newer Eproba.
    """
    fresh = named(url, restoring(url))
    revision = _revision(fresh)
    if revision not in revisions():
        drop_restore(url)
        raise EprobaError(f"this backup is from a newer Eproba ({revision}): bring Eproba up to date, then restore")
    migrate(fresh)
    _renewed(fresh)
    return _put_in_place(url, restoring(url), now)


def set_aside(url: str) -> list[tuple[str, int]]:
    """What was set aside, the latest last: names and sizes in bytes."""
    with connected(url) as server:
        names_aside = sorted(names(server, f"{name_of(url)}{ASIDE}"))
        query = "SELECT pg_database_size(%s::name)"
        return [(name, int(server.execute(query, (name,)).fetchall()[0][0])) for name in names_aside]


def bring_back(url: str, name: str, now: datetime) -> str | None:
    """What was set aside takes the place of the present data, which are set aside in turn.

    Raises EprobaError if there is no such name.
    """
    _must_be_aside(url, name)
    migrate(named(url, name))
    _renewed(named(url, name))
    return _put_in_place(url, name, now)


def delete_aside(url: str, name: str) -> None:
    """Delete what was set aside, for good. Raises EprobaError if there is no such name."""
    _must_be_aside(url, name)
    with connected(url) as server:
        drop(server, name)


def _must_be_aside(url: str, name: str) -> None:
    names_aside = [name for name, _size in set_aside(url)]
    if name not in names_aside:
        names_text = ", ".join(names_aside) or "nothing"
        raise EprobaError(f"nothing named {name} was set aside; there is {names_text}")


def _revision(url: str) -> str:
    with psycopg.connect(url) as connection:
        return str(connection.execute("SELECT version_num FROM alembic_version").fetchall()[0][0])


def _renewed(url: str) -> None:
    """What a device was told to be kept may be gone with the data of before: it can see that by another name."""
    engine = engine_for(url)
    with Session(engine) as session:
        renew_store(session)
        session.commit()
    engine.dispose()


def _put_in_place(url: str, name: str, now: datetime) -> str | None:
    """Both databases change their names in one transaction: whoever looks sees the old data or the new, never none."""
    stem, number = f"{name_of(url)}{ASIDE}{now:%Y%m%d_%H%M%S}", 1
    with connected(url) as server:
        aside, taken = stem, names(server, stem)
        while aside in taken:
            number += 1
            aside = f"{stem}_{number}"
        present = exists(server, name_of(url))
        with server.transaction():
            if present:
                rename(server, name_of(url), aside)
            rename(server, name, name_of(url))
    return aside if present else None
