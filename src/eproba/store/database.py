"""The connection."""

from collections.abc import Callable, Sequence
from typing import Any, TypeVar

from sqlalchemy import Engine, select, text
from sqlmodel import Session, create_engine

Found = TypeVar("Found")
ONLY_READS = "only reads"  # said by whoever opens a session that changes nothing


def engine_for(url: str) -> Engine:
    """An engine that notices a restarted server; a stopped one refuses at once, a busy one is waited for."""
    address = url.replace("postgresql://", "postgresql+psycopg://", 1)
    return create_engine(address, pool_pre_ping=True, pool_size=10, connect_args={"connect_timeout": 10})


def present_revision(session: Session) -> str:
    """The migration that the database is at; also shows that PostgreSQL answers."""
    return str(session.connection().execute(text("SELECT version_num FROM alembic_version")).scalar())


def once(session: Session, key: object, fetch: Callable[[], Found]) -> Found:
    """What is asked again and again, fetched once a session that only reads; one that writes asks every time."""
    if not session.info.get(ONLY_READS):
        return fetch()
    known: dict[object, Found] = session.info.setdefault("known", {})
    if key not in known:
        known[key] = fetch()
    return known[key]


def rows_of(session: Session, table: Any, *where: Any, order: Sequence[Any] = ()) -> Sequence[Any]:
    """Rows to be read and not to be changed: the session keeps no watch on them, which takes a fifth of the time."""
    session.flush()
    return session.connection().execute(select(table.__table__).where(*where).order_by(*order)).all()
