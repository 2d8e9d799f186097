"""Databases of tests: copied from one that is filled once a run, and put back as they were after a test that wrote."""

import itertools
import os
import re
from collections import defaultdict
from collections.abc import Callable, Iterable
from datetime import date
from functools import partial
from pathlib import Path

import psycopg
from alembic import command
from psycopg import sql
from sqlalchemy import event
from sqlmodel import Session

from eproba.start.home import Home
from eproba.start.roles import OWNER
from eproba.store.database import engine_for
from eproba.store.demo import make_demo
from eproba.store.demo_crowded import make_crowded
from eproba.store.server import named
from eproba.store.upgrading import alembic_config, migrate
from eproba.web.verdict.findings import remember_all

TODAY = date(2026, 5, 20)
# Of all workers of a run: they are children of the process that was started.
RUN = f"eproba_shared_{os.getppid() if 'PYTEST_XDIST_WORKER' in os.environ else os.getpid()}_"
THIRD = Path(__file__).parent / "store" / "garden_0003"
MOST_LENT = 100  # then a new one: what was put back leaves gaps behind
PASSING = ("SELECT", "SET ", "SAVEPOINT", "RELEASE", "ROLLBACK", "LOCK")  # these leave nothing behind
WRITING = re.compile(r"(INSERT INTO|UPDATE|DELETE FROM) (\w+)")
_numbers = itertools.count(1)


class Server:
    """The PostgreSQL server that `./eproba test` started."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.connections: dict[int, psycopg.Connection] = {}

    @property
    def admin(self) -> psycopg.Connection:
        """A connection to the server itself; it belongs to the process that opened it."""
        if os.getpid() not in self.connections:
            self.connections = {os.getpid(): psycopg.connect(named(self.url, "postgres"), autocommit=True)}
        return self.connections[os.getpid()]

    def run(self, text: str, *names: str) -> None:
        self.admin.execute(sql.SQL(text).format(*map(sql.Identifier, names)))

    def new(self, template: str = "template0") -> str:
        name = f"eproba_test_{os.getpid()}_{next(_numbers)}"
        self.run("CREATE DATABASE {} TEMPLATE {} STRATEGY FILE_COPY", name, template)
        return name

    def names(self, start: str) -> list[str]:
        found = self.admin.execute("SELECT datname FROM pg_database WHERE starts_with(datname, %s)", (start,))
        return [row[0] for row in found.fetchall()]

    def drop(self, name: str) -> None:
        self.run("DROP DATABASE IF EXISTS {} WITH (FORCE)", name)

    def shut(self, name: str) -> None:
        """As if the server had stopped: nobody gets in, those inside are put out."""
        self.run("ALTER DATABASE {} ALLOW_CONNECTIONS false", name)
        self.admin.execute("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = %s", (name,))

    def open(self, name: str) -> None:
        self.run("ALTER DATABASE {} ALLOW_CONNECTIONS true", name)


class Templates:
    """Databases to copy, by name; the workers of a run share them, and the first that asks for one makes it."""

    def __init__(self, server: Server) -> None:
        self.server = server
        self.ready: set[str] = set()

    def __getitem__(self, name: str) -> str:
        shared = f"{RUN}{name}{os.environ.get('EPROBA_DEMO_ANEW', '') if name != 'empty' else ''}"
        if shared not in self.ready:
            lock = "SELECT {}(hashtext(%s))"
            self.server.admin.execute(lock.format("pg_advisory_lock"), (shared,))
            if shared not in self.server.names(RUN):
                self.server.run("ALTER DATABASE {} RENAME TO {}", self.made(name), shared)
            self.server.admin.execute(lock.format("pg_advisory_unlock"), (shared,))
            self.ready.add(shared)
        return shared

    def made(self, name: str) -> str:
        building = self.server.new() if name in ("empty", "third") else self.server.new(self["empty"])
        LAYING[name](named(self.server.url, building))
        return building


def lay_first(url: str) -> None:
    """An empty garden as the first version made it."""
    command.downgrade(alembic_config(url), "0001")


def lay_third(url: str) -> None:
    """The demo garden of the third version, brought up to date."""
    command.upgrade(alembic_config(url), "0003")
    engine = engine_for(url)
    with engine.begin() as connection:
        connection.exec_driver_sql((THIRD / "garden.sql").read_text("utf-8"))
    engine.dispose()
    migrate(url)


def lay_garden(make: Callable[[Session, date], None], url: str) -> None:
    engine = engine_for(url)
    with Session(engine) as session:
        make(session, TODAY)
        remember_all(session)
    engine.dispose()


LAYING: dict[str, Callable[[str], None]] = {
    "empty": migrate, "first": lay_first, "third": lay_third,
    "demo": partial(lay_garden, make_demo), "crowded": partial(lay_garden, make_crowded),
}  # fmt: skip


class Lent:
    """A database that tests have one after the other; what one wrote is taken out before the next has it."""

    TABLES = "SELECT relname FROM pg_class WHERE relkind = 'r' AND relnamespace = 'public'::regnamespace"
    COUNTERS = "SELECT sequencename, last_value FROM pg_sequences WHERE schemaname = 'public'"
    FOLLOWING = "SELECT confrelid::regclass::text, conrelid::regclass::text FROM pg_constraint WHERE confdeltype <> 'a'"

    def __init__(self, server: Server, name: str) -> None:
        self.server, self.name, self.times = server, name, 0
        # Without triggers and foreign keys, since all rows are put back together: only the owner may say so.
        self.connection = self.connect(name, "-c session_replication_role=replica -c lock_timeout=5s")
        self.rows = {table: self.read(table) for table in self.column(self.TABLES)}
        counts = (sql.SQL("(SELECT count(*) FROM {})").format(sql.Identifier(table)) for table in self.rows)
        self.counting = sql.SQL("SELECT {}").format(sql.SQL(", ").join(counts))
        self.counts = self.counted()
        self.counters = dict(self.connection.execute(self.COUNTERS).fetchall())
        self.followers = defaultdict(set)
        for followed, follower in self.connection.execute(self.FOLLOWING):
            self.followers[followed].add(follower)

    def connect(self, name: str, options: str = "") -> psycopg.Connection:
        """As the owner of the cluster."""
        passwords = str(Home(Path(os.environ["EPROBA_HOME"])).owner_passwords)
        url = named(self.server.url, name)
        return psycopg.connect(url, user=OWNER, passfile=passwords, autocommit=True, options=options)

    def column(self, query: str) -> list[str]:
        return [row[0] for row in self.connection.execute(query)]

    def read(self, table: str) -> bytes:
        with self.connection.cursor().copy(sql.SQL("COPY {} TO STDOUT").format(sql.Identifier(table))) as out:
            return b"".join(out)

    def counted(self) -> tuple[int, ...]:
        """How many rows stand in each table."""
        return self.connection.execute(self.counting).fetchone()

    def is_put_back(self, writings: Iterable[tuple[str, str]]) -> bool:
        """False: better a new one, since it has many gaps, or somebody still writes, or it is unknown what was."""
        self.times += 1
        changed = {"stamp", *(table for _, table in writings)}  # stamps are changed by triggers
        gone = {table for done, table in writings if done == "DELETE FROM"}
        try:
            self.put_back(changed | self.followers_of(gone))
        except psycopg.Error:
            return False
        return self.times < MOST_LENT

    def put_back(self, tables: Iterable[str]) -> None:
        """The rows of these tables as they were; ids count from where they did."""
        with self.connection.transaction(), self.connection.cursor() as cursor:
            for table in tables:
                cursor.execute(sql.SQL("DELETE FROM {}").format(sql.Identifier(table)))
                if self.rows[table]:
                    with cursor.copy(sql.SQL("COPY {} FROM STDIN").format(sql.Identifier(table))) as into:
                        into.write(self.rows[table])
            for counter, last in self.counters.items():
                cursor.execute("SELECT setval(%s, %s, %s)", (counter, last or 1, last is not None))

    def followers_of(self, tables: set[str]) -> set[str]:
        """What goes with a row of these, or loses what it points to."""
        followers, waiting = set[str](), list(tables)
        while waiting:
            news = self.followers[waiting.pop()] - followers
            followers |= news
            waiting += news
        return followers

    def drop(self) -> None:
        self.connection.close()
        with self.connect("postgres") as admin:  # it may put out the owner too, who leaves slowly
            admin.execute(sql.SQL("DROP DATABASE {} WITH (FORCE)").format(sql.Identifier(self.name)))


def listening(engine):
    """An engine for all tests, so that a query is compiled once a run: `leads_to` names the database of the test,
    `written` the tables that were written there."""
    engine.leads_to, engine.written = "postgres", set()

    @event.listens_for(engine, "before_cursor_execute")
    def notice(_connection, _cursor, statement, *_more):
        if not statement.startswith(PASSING):
            writing = WRITING.match(statement)
            engine.written.add(writing.groups() if writing else ("", statement))

    @event.listens_for(engine, "do_connect")
    def lead(_dialect, _record, _arguments, parameters):
        parameters["dbname"] = engine.leads_to

    return engine
