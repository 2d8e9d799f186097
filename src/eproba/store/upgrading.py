"""The way up to the newest migration."""

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory

MIGRATIONS = Path(__file__).parent / "migrations"


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
