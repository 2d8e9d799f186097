"""Alembic's entry point: runs the migrations on the URL that `store.database` hands over."""

from alembic import context
from sqlalchemy import text
from sqlmodel import SQLModel

from eproba.store import tables  # noqa: F401  (registers the tables)
from eproba.store.database import engine_for

engine = engine_for(context.config.attributes["url"])
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=SQLModel.metadata, compare_type=True)
    with context.begin_transaction():
        # Two machines may start at the same time: the second one waits, and finds nothing left to do.
        connection.execute(text("SELECT pg_advisory_xact_lock(hashtext('eproba migrations'))"))
        context.run_migrations()
engine.dispose()
