"""The connection, and the way up to the newest migration."""

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, text
from sqlmodel import Session, create_engine

MIGRATIONS = Path(__file__).parent / "migrations"


def engine_for(url: str) -> Engine:
    """An engine that notices a restarted server and does not wait long for a stopped one."""
    address = url.replace("postgresql://", "postgresql+psycopg://", 1)
    return create_engine(address, pool_pre_ping=True, pool_size=4, connect_args={"connect_timeout": 3})


def alembic_config(url: str) -> Config:
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["url"] = url
    return config


def migrate(url: str) -> None:
    """Bring the database to the newest revision, keeping its data."""
    command.upgrade(alembic_config(url), "head")


def newest_revision() -> str:
    """The revision that `migrate` leads to."""
    return ScriptDirectory(str(MIGRATIONS)).get_current_head() or "none"


def answers(session: Session) -> bool:
    """Whether PostgreSQL answers."""
    return session.connection().execute(text("SELECT 1")).scalar() == 1
