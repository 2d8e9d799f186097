"""The garden itself: a key that signs its packages, a name of this store, the household's time zone"""

import sqlalchemy as sa
from alembic import op

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None

BY_CHANCE = "uuid_send(gen_random_uuid())"


def upgrade() -> None:
    op.create_table(
        "garden",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("signing_key", sa.LargeBinary(), nullable=False),
        sa.Column("store", sa.Uuid(), nullable=False),
        sa.Column("time_zone", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    key = f"sha256({BY_CHANCE} || {BY_CHANCE} || {BY_CHANCE})"
    op.execute(f"INSERT INTO garden VALUES (1, {key}, gen_random_uuid(), '')")  # noqa: S608 (no text of anybody's)


def downgrade() -> None:
    op.drop_table("garden")
