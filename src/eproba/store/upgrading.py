"""The way up to the newest migration."""

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.script import Script, ScriptDirectory

from eproba.core.errors import EprobaError

MIGRATIONS = Path(__file__).parent / "migrations"


def alembic_config(url: str) -> Config:
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["url"] = url
    return config


def migrate(url: str) -> None:
    """Bring the database to the newest revision, keeping its data."""
    command.upgrade(alembic_config(url), "head")


def revisions() -> set[str]:
    """All revisions that this Eproba knows."""
    return {revision.revision for revision in ScriptDirectory(str(MIGRATIONS)).walk_revisions()}


def new_revision(url: str, message: str) -> str:
    """Write a migration from what the tables say and the newest revision does not; where it lies."""
    written = command.revision(alembic_config(url), message, autogenerate=True, rev_id=_next_id())
    if not isinstance(written, Script):
        raise EprobaError("no migration was written")
    return str(written.path)


def _next_id() -> str:
    return f"{int(newest_revision()[:4]) + 1:04d}"


def newest_revision() -> str:
    """The revision that `migrate` leads to."""
    return ScriptDirectory(str(MIGRATIONS)).get_current_head() or "none"
