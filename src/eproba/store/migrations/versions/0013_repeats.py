"""Second readings of the same thing, beside the reading that counts; helpers who read as second readers"""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "repeat",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("trial_id", sa.Integer(), nullable=False),
        sa.Column("round_id", sa.Integer(), nullable=False),
        sa.Column("unit_id", sa.Integer(), nullable=False),
        sa.Column("measure_key", sa.String(), nullable=False),
        sa.Column("replicate", sa.Integer(), nullable=False),
        sa.Column("value", sa.Float()),
        sa.Column("skip_reason", sa.String(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("client_id", sa.String(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("read_at", sa.DateTime(timezone=True)),
        sa.Column("typed", sa.String(), nullable=False),
        sa.Column("sure", sa.Boolean(), nullable=False),
        sa.Column("source", sa.String(), nullable=False),
        sa.Column("saw", sa.Boolean(), nullable=False),
        sa.Column("meter", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["trial_id"], ["trial.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["round_id"], ["round.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["unit_id"], ["unit.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("round_id", "unit_id", "measure_key", "replicate", "by"),
        sa.UniqueConstraint("client_id"),
    )
    op.create_index("ix_repeat_trial_id", "repeat", ["trial_id"])
    op.create_index("ix_repeat_unit_id", "repeat", ["unit_id"])
    op.add_column("helper", sa.Column("second", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("helper", "second", server_default=None)


def downgrade() -> None:
    op.drop_column("helper", "second")
    op.drop_table("repeat")
