"""Rounds in the practice garden, apart from all trials"""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "practice",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("trap", sa.String(), nullable=False),
        sa.Column("seed", sa.Integer(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("says", sa.String(), nullable=False),
        sa.Column("sure", sa.Integer(), nullable=True),
        sa.Column("right", sa.Boolean(), nullable=True),
        sa.Column("caught", sa.Boolean(), nullable=True),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_practice_by", "practice", ["by"])


def downgrade() -> None:
    op.drop_table("practice")
