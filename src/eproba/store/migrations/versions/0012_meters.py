"""Meters whose values come in by themselves or in logs; which meter gave a reading"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "meter",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("measure", sa.String(), nullable=False),
        sa.Column("unit", sa.String(), nullable=False),
        sa.Column("doubt", sa.Float(), nullable=False),
        sa.Column("doubt_share", sa.Float(), nullable=False),
        sa.Column("token", sa.String(), nullable=False),
        sa.Column("columns", JSONB(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("name"),
        sa.UniqueConstraint("token"),
    )
    op.create_table(
        "meter_value",
        sa.Column("meter_id", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("value", sa.Float(), nullable=False),
        sa.ForeignKeyConstraint(["meter_id"], ["meter.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("meter_id", "at"),
    )
    op.add_column("reading", sa.Column("meter", sa.String(), nullable=False, server_default=""))
    op.alter_column("reading", "meter", server_default=None)


def downgrade() -> None:
    op.drop_column("reading", "meter")
    op.drop_table("meter_value")
    op.drop_table("meter")
