"""Alembic migrations: the only way in which the database changes."""
