"""What is kept: SQLModel tables, Alembic migrations, the queries; rows ↔ core objects in one place."""
