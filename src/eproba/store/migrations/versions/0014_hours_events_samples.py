"""Hours of rounds; what happens to a unit between rounds; samples for a laboratory; pictures of how"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("round", sa.Column("at", sa.String(), nullable=False, server_default=""))
    op.alter_column("round", "at", server_default=None)
    op.add_column("round", sa.Column("after_hours", sa.Integer()))
    op.add_column("round", sa.Column("within", sa.Float()))
    op.create_table(
        "unit_event",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("trial_id", sa.Integer(), nullable=False),
        sa.Column("unit_id", sa.Integer(), nullable=False),
        sa.Column("on", sa.Date(), nullable=False),
        sa.Column("what", sa.String(), nullable=False),
        sa.Column("count", sa.Integer()),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("taken_back", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(["trial_id"], ["trial.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["unit_id"], ["unit.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_unit_event_trial_id", "unit_event", ["trial_id"])
    op.create_index("ix_unit_event_unit_id", "unit_event", ["unit_id"])
    op.create_table(
        "sample",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("trial_id", sa.Integer(), nullable=False),
        sa.Column("round_id", sa.Integer(), nullable=False),
        sa.Column("measure_key", sa.String(), nullable=False),
        sa.Column("code", sa.String(), nullable=False),
        sa.Column("units", JSONB(), nullable=False),
        sa.Column("mixed", sa.String(), nullable=False),
        sa.Column("depth_cm", sa.Float()),
        sa.Column("taken_on", sa.Date(), nullable=False),
        sa.Column("sent_on", sa.Date()),
        sa.Column("laboratory", sa.String(), nullable=False),
        sa.Column("result", sa.String(), nullable=False),
        sa.Column("came_on", sa.Date()),
        sa.Column("by", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["trial_id"], ["trial.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["round_id"], ["round.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("trial_id", "code"),
    )
    op.create_index("ix_sample_round_id", "sample", ["round_id"])
    op.create_table(
        "measure_picture",
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("jpeg", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["key"], ["own_measure.key"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("key"),
    )


def downgrade() -> None:
    op.drop_table("measure_picture")
    op.drop_table("sample")
    op.drop_table("unit_event")
    for name in ("within", "after_hours", "at"):
        op.drop_column("round", name)
