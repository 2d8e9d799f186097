"""The databases of a server: found, made, renamed and dropped by their names."""

from contextlib import suppress

import psycopg
from psycopg import sql
from sqlalchemy.engine import make_url


def named(url: str, database: str) -> str:
    """The same server, another database."""
    return make_url(url).set(database=database).render_as_string(hide_password=False)


def name_of(url: str) -> str:
    return make_url(url).database or "eproba"


def restoring(url: str) -> str:
    """The name of the database that a backup is restored into."""
    return f"{name_of(url)}_restoring"


def connected(url: str) -> psycopg.Connection:
    """A connection to the server itself, outside any transaction."""
    for maintenance in ("postgres", name_of(url)):
        with suppress(psycopg.OperationalError):
            return psycopg.connect(named(url, maintenance), autocommit=True, connect_timeout=5)
    raise ConnectionError("PostgreSQL does not answer; see the logs in EPROBA_HOME")


def exists(server: psycopg.Connection, name: str) -> bool:
    return name in names(server, name)


def names(server: psycopg.Connection, start: str) -> list[str]:
    rows = server.execute("SELECT datname FROM pg_database WHERE starts_with(datname, %s)", (start,)).fetchall()
    return [row[0] for row in rows]


def create(server: psycopg.Connection, name: str, template: str = "template0") -> None:
    server.execute(sql.SQL("CREATE DATABASE {} TEMPLATE {}").format(sql.Identifier(name), sql.Identifier(template)))


def drop(server: psycopg.Connection, name: str) -> None:
    server.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(name)))


def rename(server: psycopg.Connection, old: str, new: str) -> None:
    server.execute(sql.SQL("ALTER DATABASE {} RENAME TO {}").format(sql.Identifier(old), sql.Identifier(new)))
