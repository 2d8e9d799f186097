"""Secrets are kept as hashes; invitations for one device"""

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None

HASHED = ("helper", "shared_link", "feed", "meter")
UNIQUE = ("helper", "shared_link", "meter")  # of a feed it is the primary key


def _hash(table: str, column: str) -> None:
    secrets = sa.table(table, sa.column(column))
    secret = secrets.c[column]
    digest = sa.func.sha256(sa.func.convert_to(secret, "UTF8"))
    op.execute(secrets.update().values({column: sa.func.encode(digest, "hex")}))


def upgrade() -> None:
    for table in HASHED:
        _hash(table, "token")
        op.alter_column(table, "token", new_column_name="token_hash")
    for table in UNIQUE:
        op.execute(f"ALTER TABLE {table} RENAME CONSTRAINT uq_{table}_token TO uq_{table}_token_hash")
    op.alter_column("meter", "token_hash", nullable=True)
    _hash("device", "id")
    op.create_table(
        "invitation",
        sa.Column("token_hash", sa.String(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("token_hash"),
    )


def downgrade() -> None:
    """What was hashed can't be had back: links and devices of before lead nowhere, and are made anew."""
    op.drop_table("invitation")
    op.execute("UPDATE meter SET token_hash = gen_random_uuid()::text WHERE token_hash IS NULL")
    op.alter_column("meter", "token_hash", nullable=False)
    for table in UNIQUE:
        op.execute(f"ALTER TABLE {table} RENAME CONSTRAINT uq_{table}_token_hash TO uq_{table}_token")
    for table in HASHED:
        op.alter_column(table, "token_hash", new_column_name="token")
